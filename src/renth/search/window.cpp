#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/search/box_search.hpp>
#include <renth/search/window.hpp>
#include <renth/search/window_places.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Draws settings of boxes and tells which are in specification.
class WindowSampler {
 public:
  WindowSampler(const Specification& specification, const WindowPlaces& places, Seed seed)
      : specification_(specification),
        space_(specification.predictor().problem().space),
        draw_(space_),
        places_(places),
        seed_(seed) {}

  struct Drawn {
    Eigen::MatrixXd places, settings;
    Eigen::MatrixXd margins;  ///< limits of the specification, then those between parameters
    std::vector<char> in;
  };
  /// \param round  another number, another sample.
  Drawn draw(const PlaceBox& box, Index count, std::uint64_t round, Index parts = 1) const {
    Drawn out;
    const Index d = places_.size(), s = draw_.dimensions();
    const Eigen::MatrixXd u = unit_sample(Sampling::sobol, parts, count / parts,
                                          d + s + specification_.noise(), hash64("window", seed_ + round));
    out.places = u.leftCols(d);
    for (Index k = 0; k < d; ++k)
      out.places.col(k) = box.low[k] + (box.high[k] - box.low[k]) * out.places.col(k).array();
    out.settings = places_.settings(out.places);
    const Eigen::MatrixXd normals = normal_scores(u.rightCols(specification_.noise()));
    const Eigen::MatrixXd real = draw_.around(out.settings, u.middleCols(d, s));
    const Index limits = Index(specification_.limits().size()), rules = Index(space_.limits().size());
    out.margins.resize(u.rows(), limits + rules);
    out.margins.leftCols(limits) = specification_.at(real, normals).margins;
    out.in.resize(std::size_t(u.rows()));
    for (Index i = 0; i < u.rows(); ++i) {
      for (Index l = 0; l < rules; ++l)
        out.margins(i, limits + l) =
            margin_or_worst(space_.limits()[std::size_t(l)], out.settings.row(i).transpose());
      out.in[std::size_t(i)] = (out.margins.row(i).array() >= 0).all();
    }
    return out;
  }
  Estimate within(const PlaceBox& box, std::uint64_t round, double level) const {
    constexpr Index parts = 32, each = 1024;
    const Drawn drawn = draw(box, parts * each, round, parts);
    Eigen::VectorXd hits = Eigen::VectorXd::Zero(parts);
    for (std::size_t i = 0; i < drawn.in.size(); ++i) hits[Index(i) / each] += drawn.in[i] ? 1 : 0;
    return share_of_sample(hits, double(each), Sampling::sobol, level);
  }
  std::string limit_text(Index l) const {
    const auto limits = Index(specification_.limits().size());
    return l < limits ? specification_.limits()[std::size_t(l)].text
                      : space_.limits()[std::size_t(l - limits)].text;
  }

 private:
  const Specification& specification_;
  const Space& space_;
  ScatterDraw draw_;
  const WindowPlaces& places_;
  Seed seed_;
};

class Finder {
 public:
  Finder(const Specification& specification, const WindowOptions& options, Seed seed,
         const Eigen::VectorXd& base)
      : options_(options),
        places_(specification.predictor().problem().space, options, base),
        sampler_(specification, places_, seed),
        seed_(seed) {
    if (places_.size() == 0) throw Error("nothing moves", "window", "hold fewer parameters");
    if (options.centre) {
      centre_ = Eigen::VectorXd(places_.size());
      for (Index k = 0; k < places_.size(); ++k)
        (*centre_)[k] = places_.place(k, (*options.centre)[places_.moving()[std::size_t(k)]]);
      if ((centre_->array() < 0).any() || (centre_->array() > 1).any())
        throw Error("the setting lies outside the spans", "window --centre-at", "choose another");
    }
  }

  WindowResult result() {
    WindowResult out;
    out.target = options_.within;
    out.moving = places_.moving();
    const PlaceBox all{Eigen::VectorXd::Zero(places_.size()), Eigen::VectorXd::Ones(places_.size())};
    const WindowSampler::Drawn drawn = sampler_.draw(all, options_.samples, 0);
    out.sample = drawn.settings;
    out.pass = drawn.in;
    const MarkedSample marked(drawn.places, drawn.in, places_.faces(all));
    const std::vector<Narrowing> path = narrowed(marked, narrowing_of(marked));
    add_steps(marked, path, out);
    go_on_narrowing(out);
    if (const std::optional<PlaceBox> box = sought(marked, path)) {
      out.window = places_.window(*box);
      out.window->within = within_;
      add_binding(*box, out);
    }
    if (!options_.by_hand.empty()) out.by_hand = by_hand(all);
    return out;
  }

 private:
  static PlaceBox box_of(const MarkedSample& sample, const FaceBox& faces) {
    PlaceBox out{Eigen::VectorXd(sample.dimensions()), Eigen::VectorXd(sample.dimensions())};
    for (Index k = 0; k < sample.dimensions(); ++k) {
      out.low[k] = sample.faces(k)[std::size_t(faces.low[std::size_t(k)])];
      out.high[k] = sample.faces(k)[std::size_t(faces.high[std::size_t(k)])];
    }
    return out;
  }
  /// The faces nearest to a box.
  static FaceBox faces_of(const MarkedSample& sample, const PlaceBox& box) {
    FaceBox out;
    const auto nearest = [&](Index k, double place) {
      const std::vector<double>& f = sample.faces(k);
      const auto at = std::lower_bound(f.begin(), f.end(), place);
      if (at == f.end()) return int(f.size()) - 1;
      if (at != f.begin() && place - *(at - 1) < *at - place) return int(at - f.begin()) - 1;
      return int(at - f.begin());
    };
    for (Index k = 0; k < sample.dimensions(); ++k) {
      int low = nearest(k, box.low[k]), high = nearest(k, box.high[k]);
      if (low == high)
        (high + 1 < int(sample.faces(k).size()) ? high : low) +=
            high + 1 < int(sample.faces(k).size()) ? 1 : -1;
      out.low.push_back(low);
      out.high.push_back(high);
    }
    return out;
  }
  BoxSearch search_of(const MarkedSample& sample, double target) const {
    BoxSearch out;
    out.target = target;
    out.kicks = places_.size() <= 4 ? 32 : 16;
    if (centre_) {
      out.holds.emplace();
      for (Index k = 0; k < places_.size(); ++k) {
        const std::vector<double>& f = sample.faces(k);
        const auto above = std::upper_bound(f.begin(), f.end(), (*centre_)[k]);
        const int high = std::clamp(int(above - f.begin()), 1, int(f.size()) - 1);
        out.holds->low.push_back(high - 1);
        out.holds->high.push_back(high);
      }
    }
    return out;
  }

  /// Of steps that are shown: shares of few points flatter the side that was taken in.
  BoxSearch narrowing_of(const MarkedSample& sample) const {
    BoxSearch out = search_of(sample, 1);
    out.least = 400;
    return out;
  }

  /// Steps that a reader follows: those that were taken, as far as all is in.
  void add_steps(const MarkedSample& marked, const std::vector<Narrowing>& path, WindowResult& out) const {
    for (const Narrowing& step : path) {
      WindowStep one{places_.window(box_of(marked, step.box)), -1, step.upper};
      if (step.coordinate >= 0) one.parameter = places_.moving()[std::size_t(step.coordinate)];
      one.window.within = share_of_independent(step.count.in, step.count.all, options_.level);
      out.most_within = std::max(out.most_within, one.window.within.value);
      out.steps.push_back(std::move(one));
    }
  }

  /// Where too few of the points were left, on a sample of the box that was reached, until all is in.
  void go_on_narrowing(WindowResult& out) const {
    constexpr std::uint64_t most = 4;
    for (std::uint64_t round = 0; round < most && out.steps.back().window.within.value < 1; ++round) {
      PlaceBox box{Eigen::VectorXd(places_.size()), Eigen::VectorXd(places_.size())};
      const Window& last = out.steps.back().window;
      for (Index k = 0; k < places_.size(); ++k) {
        const Index j = places_.moving()[std::size_t(k)];
        const double half = places_.values(k) > 0 ? 0.5 / places_.values(k) : 0;
        box.low[k] = places_.place(k, last.low[j]) - half;
        box.high[k] = places_.place(k, last.high[j]) + half;
      }
      const WindowSampler::Drawn drawn = sampler_.draw(box, options_.samples, 7000 + round);
      const MarkedSample marked(drawn.places, drawn.in, places_.faces(box));
      std::vector<Narrowing> path = narrowed(marked, narrowing_of(marked));
      if (path.size() < 2) return;
      path.erase(path.begin());
      add_steps(marked, path, out);
    }
  }

  /// The box to start from: where narrowing crosses the target, else where it ended.
  static std::vector<FaceBox> starts(const std::vector<Narrowing>& path, double target) {
    std::vector<FaceBox> out;
    for (const Narrowing& step : path)
      if (step.count.share() >= target) {
        out.push_back(step.box);
        break;
      }
    if (out.empty() && !path.empty()) out.push_back(path.back().box);
    return out;
  }

  std::optional<PlaceBox> sought(const MarkedSample& coarse, const std::vector<Narrowing>& path) {
    std::optional<FaceBox> found =
        largest_box_within(coarse, search_of(coarse, options_.within), starts(path, options_.within), seed_);
    PlaceBox box;
    if (found) {
      box = box_of(coarse, *found);
    } else {
      // Too few points for the share that is asked: closer to where narrowing ended.
      box = box_of(coarse, path.back().box);
    }
    double target = options_.within;
    std::optional<PlaceBox> best;
    constexpr std::uint64_t rounds = 10;
    int reached = 0;
    for (std::uint64_t round = 1; round <= rounds && reached < 3; ++round) {
      const PlaceBox around = places_.surroundings(box);
      const WindowSampler::Drawn drawn = sampler_.draw(around, options_.samples, round);
      const MarkedSample marked(drawn.places, drawn.in, places_.faces(around));
      BoxSearch search = search_of(marked, target);
      if (best) search.kicks /= 4;  // what is sought is near
      std::vector<FaceBox> from = {faces_of(marked, box)};
      if (!best) {
        const std::vector<Narrowing> here = narrowed(marked, search_of(marked, 1));
        from.push_back(here.back().box);
        for (const FaceBox& start : starts(here, target)) from.push_back(start);
        if (!found) box = box_of(marked, here.back().box);
      }
      found = largest_box_within(marked, search, from, seed_ + round);
      if (!found) continue;
      box = box_of(marked, *found);
      const Estimate within = sampler_.within(box, 100 + round, options_.level);
      if (within.value >= options_.within) {
        if (!best || box.volume() > best->volume()) best = box;
        ++reached;
      }
      // A box that was chosen by its sample looks better there than it is.
      if (round >= 2)
        target = std::min(1.0, std::max(options_.within, target + 0.7 * (options_.within - within.value)));
    }
    if (best) within_ = sampler_.within(*best, 1000, options_.level);
    // Luck of the sample that chose it: a hair smaller, until a sample of its own says that it holds.
    for (std::uint64_t k = 1; best && k <= 20 && within_.value < options_.within; ++k) {
      for (Index j = 0; j < places_.size(); ++j)
        if (places_.values(j) == 0) {
          const double part = 0.002 * (best->high[j] - best->low[j]);
          if (best->low[j] > 0 && (!centre_ || best->low[j] + part <= (*centre_)[j])) best->low[j] += part;
          if (best->high[j] < 1 && (!centre_ || best->high[j] - part >= (*centre_)[j])) best->high[j] -= part;
        }
      within_ = sampler_.within(*best, 1000 + k, options_.level);
    }
    if (best && within_.value < options_.within) best.reset();
    return best;
  }

  /// What is met just beyond each side.
  void add_binding(const PlaceBox& box, WindowResult& out) const {
    constexpr double beyond = 0.03;
    for (Index k = 0; k < places_.size(); ++k)
      for (const bool upper : {false, true}) {
        WindowBinding one{places_.moving()[std::size_t(k)], upper, ""};
        const int count = places_.values(k);
        if (upper ? box.high[k] >= 1 - 1e-12 : box.low[k] <= 1e-12) {
          one.limit = "the end of its span";
          out.binding.push_back(std::move(one));
          continue;
        }
        PlaceBox slab = box;
        const double width = count > 0 ? 1.0 / count : beyond;
        slab.low[k] = upper ? box.high[k] : std::max(0.0, box.low[k] - width);
        slab.high[k] = upper ? std::min(1.0, box.high[k] + width) : box.low[k];
        const WindowSampler::Drawn drawn =
            sampler_.draw(slab, 4096, 5000 + std::uint64_t(2 * k + (upper ? 1 : 0)));
        Index worst = 0, most = -1;
        for (Index l = 0; l < drawn.margins.cols(); ++l) {
          Index broken = 0;
          for (Index i = 0; i < drawn.margins.rows(); ++i) broken += drawn.margins(i, l) >= 0 ? 0 : 1;
          if (broken > most) most = broken, worst = l;
        }
        if (most > 0) {
          one.limit = sampler_.limit_text(worst);
          out.binding.push_back(std::move(one));
        }
      }
  }

  Window by_hand(PlaceBox box) const {
    for (const auto& [j, ends] : options_.by_hand) {
      const auto found = std::find(places_.moving().begin(), places_.moving().end(), j);
      const Index k = Index(found - places_.moving().begin());
      if (found == places_.moving().end())
        throw Error("a choice, or what is held, has no ends to be moved", "window --span",
                    "name a number that moves");
      const Parameter& p = places_[k];
      if (!(ends.first < ends.second || (places_.values(k) > 0 && ends.first == ends.second)) ||
          ends.first > p.high || ends.second < p.low)
        throw Error(fmt::format("{} to {} is no part of the span of {}", ends.first, ends.second, p.name),
                    "window --span", fmt::format("give ends between {} and {}", p.low, p.high));
      const int count = places_.values(k);
      if (count == 0) {
        box.low[k] = std::max(0.0, places_.place(k, ends.first));
        box.high[k] = std::min(1.0, places_.place(k, ends.second));
        continue;
      }
      int first = count, last = -1;
      const double hair = 1e-9 * (p.high - p.low);
      for (int i = 0; i < count; ++i)
        if (p.settable(i) >= ends.first - hair && p.settable(i) <= ends.second + hair)
          first = std::min(first, i), last = i;
      if (last < 0)
        throw Error(fmt::format("{} has no value between {} and {}", p.name, ends.first, ends.second),
                    "window --span", "widen it to one that can be set");
      box.low[k] = double(first) / count;
      box.high[k] = double(last + 1) / count;
    }
    Window out = places_.window(box);
    out.within = sampler_.within(box, 2000, options_.level);
    return out;
  }

  const WindowOptions& options_;
  WindowPlaces places_;
  WindowSampler sampler_;
  Seed seed_;
  std::optional<Eigen::VectorXd> centre_;
  Estimate within_;
};

}  // namespace

WindowResult find_window(const Specification& specification, const WindowOptions& options, Seed seed) {
  const Space& space = specification.predictor().problem().space;
  Eigen::VectorXd base = options.centre.value_or(space.nominal());
  for (Index j = 0; j < space.size() && !options.hold.empty(); ++j)
    if (options.hold[std::size_t(j)]) base[j] = *options.hold[std::size_t(j)];
  return Finder(specification, options, seed, base).result();
}

}  // namespace renth
