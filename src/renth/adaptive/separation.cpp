#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <renth/adaptive/separation.hpp>
#include <renth/numeric/parallel.hpp>

namespace renth {
namespace {

struct Labelled {
  Eigen::MatrixXd points;
  std::vector<char> hit;                // to be inside the rule
  std::vector<std::vector<int>> order;  // of rows, a numeric parameter each by value
  int hits = 0, others = 0;
};

Labelled labelled(const Space& space, const Eigen::MatrixXd& points, const std::vector<char>& hit) {
  Labelled out{points, hit, {}, 0, 0};
  for (const char h : hit) ++(h ? out.hits : out.others);
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    std::vector<int> order(hit.size());
    std::iota(order.begin(), order.end(), 0);
    std::stable_sort(order.begin(), order.end(), [&](int a, int b) { return points(a, j) < points(b, j); });
    out.order.push_back(std::move(order));
  }
  return out;
}

/// The number with the fewest digits strictly between two: rules are read by people.
double short_number_between(double low, double high) {
  const double middle = low + 0.5 * (high - low);
  for (int digits = 1; digits < 17; ++digits) {
    const double rounded = std::stod(fmt::format("{:.{}e}", middle, digits - 1));
    if (rounded > low && rounded < high) return rounded;
  }
  return middle;
}

struct Scored {
  Cut cut;
  double score = -2;
};

/// The best single cut among the rows that are `in`; rows outside count as not inside.
Scored best_cut(const Space& space, const Labelled& l, const std::vector<char>& in, Eigen::Index only = -1,
                Eigen::Index without = -1) {
  Scored best;
  const double per_hit = 1.0 / l.hits, per_other = 1.0 / l.others;
  int hits_in = 0, others_in = 0;
  for (std::size_t i = 0; i < in.size(); ++i)
    if (in[i]) ++(l.hit[i] ? hits_in : others_in);
  const auto consider = [&](const Cut& cut, int hits, int others) {
    const double score = hits * per_hit - others * per_other;
    if (score > best.score + 1e-12) best = {cut, score};
  };
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    if ((only >= 0 && j != only) || j == without) continue;
    if (space[j].is_choice()) {
      for (std::size_t c = 0; c < space[j].choices.size(); ++c) {
        int hits = 0, others = 0;
        for (std::size_t i = 0; i < in.size(); ++i)
          if (in[i] && l.points(Eigen::Index(i), j) == static_cast<double>(c)) ++(l.hit[i] ? hits : others);
        if (hits + others == 0 || hits + others == hits_in + others_in) continue;
        consider({Cut::Side::is, j, static_cast<double>(c)}, hits, others);
        consider({Cut::Side::is_not, j, static_cast<double>(c)}, hits_in - hits, others_in - others);
      }
      continue;
    }
    int hits = 0, others = 0;
    double last = -INFINITY;
    for (const int i : l.order[static_cast<std::size_t>(j)]) {
      if (!in[i]) continue;
      const double v = l.points(i, j);
      if (v > last && hits + others > 0) {
        // Kept as the pair's middle until the best is known; rounding comes last.
        const Cut below{Cut::Side::below, j, last + 0.5 * (v - last)};
        consider(below, hits, others);
        consider({Cut::Side::above, j, below.value}, hits_in - hits, others_in - others);
      }
      ++(l.hit[i] ? hits : others);
      last = v;
    }
  }
  return best;
}

std::vector<char> inside(const Labelled& l, const Cut& cut) {
  std::vector<char> out(l.hit.size());
  for (std::size_t i = 0; i < out.size(); ++i) out[i] = cut.holds(l.points(Eigen::Index(i), cut.parameter));
  return out;
}

struct Conjunction {
  std::vector<Cut> cuts;
  double score = -2;
};

/// Candidates for the first of two cuts: quantiles of each parameter, every choice.
std::vector<Cut> first_cuts(const Space& space, const Labelled& l) {
  const double work =
      2.0 * static_cast<double>(space.size() * space.size()) * static_cast<double>(l.hit.size());
  const int quantiles = static_cast<int>(std::clamp(8e6 / work, 4.0, 32.0));
  std::vector<Cut> out;
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    if (space[j].is_choice()) {
      for (std::size_t c = 0; c < space[j].choices.size(); ++c)
        for (const auto side : {Cut::Side::is, Cut::Side::is_not})
          out.push_back({side, j, static_cast<double>(c)});
      continue;
    }
    const auto& order = l.order[static_cast<std::size_t>(j)];
    const auto points_of = [&](std::size_t i) { return l.points(order[i], j); };
    double last = NAN;
    for (int q = 1; q <= quantiles; ++q) {
      std::size_t at = std::max<std::size_t>(
          1, order.size() * static_cast<std::size_t>(q) / static_cast<std::size_t>(quantiles + 1));
      // Among equal values the cut lies before or behind them all.
      while (at < order.size() && points_of(at - 1) == points_of(at)) ++at;
      if (at == order.size()) {
        while (at > 1 && points_of(at - 1) == points_of(order.size() - 1)) --at;
        if (points_of(at - 1) == points_of(order.size() - 1)) continue;
      }
      const double low = points_of(at - 1), high = points_of(at), value = low + 0.5 * (high - low);
      if (value == last) continue;
      last = value;
      for (const auto side : {Cut::Side::below, Cut::Side::above}) out.push_back({side, j, value});
    }
  }
  return out;
}

/// The best *and* of two cuts.
Conjunction best_pair(const Space& space, const Labelled& l) {
  Conjunction best;
  for (const Cut& first : first_cuts(space, l)) {
    const Scored second = best_cut(space, l, inside(l, first));
    if (second.score > best.score + 1e-12) best = {{first, second.cut}, second.score};
  }
  // Each in turn to its best place given the other, until neither moves.
  for (std::size_t round = 0, still = 0; round < 6 && still < 2 && best.cuts.size() == 2; ++round) {
    Cut& cut = best.cuts[round % 2];
    const Scored moved = best_cut(space, l, inside(l, best.cuts[1 - round % 2]), cut.parameter);
    still = moved.score > best.score + 1e-12 ? 0 : still + 1;
    if (still == 0) cut = moved.cut, best.score = moved.score;
  }
  return best;
}

Cut negated(Cut cut) {
  using Side = Cut::Side;
  cut.side = cut.side == Side::below   ? Side::above
             : cut.side == Side::above ? Side::below
             : cut.side == Side::is    ? Side::is_not
                                       : Side::is;
  return cut;
}

SeparatingRule best_rule(const Space& space, const Eigen::MatrixXd& points, const std::vector<char>& failed,
                         int cuts) {
  const Labelled fail = labelled(space, points, failed);
  SeparatingRule out;
  if (cuts == 1) {
    const Scored one = best_cut(space, fail, std::vector<char>(failed.size(), 1));
    if (one.score > -2) out.cuts = {one.cut};
    return out;
  }
  // a and b, or — as "done where not a and not b" — a or b.
  std::vector<char> done(failed.size());
  std::transform(failed.begin(), failed.end(), done.begin(), [](char f) { return !f; });
  const Conjunction all = best_pair(space, fail), any = best_pair(space, labelled(space, points, done));
  out.any = any.score > all.score + 1e-12;
  out.cuts = out.any ? any.cuts : all.cuts;
  if (out.any) std::transform(out.cuts.begin(), out.cuts.end(), out.cuts.begin(), negated);
  return out;
}

/// Ten folds, each with its part of the failed and of the done runs.
void validate(const Space& space, const Eigen::MatrixXd& points, const std::vector<char>& failed, Seed seed,
              SeparatingRule& rule) {
  std::vector<int> fold(failed.size());
  for (const char label : {1, 0}) {
    std::vector<int> rows;
    for (std::size_t i = 0; i < failed.size(); ++i)
      if (failed[i] == label) rows.push_back(static_cast<int>(i));
    const std::vector<int> order = Stream(seed, "failure folds", static_cast<std::uint64_t>(label))
                                       .permutation(static_cast<int>(rows.size()));
    for (std::size_t i = 0; i < rows.size(); ++i) fold[rows[order[i]]] = static_cast<int>(i % 10);
  }
  std::vector<int> hits(10, 0), wrong(10, 0);
  parallel_for(10, [&](std::int64_t f) {
    std::vector<char> labels;
    std::vector<int> kept;
    for (std::size_t i = 0; i < failed.size(); ++i)
      if (fold[i] != f) kept.push_back(static_cast<int>(i)), labels.push_back(failed[i]);
    if (std::count(labels.begin(), labels.end(), 1) == 0 || std::count(labels.begin(), labels.end(), 0) == 0)
      return;
    const SeparatingRule part =
        best_rule(space, points(kept, Eigen::all), labels, static_cast<int>(rule.cuts.size()));
    for (std::size_t i = 0; i < failed.size(); ++i)
      if (fold[i] == f && part.holds(points.row(Eigen::Index(i)).transpose()))
        ++(failed[i] ? hits : wrong)[static_cast<std::size_t>(f)];
  });
  rule.found = static_cast<double>(std::accumulate(hits.begin(), hits.end(), 0)) / rule.failed;
  rule.wrong = static_cast<double>(std::accumulate(wrong.begin(), wrong.end(), 0)) / rule.done;
}

void count(const Eigen::MatrixXd& points, const std::vector<char>& failed, SeparatingRule& rule) {
  rule.failed = rule.done = rule.failed_inside = rule.done_inside = 0;
  for (std::size_t i = 0; i < failed.size(); ++i) {
    ++(failed[i] ? rule.failed : rule.done);
    if (rule.holds(points.row(Eigen::Index(i)).transpose()))
      ++(failed[i] ? rule.failed_inside : rule.done_inside);
  }
}

/// Each value to the shortest number between the runs on either side of it.
void round_cuts(const Eigen::MatrixXd& points, SeparatingRule& rule) {
  for (Cut& cut : rule.cuts) {
    if (cut.side == Cut::Side::is || cut.side == Cut::Side::is_not) continue;
    double low = -INFINITY, high = INFINITY;
    for (Eigen::Index i = 0; i < points.rows(); ++i) {
      const double v = points(i, cut.parameter);
      if (v < cut.value) low = std::max(low, v);
      if (v > cut.value) high = std::min(high, v);
    }
    if (std::isfinite(low) && std::isfinite(high)) cut.value = short_number_between(low, high);
  }
}

std::string written(const Space& space, const Cut& cut, bool opposite) {
  const Parameter& p = space[cut.parameter];
  using Side = Cut::Side;
  if (cut.side == Side::is || cut.side == Side::is_not)
    return fmt::format("{} {} '{}'", p.name, (cut.side == Side::is) != opposite ? "==" : "!=",
                       p.choices[static_cast<std::size_t>(cut.value)]);
  const char* sign = cut.side == Side::below ? (opposite ? ">=" : "<") : (opposite ? "<=" : ">");
  return fmt::format("{} {} {}", p.name, sign, cut.value);
}

std::string joined(const Space& space, const SeparatingRule& rule, bool opposite) {
  std::string out;
  for (const Cut& cut : rule.cuts)
    out += (out.empty() ? "" : rule.any != opposite ? " || " : " && ") + written(space, cut, opposite);
  return out;
}

}  // namespace

bool SeparatingRule::holds(const Eigen::VectorXd& point) const {
  const auto one = [&](const Cut& c) { return c.holds(point[c.parameter]); };
  return any ? std::any_of(cuts.begin(), cuts.end(), one) : std::all_of(cuts.begin(), cuts.end(), one);
}

std::optional<SeparatingRule> separating_rule(const Space& space, Points given,
                                              const std::vector<bool>& failed_runs, Seed seed) {
  const Eigen::MatrixXd points = given;
  const std::vector<char> failed(failed_runs.begin(), failed_runs.end());
  const auto bad = std::count(failed.begin(), failed.end(), 1);
  if (bad < 3 || static_cast<std::ptrdiff_t>(failed.size()) - bad < 3) return std::nullopt;
  SeparatingRule one = best_rule(space, points, failed, 1);
  if (one.cuts.empty()) return std::nullopt;  // all runs are at one point
  count(points, failed, one);
  validate(space, points, failed, seed, one);
  SeparatingRule two = best_rule(space, points, failed, 2);
  SeparatingRule out = one;
  if (two.cuts.size() == 2) {
    count(points, failed, two);
    validate(space, points, failed, seed, two);
    if (two.separation() >= one.separation() + 0.02) out = two;
  }
  round_cuts(points, out);
  count(points, failed, out);
  out.pair = {out.cuts[0].parameter, out.cuts[0].parameter};
  for (const Cut& cut : out.cuts) out.pair.second = cut.parameter;
  if (out.pair.first == out.pair.second) {
    // One parameter decides: beside it the one that helps it most, if there is another.
    const Labelled l = labelled(space, points, failed);
    std::vector<char> in(failed.size(), 1);
    if (!out.any) in = inside(l, out.cuts[0]);
    const Scored other = best_cut(space, l, in, -1, out.pair.first);
    if (other.score > -2)
      out.pair.second = other.cut.parameter;
    else if (space.size() > 1)
      out.pair.second = out.pair.first == 0 ? 1 : 0;
  }
  return out;
}

std::string rule_text(const Space& space, const SeparatingRule& rule) {
  return joined(space, rule, false);
}
std::string limit_text(const Space& space, const SeparatingRule& rule) {
  return joined(space, rule, true);
}

}  // namespace renth
