#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/surrogate/along.hpp>
#include <renth/surrogate/blend.hpp>
#include <renth/surrogate/chaos.hpp>
#include <renth/surrogate/components.hpp>
#include <renth/surrogate/feasibility.hpp>
#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/kriging.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>
#include <renth/surrogate/layered.hpp>
#include <renth/surrogate/moving.hpp>
#include <renth/surrogate/nearest_kriging.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/surrogate/rbf.hpp>
#include <renth/surrogate/reduced.hpp>
#include <renth/surrogate/rescaled.hpp>
#include <renth/surrogate/warped.hpp>

namespace renth {
namespace {

using Loader = std::unique_ptr<const Surrogate> (*)(const Archive&);
struct Layout {
  std::string_view kind;
  int version;  ///< the newest that is known
  Loader load;
};
const Layout layouts[] = {{"polynomial", 3, Polynomial::load},
                          {"kriging", 2, Kriging::load},
                          {"kriging-ensemble", 1, KrigingEnsemble::load},
                          {"nearest-kriging", 1, NearestKriging::load},
                          {"layered", 1, Layered::load},
                          {"chaos", 1, Chaos::load},
                          {"rbf", 1, Rbf::load},
                          {"moving", 1, Moving::load},
                          {"blend", 1, Blend::load},
                          {"reduced", 1, Reduced::load},
                          {"rescaled", 1, Rescaled::load},
                          {"warped", 1, Warped::load},
                          {"along", 2, Along::load},
                          {"components", 1, Components::load},
                          {"feasibility", 1, Feasibility::load}};

std::string describe_kriging(const Process& s) {
  return fmt::format("{} kernel{}", name(s.kernel),
                     s.nugget_is_noise ? fmt::format(", noise {:.3g}", std::sqrt(s.sigma2 * s.nugget)) : "");
}

}  // namespace

std::string describe_fit(const Surrogate& surrogate) {
  if (const auto* s = dynamic_cast<const Rescaled*>(&surrogate)) return describe_fit(*s->inner());
  if (const auto* s = dynamic_cast<const Warped*>(&surrogate)) {
    const LogScale& scale = s->scale();
    return fmt::format("ln({}y {} {:.3g}), {}", scale.sign < 0 ? "-" : "", scale.shift < 0 ? "-" : "+",
                       std::abs(scale.shift), describe_fit(s->inner()));
  }
  if (const auto* s = dynamic_cast<const Reduced*>(&surrogate)) {
    const std::string inner = describe_fit(s->inner());
    return fmt::format("{}{}{} parameter{}", inner, inner.empty() ? "" : ", ", s->kept().size(),
                       s->kept().size() == 1 ? "" : "s");
  }
  if (const auto* s = dynamic_cast<const Kriging*>(&surrogate)) return describe_kriging(s->state());
  if (const auto* s = dynamic_cast<const KrigingEnsemble*>(&surrogate))
    return describe_kriging(s->state().modes.front());
  if (const auto* s = dynamic_cast<const NearestKriging*>(&surrogate))
    return fmt::format("{} kernel, {} nearest runs", name(s->state().kernel),
                       int(NearestKriging::neighbours));
  if (const auto* s = dynamic_cast<const Layered*>(&surrogate)) {
    const auto* kriging = dynamic_cast<const Kriging*>(&s->base());
    return fmt::format("{} runs, then of the rest {}", kriging ? kriging->state().runs.rows() : 0,
                       describe_fit(s->rest()));
  }
  if (const auto* s = dynamic_cast<const Chaos*>(&surrogate))
    return fmt::format("{} terms of degree up to {}", s->state().terms.size(), s->state().degree);
  if (const auto* s = dynamic_cast<const Rbf*>(&surrogate)) return std::string(name(s->state().basis));
  if (const auto* s = dynamic_cast<const Moving*>(&surrogate))
    return fmt::format("{}, {} runs", s->state().model, s->state().near);
  if (const auto* s = dynamic_cast<const Along*>(&surrogate)) return describe_fit(s->member(0));
  if (const auto* s = dynamic_cast<const Components*>(&surrogate)) {
    const std::string inner = describe_fit(*s->state().scores.front());
    return fmt::format("{}{}{} shapes carry {:.2f} %", inner, inner.empty() ? "" : ", ",
                       s->state().scores.size(), 100 * s->state().share);
  }
  return "";
}

bool holds_kriging(const Surrogate& surrogate) {
  if (likeliest_process(surrogate)) return true;
  if (const auto* s = dynamic_cast<const Rescaled*>(&surrogate)) return holds_kriging(*s->inner());
  if (const auto* s = dynamic_cast<const Reduced*>(&surrogate)) return holds_kriging(s->inner());
  if (const auto* s = dynamic_cast<const Warped*>(&surrogate)) return holds_kriging(s->inner());
  if (const auto* s = dynamic_cast<const Along*>(&surrogate)) return holds_kriging(s->member(0));
  if (const auto* s = dynamic_cast<const Components*>(&surrogate))
    return holds_kriging(*s->state().scores.front());
  const auto* blend = dynamic_cast<const Blend*>(&surrogate);
  return blend && std::any_of(blend->members().begin(), blend->members().end(),
                              [](const auto& member) { return holds_kriging(*member); });
}

namespace {

/// How many surrogates are being read within one another: a curve of reduced ones of blends is as deep as any
/// fit goes.
class Depth {
 public:
  Depth() {
    constexpr int most = 16;
    if (++depth > most) {
      --depth;
      throw Error("a stored surrogate consists of others without end", "study.db", "fit again",
                  ErrorKind::machine);
    }
  }
  ~Depth() { --depth; }
  Depth(const Depth&) = delete;
  Depth& operator=(const Depth&) = delete;

 private:
  static thread_local int depth;
};
thread_local int Depth::depth = 0;

}  // namespace

std::unique_ptr<const Surrogate> load_surrogate(const Archive& archive) {
  const Depth depth;
  for (const Layout& layout : layouts) {
    if (layout.kind != archive.kind || archive.version < 1 || archive.version > layout.version) continue;
    try {
      return layout.load(archive);
    } catch (const Error&) {
      throw;
    } catch (const std::exception&) {  // out of range, or more than there is memory for
      throw Error("a stored surrogate of kind " + archive.kind + " contradicts itself", "study.db",
                  "fit again", ErrorKind::machine);
    }
  }
  throw Error("a stored surrogate has a layout that this version does not know", "study.db", "fit again",
              ErrorKind::machine);
}

void save_members(ArchiveWriter& out, const std::vector<std::shared_ptr<const Surrogate>>& members) {
  out.count("members", static_cast<std::int64_t>(members.size()));
  for (const auto& member : members) {
    out.member("member", member->save());
  }
}

std::vector<std::shared_ptr<const Surrogate>> load_members(ArchiveReader& in) {
  std::vector<std::shared_ptr<const Surrogate>> members;
  for (std::int64_t left = in.count(); left > 0; --left) {
    members.push_back(load_surrogate(in.member()));
  }
  return members;
}

}  // namespace renth
