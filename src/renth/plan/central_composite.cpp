#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdlib>
#include <optional>
#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/central_composite.hpp>
#include <renth/plan/coded_plan.hpp>
#include <renth/plan/two_level.hpp>

namespace renth {
namespace {

using Axial = CentralCompositeOptions::Axial;
using Stage = CentralCompositeOptions::Stage;
const std::string composite_plan = "plan central-composite";

/// Words that split the corners into 2^m blocks without confounding a main effect or a product of two
/// with blocks; the longest first.
std::optional<std::vector<Word>> block_words(const Fraction& core, int m) {
  const std::vector<Word> defining = core.defining_words();
  const auto shortest = [&](Word effect) {
    int least = std::popcount(effect);
    for (const Word w : defining) least = std::min(least, std::popcount(w ^ effect));
    return least;
  };
  std::vector<Word> usable;
  for (Word w = 1; w < Word{1} << core.factors; ++w)
    if (shortest(w) >= 3) usable.push_back(w);
  std::stable_sort(usable.begin(), usable.end(),
                   [](Word a, Word b) { return std::popcount(a) > std::popcount(b); });
  std::vector<Word> chosen, span = {0};
  int tries = 0;
  const auto extend = [&](const auto& self, std::size_t from) -> bool {
    if (int(chosen.size()) == m) return true;
    for (std::size_t i = from; i < usable.size() && ++tries < 20'000; ++i) {
      bool clear = true;
      for (const Word s : span) clear = clear && shortest(usable[i] ^ s) >= 3;
      if (!clear) continue;
      const std::vector<Word> before = span;
      for (const Word s : before) span.push_back(s ^ usable[i]);
      chosen.push_back(usable[i]);
      if (self(self, i + 1)) return true;
      chosen.pop_back();
      span = before;
    }
    return false;
  };
  if (extend(extend, 0)) return chosen;
  return std::nullopt;
}

/// How many blocks there can be: 1, 2, and 1 + 2^m for up to sixteen blocks of corners.
std::vector<int> possible_blocks(const Fraction& core) {
  std::vector<int> out = {1, 2};
  for (int m = 1; m <= 4 && (4 << m) <= core.runs() && block_words(core, m); ++m) out.push_back(1 + (1 << m));
  return out;
}

struct Composite {
  Fraction core;
  int corner_blocks = 1;
  std::vector<Word> words;
  int corner_centres = 0, axial_centres = 0;  // centre runs in all corner blocks together, and with the axes
};

/// Divides the centre runs so that block sizes are in the proportion orthogonal blocks ask for, as nearly
/// as whole numbers allow; every block gets at least one while there are enough.
void divide_centres(Composite& l, int k, int centres, int blocks, double alpha) {
  if (blocks == 1) {
    l.corner_centres = centres;
    return;
  }
  const int each = l.corner_blocks, corners = l.core.runs();
  double least = INFINITY;
  for (int a = 0; a * each <= centres; ++a) {
    const int corner_centres = a * each, axial_centres = centres - corner_centres;
    // Box and Hunter 1957: Σx² of a block in proportion to its size, 2α²/F = (2k + n_a)/(F + n_c).
    const double off = std::abs(2 * alpha * alpha / corners -
                                double(2 * k + axial_centres) / double(corners + corner_centres));
    const double penalty = off + (a == 0 || axial_centres == 0 ? 1e3 : 0);
    if (penalty < least - 1e-12) {
      least = penalty;
      l.corner_centres = corner_centres;
      l.axial_centres = axial_centres;
    }
  }
}

double axial_distance(const CentralCompositeOptions& o, int k, int corners, int centres) {
  const double f = corners, n = corners + 2 * k + centres;
  switch (o.axial) {
    case Axial::rotatable:
    case Axial::inscribed:
      return std::pow(f, 0.25);
    case Axial::face:
      return 1;
    case Axial::spherical:
      return std::sqrt(double(k));
    case Axial::orthogonal:
      return std::sqrt(0.5 * (std::sqrt(n * f) - f));  // (F + 2α²)² = nF
    case Axial::given:
      return o.distance;
  }
  return 1;
}

std::string outside_note(const Space& space, double alpha) {
  std::string which;
  for (Eigen::Index j = 0; j < space.size(); ++j)
    which += fmt::format("{}{} {:.6g} … {:.6g}", which.empty() ? "" : ", ", space[j].name,
                         space.natural(j, -alpha), space.natural(j, alpha));
  for (const Parameter& p : space.parameters())
    if (p.low >= 0 && 0.5 * (p.low + p.high) - alpha * 0.5 * (p.high - p.low) < 0)
      which += fmt::format(" ({} becomes negative)", p.name);
  return fmt::format(
      "the axial runs lie outside the spans, at coded ±{:.4g}: {}. If a value cannot be run, use "
      "`axial=face` "
      "(all within the spans, less even) or `axial=inscribed` (the whole plan shrunk into the spans)",
      alpha, which);
}

/// The axial distance in blocks: what makes them orthogonal, unless another is asked for; a note says either.
double distance_in_blocks(const CentralCompositeOptions& o, const Composite& l, int k, int corners,
                          double alpha, std::vector<std::string>& notes) {
  const double orthogonal =
      std::sqrt(corners * double(2 * k + l.axial_centres) / (2.0 * (corners + l.corner_centres)));
  if (!o.axial_asked) {
    alpha = orthogonal;
    notes.push_back(
        fmt::format("axial distance {:.5g}, which makes the blocks orthogonal to every term{}", alpha,
                    std::abs(alpha - std::pow(double(corners), 0.25)) < 1e-9
                        ? " and the plan rotatable"
                        : fmt::format(" (rotatable would be {:.5g})", std::pow(double(corners), 0.25))));
  } else if (std::abs(alpha - orthogonal) > 1e-9) {
    notes.push_back(
        fmt::format("with this axial distance the blocks are not exactly orthogonal to the squares; {:.5g} "
                    "would make them so",
                    orthogonal));
  }
  return alpha;
}

/// The block of a corner by the signs of the words that part them.
int block_of(const Composite& l, const Eigen::RowVectorXd& corner) {
  int block = 0;
  for (std::size_t w = 0; w < l.words.size(); ++w) {
    double sign = 1;
    for (int j = 0; j < int(corner.size()); ++j)
      if (l.words[w] >> j & 1U) sign *= corner[j] > 0 ? 1 : -1;
    block |= (sign > 0 ? 1 : 0) << w;
  }
  return block;
}

CodedRuns runs_of(const Composite& l, Stage stage, int k, int blocks, double corner_at, double axial_at) {
  CodedRuns runs;
  const Eigen::MatrixXd all = corner_at * l.core.coded();
  runs.coded.resize(0, k);
  runs.blocks.resize(0);
  const auto add = [&](const Eigen::RowVectorXd& row, const char* origin, int block) {
    const Eigen::Index n = runs.coded.rows();
    runs.coded.conservativeResize(n + 1, k);
    runs.coded.row(n) = row;
    runs.blocks.conservativeResize(n + 1);
    runs.blocks[n] = block;
    runs.origins.emplace_back(origin);
  };
  if (stage != Stage::axial)
    for (int b = 0; b < l.corner_blocks; ++b) {
      for (Eigen::Index i = 0; i < all.rows(); ++i) {
        if (block_of(l, all.row(i)) == b) add(all.row(i), "corner", b);
      }
      const int own = l.corner_centres / l.corner_blocks;
      if (own > 0) add_centre(runs, own, b);
    }
  if (stage != Stage::corners) {
    const int block = stage == Stage::axial ? 0 : blocks - 1;
    for (int j = 0; j < k; ++j)
      for (const double side : {-axial_at, axial_at})
        add(side * Eigen::RowVectorXd::Unit(k, j), "axial", block);
    if (l.axial_centres > 0) add_centre(runs, l.axial_centres, block);
  }
  return runs;
}

void check(const Space& space, const CentralCompositeOptions& o) {
  const int k = int(space.size());
  if (k < 2 || k > 10)
    throw Error(
        fmt::format("central-composite needs 2 to 10 varying parameters, this study has {}", k),
        composite_plan,
        k < 2 ? "use full-factorial `levels=5`" : "use screening3 first, or optimal `model=quadratic`");
  need_levels(space, 3, false, "central-composite",
              "use optimal `model=quadratic`, which takes any parameters");
  if (o.centre_runs < -1) throw Error("the number of centre runs is negative", "`centre`", "use 3 to 5");
}

}  // namespace

void parse_axial(const std::string& text, CentralCompositeOptions& o) {
  const std::pair<const char*, Axial> known[] = {{"rotatable", Axial::rotatable},
                                                 {"face", Axial::face},
                                                 {"orthogonal", Axial::orthogonal},
                                                 {"spherical", Axial::spherical},
                                                 {"inscribed", Axial::inscribed}};
  o.axial_asked = true;
  for (const auto& [name, axial] : known)
    if (text == name) {
      o.axial = axial;
      return;
    }
  char* end = nullptr;
  o.distance = std::strtod(text.c_str(), &end);
  o.axial = Axial::given;
  if (end == text.c_str() || *end != '\0' || !(o.distance > 0) || !std::isfinite(o.distance))
    throw Error(fmt::format("\"{}\" is not an axial distance", text), "`axial`",
                "use rotatable, face, orthogonal, spherical, inscribed or a number above 0");
}

Plan central_composite(const Space& space, const CentralCompositeOptions& o, Seed seed) {
  const int k = int(space.size());
  check(space, o);
  Composite l;
  l.core = k < 5 ? Fraction{k, {}, true} : smallest_fraction(k, 5);
  const std::vector<int> possible = o.blocks <= 2 ? std::vector<int>{1, 2} : possible_blocks(l.core);
  if (std::find(possible.begin(), possible.end(), o.blocks) == possible.end())
    throw Error(fmt::format("{} parameters cannot be run in {} blocks", k, o.blocks),
                composite_plan + " `blocks`", fmt::format("use {}", fmt::join(possible, ", ")));
  const bool staged = o.stage != Stage::whole;
  const int blocks = staged ? std::max(2, o.blocks) : o.blocks;
  l.corner_blocks = std::max(1, blocks - 1);
  if (l.corner_blocks > 1) l.words = *block_words(l.core, std::countr_zero(unsigned(l.corner_blocks)));
  const int corners = l.core.runs();
  // Default: five for two or three parameters, where the middle needs them most, four for four, else three;
  // in blocks at least two in each that has some, so that each can see its own scatter.
  int centres = o.centre_runs >= 0 ? o.centre_runs : k <= 3 ? 5 : k == 4 ? 4 : 3;
  if (o.centre_runs < 0 && blocks > 1)
    centres = std::max(centres, l.corner_blocks * (l.corner_blocks > 2 ? 1 : 2) + 2);
  double alpha = axial_distance(o, k, corners, centres);
  divide_centres(l, k, centres, blocks, alpha);
  std::vector<std::string> notes;
  if (blocks > 1) alpha = distance_in_blocks(o, l, k, corners, alpha, notes);
  const bool shrunk = o.axial == Axial::inscribed && (o.axial_asked || blocks == 1);
  const double corner_at = shrunk ? 1 / alpha : 1, axial_at = shrunk ? 1 : alpha;

  const CodedRuns runs = runs_of(l, o.stage, k, blocks, corner_at, axial_at);
  Plan plan = from_coded(space, runs, "central-composite", o.random_order, seed);
  plan.blocks.array() += o.first_block;
  if (axial_at > 1 + 1e-12 && o.stage != Stage::corners) notes.push_back(outside_note(space, axial_at));
  if (o.stage == Stage::corners)
    notes.push_back(
        "these are the corners and their centre runs; if the fit shows curvature, plan central-composite "
        "`stage=axial` with `of` this batch adds the axes as a block of the same design");
  plan.notes.insert(plan.notes.begin(), notes.begin(), notes.end());
  plan.options["axial"] = fmt::format("{:.17g}", alpha);
  plan.options["inscribed"] = shrunk ? "yes" : "no";
  plan.options["centre"] = std::to_string(centres);
  plan.options["blocks"] = std::to_string(blocks);
  plan.options["stage"] = o.stage == Stage::whole ? "whole" : o.stage == Stage::corners ? "corners" : "axial";
  plan.options["runs"] = std::to_string(plan.size());
  return plan;
}

}  // namespace renth
