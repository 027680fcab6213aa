#include <charconv>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/kriging_objective.hpp>
#include <renth/quality/box_cox.hpp>
#include <renth/selection/choose.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kriging.hpp>
#include <renth/surrogate/rescaled.hpp>
#include <renth/surrogate/transform.hpp>
#include <renth/terms/confounding.hpp>
#include <renth/workflow/fit_asked.hpp>
#include <renth/workflow/kept_fit.hpp>

namespace renth {
namespace {

using nlohmann::json;

/// A term by name, or all contrasts of a choice.
void add_terms(const Space& space, const std::vector<std::string>& names, Terms& out) {
  for (const std::string& text : names)
    for (const Term& t : parse_terms(space, text))
      if (!t.factors.empty()) out.push_back(t);
}

TermChoice choice_of(const Space& space, const FittingOptions& options) {
  TermChoice choice;
  if (!options.choose.empty()) choice.method = choice_method_words.value(options.choose, "--choose");
  choice.rule = !options.by.empty() ? choice_rule_words.value(options.by, "--by")
                : choice.method == TermChoice::Method::best_subset ? TermChoice::Rule::aicc
                                                                   : TermChoice::Rule::p_value;
  choice.enter = options.enter;
  choice.leave = options.leave;
  choice.heredity = options.heredity;
  add_terms(space, options.keep, choice.keep);
  add_terms(space, options.drop, choice.drop);
  if (!choice.keep.empty() && choice.method == TermChoice::Method::none)
    throw Error("--keep says which terms a choice may not drop, and there is no choice", "--keep",
                "add --choose backward, or name the terms with --model");
  return choice;
}

/// What is asked of kriging and of radial basis functions.
void read_metamodel_options(const FittingOptions& o, FitRequest& out) {
  using Nugget = KrigingOptions::Nugget;
  if (!o.kernel.empty()) out.kernel = kernel_words.value(o.kernel, "--kernel");
  out.trend = o.trend;
  if (!o.criterion.empty()) out.criterion = kriging_criterion_words.value(o.criterion, "--criterion");
  out.prior = o.prior;
  if (!o.basis.empty()) out.basis = radial_basis_words.value(o.basis, "--basis");
  if (o.nugget == "none")
    out.nugget = Nugget::none;
  else if (o.nugget == "estimated")
    out.nugget = Nugget::estimated;
  else if (o.nugget == "replicates")
    out.nugget = Nugget::replicates;
  else if (!o.nugget.empty() && o.nugget != "auto") {
    const char* end = o.nugget.data() + o.nugget.size();
    const auto [at, error] = std::from_chars(o.nugget.data(), end, out.noise_variance);
    if (error != std::errc() || at != end || !(out.noise_variance >= 0))
      throw Error("unknown nugget \"" + o.nugget + "\"", "--nugget",
                  "use auto, none, estimated, replicates, or the variance of the noise as a number");
    out.nugget = Nugget::fixed;
  }
}

}  // namespace

FitOptions fit_asked(const Space& space, const FittingOptions& options) {
  if (!options.terms.empty()) parse_terms(space, options.terms);
  if (!options.trend.empty()) trend_terms(space, options.trend);
  FitOptions out;
  out.kind = options.kind;
  out.choice = choice_of(space, options);
  out.request.terms = options.terms;
  read_metamodel_options(options, out.request);
  // What is typed asks for its kind even where it is the default, or only the runs will say what it comes to.
  FitOptions typed = out;
  if (!options.transform.empty()) typed.request.transform = {0};
  if (!options.nugget.empty() || !options.criterion.empty()) typed.request.prior = false;
  out.kind = kind_asked(typed, !options.weights.empty());
  return out;
}

Transform transform_asked(const Space& space, const Data& data, const FittingOptions& options) {
  const std::string& text = options.transform;
  if (text.empty()) return {};
  if (text == "log") return {0};
  if (text == "sqrt") return {0.5};
  if (text == "inverse") return {-1};
  if (text != "box-cox") {
    double lambda = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), lambda);
    if (error != std::errc() || end != text.data() + text.size() || !(std::abs(lambda) <= 5))
      throw Error("unknown transformation \"" + text + "\"", "--transform",
                  "use log, sqrt, inverse, box-cox or a power from -5 to 5");
    return {lambda};
  }
  if (data.outputs.cols() > 1)
    throw Error("a curve has no single power", "--transform box-cox", "name a power");
  const auto found = box_cox(space, data,
                             options.terms.empty() ? suggested_terms(space, data.inputs, data.blocks)
                                                   : parse_terms(space, options.terms));
  if (!found)
    throw Error("a power needs values above zero and some residual degrees of freedom", "--transform box-cox",
                "fit it as it is");
  return {found->suggestion};
}

json options_to_keep(const FittingOptions& options, Seed seed) {
  return {{"kind", options.kind},
          {"terms", options.terms},
          {"seed", seed},
          {"take_confirm", options.take_confirm},
          {"weights", options.weights},
          {"kernel", options.kernel},
          {"trend", options.trend},
          {"nugget", options.nugget},
          {"criterion", options.criterion},
          {"prior", options.prior},
          {"basis", options.basis}};
}

FittingOptions options_of(const StoredSurrogate& stored) {
  const json made = json::parse(stored.options);
  FittingOptions out;
  out.kind = made.value("kind", "");
  out.terms = made.value("terms", "");
  out.take_confirm = made.value("take_confirm", false);
  out.weights = made.value("weights", "");
  out.kernel = made.value("kernel", "");
  out.trend = made.value("trend", "");
  out.nugget = made.value("nugget", "");
  out.criterion = made.value("criterion", "");
  out.prior = made.value("prior", true);
  out.basis = made.value("basis", "");
  return out;
}

FitRequest request_of(const StoredSurrogate& stored) {
  const json made = json::parse(stored.options);
  const FittingOptions options = options_of(stored);
  FitRequest out;
  out.terms = options.terms;
  out.transform.lambda = made.value("transform", 1.0);
  read_metamodel_options(options, out);
  return out;
}

Fit fit_as_stored(const Space& space, const Data& data, const StoredSurrogate& stored) {
  const auto* rescaled = dynamic_cast<const Rescaled*>(stored.surrogate.get());
  return fit_as_chosen(space, data, tried_from(stored.tried),
                       nlohmann::json::parse(stored.options).value("settings", ""), request_of(stored),
                       rescaled ? *rescaled->inner() : *stored.surrogate);
}

}  // namespace renth
