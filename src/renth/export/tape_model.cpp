#include <algorithm>
#include <limits>
#include <map>
#include <renth/base/error.hpp>
#include <renth/export/tape_expression.hpp>
#include <renth/export/tape_model.hpp>
#include <renth/export/tape_space.hpp>
#include <renth/export/tape_surrogate.hpp>

namespace renth {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

/// The rule of Coverage::inside.
TapeVector covered_on_tape(const Space& space, const Coverage& coverage, TapeVector x, TapeVector exists) {
  Tape& tape = x.tape();
  const Coverage::Parts& runs = coverage.parts();
  if (!(runs.runs > 0)) return 0.0 * exists;
  TapeVector out = exists;
  Index column = 0;
  for (Index j = 0; j < space.size(); ++j) {
    const TapeVector value = tape.gather(x, {int(j)});
    if (space[j].is_choice()) {
      const auto count = Index(space[j].choices.size());
      const Eigen::RowVectorXd ran =
          runs.features.middleCols(column, count).colwise().maxCoeff().unaryExpr([](double highest) {
            return highest > 0 ? 1.0 : 0.0;
          });
      out = out * tape.affine(ran, choice_on_tape(space[j], value));
      column += count;
      continue;
    }
    ++column;
    const double spare = (runs.most[j] - runs.least[j]) / runs.runs * (1 + 1e-9);
    out = out * (not_above(tape.constant(runs.least[j] - spare), value) *
                 not_above(value, tape.constant(runs.most[j] + spare)));
  }
  const int n = int(runs.features.rows()), f = int(runs.features.cols());
  return out * tape.method(Tape::Op::covered, 1, {features_on_tape(space, x)},
                           {n, f, tape.keep(runs.features), tape.keep(MatrixXd::Constant(1, 1, runs.reach))},
                           n + f);
}

/// The responses of a model at one setting.
class Responses {
 public:
  Responses(Tape& tape, const Model& model, TapeVector x)
      : tape_(tape), model_(model), x_(x), fixed_(model.problem.fixed_numbers()) {
    std::vector<bool> carried(model.parts.size(), false);  // derived ones need to know how errors go together
    for (int k = 0; k < int(model.parts.size()); ++k)
      if (model.problem.responses[std::size_t(k)].derive && model.has(k))
        for (const int s : sources_of(model.problem, k)) carried[std::size_t(s)] = true;
    for (std::size_t k = 0; k < model.parts.size(); ++k)
      if (model.parts[k])
        fitted_[int(k)] =
            surrogate_on_tape(*model.parts[k]->surrogate, x, {.variance = true, .parts = carried[k]});
  }

  TapeVector mean(int response) const { return value(response, -1, {}); }

  TapeVector sd(int response) const {
    const auto found = fitted_.find(response);
    const TapeVector variance = found != fitted_.end() ? found->second.variance : derived_variance(response);
    return sqrt(at_least_zero(variance));
  }

 private:
  /// A response when one of those that are fitted is another than its mean.
  TapeVector value(int response, int changed, TapeVector to) const {
    if (response == changed) return to;
    const auto found = fitted_.find(response);
    if (found != fitted_.end()) return found->second.mean;
    const std::size_t first = model_.problem.first_response();
    const Response& r = model_.problem.responses[std::size_t(response)];
    try {
      return expression_on_tape(*r.derive, tape_, [&](std::size_t symbol) {
        if (symbol >= first) return value(int(symbol - first), changed, to);
        const auto d = std::size_t(model_.problem.space.size());
        return symbol < d ? tape_.gather(x_, {int(symbol)}) : tape_.constant(fixed_[symbol - d]);
      });
    } catch (const Error& e) {
      throw Error(e.problem(), "response " + r.name, e.remedy(), e.kind());
    }
  }

  /// As Predictor::predict() carries errors through: half of what one deviation to either side changes.
  TapeVector derived_variance(int response) const {
    TapeVector out = tape_.constant(0);
    for (const int s : sources_of(model_.problem, response)) {
      const SurrogateOnTape& p = fitted_.at(s);
      const auto change = [&](TapeVector by) {
        return square(0.5 * (value(response, s, p.mean + by) - value(response, s, p.mean - by)));
      };
      const TapeVector deviation = sqrt(at_least_zero(p.variance));
      TapeVector together;
      if (p.parts.empty()) {
        together = change(deviation);
        if (model_.problem.responses[std::size_t(s)].is_curve()) {
          TapeVector apart = tape_.constant(0);
          for (int at = 0; at < deviation.width(); ++at)
            apart =
                apart + change(deviation * tape_.constant(VectorXd(VectorXd::Unit(deviation.width(), at))));
          together = tape_.choose(less(together, apart), apart, together);
        }
      } else {
        for (const TapeVector& part : p.parts) together = together ? together + change(part) : change(part);
      }
      out = out + together;
    }
    return out;
  }

  Tape& tape_;
  const Model& model_;
  TapeVector x_;
  std::vector<double> fixed_;
  std::map<int, SurrogateOnTape> fitted_;
};

}  // namespace

ModelOnTape model_on_tape(Tape& tape, const Model& model) {
  check_model(model);
  const Space& space = model.problem.space;
  const TapeVector x = tape.input(int(space.size()));
  const TapeVector exists = exists_on_tape(space, x),
                   none = tape.constant(std::numeric_limits<double>::quiet_NaN());
  ModelOnTape out;
  out.inside = covered_on_tape(space, model.coverage, x, exists);
  const Responses responses(tape, model, x);
  for (int k = 0; k < int(model.parts.size()); ++k)
    if (model.has(k))
      out.responses.push_back(
          {k, tape.choose(exists, responses.mean(k), none), tape.choose(exists, responses.sd(k), none)});
  return out;
}

}  // namespace renth
