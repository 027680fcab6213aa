// Where the faces of a window may stand, as places from 0 to 1 on each parameter.
#pragma once
#include <algorithm>
#include <cmath>
#include <renth/search/window.hpp>
#include <set>
#include <vector>

namespace renth {

/// A box in places from 0 to 1: spans even, of what can only be set in steps each value an equal part.
struct PlaceBox {
  Eigen::VectorXd low, high;
  double volume() const { return (high - low).prod(); }
};

/// The parameters whose ends are sought, as places.
class WindowPlaces {
 public:
  WindowPlaces(const Space& space, const WindowOptions& options, const Eigen::VectorXd& base)
      : space_(space), base_(base) {
    for (Eigen::Index j = 0; j < space.size(); ++j)
      if (!space[j].is_choice() && (options.hold.empty() || !options.hold[std::size_t(j)]))
        moving_.push_back(j);
  }
  const std::vector<Eigen::Index>& moving() const { return moving_; }
  Eigen::Index size() const { return Eigen::Index(moving_.size()); }
  const Parameter& operator[](Eigen::Index k) const { return space_[moving_[std::size_t(k)]]; }
  int values(Eigen::Index k) const { return (*this)[k].is_discrete() ? (*this)[k].settable_count() : 0; }

  double natural(Eigen::Index k, double place) const {
    const Parameter& p = (*this)[k];
    const int count = values(k);
    if (count == 0) return p.low + place * (p.high - p.low);
    return p.settable(std::clamp(int(place * count), 0, count - 1));
  }
  /// Where a value lies; of what can only be set in steps the middle of its part.
  double place(Eigen::Index k, double natural) const {
    const Parameter& p = (*this)[k];
    const int count = values(k);
    if (count == 0) return (natural - p.low) / (p.high - p.low);
    int nearest = 0;
    for (int i = 1; i < count; ++i)
      if (std::abs(p.settable(i) - natural) < std::abs(p.settable(nearest) - natural)) nearest = i;
    return (nearest + 0.5) / count;
  }
  Eigen::MatrixXd settings(const Eigen::MatrixXd& places) const {
    Eigen::MatrixXd out = base_.transpose().replicate(places.rows(), 1);
    for (Eigen::Index k = 0; k < size(); ++k)
      for (Eigen::Index i = 0; i < places.rows(); ++i)
        out(i, moving_[std::size_t(k)]) = natural(k, places(i, k));
    return out;
  }
  Window window(const PlaceBox& box) const {
    Window out{base_, base_, box.volume(), {}};
    for (Eigen::Index k = 0; k < size(); ++k) {
      const Eigen::Index j = moving_[std::size_t(k)];
      const int count = values(k);
      out.low[j] =
          count == 0 ? natural(k, box.low[k]) : (*this)[k].settable(int(std::lround(box.low[k] * count)));
      out.high[j] = count == 0 ? natural(k, box.high[k])
                               : (*this)[k].settable(int(std::lround(box.high[k] * count)) - 1);
    }
    return out;
  }
  /// Where faces may stand within a box.
  std::vector<std::vector<double>> faces(const PlaceBox& box) const {
    const int even = size() <= 4 ? 512 : 128;
    std::vector<std::vector<double>> out;
    for (Eigen::Index k = 0; k < size(); ++k) {
      out.emplace_back();
      if (const int count = values(k); count > 0 && count <= even) {
        for (int i = int(std::lround(box.low[k] * count)); i <= int(std::lround(box.high[k] * count)); ++i)
          out.back().push_back(double(i) / count);
      } else if (count > even) {  // not every one of many
        std::set<double> some;
        for (int i = 0; i <= even; ++i)
          some.insert(std::round((box.low[k] + (box.high[k] - box.low[k]) * i / even) * count) / count);
        out.back().assign(some.begin(), some.end());
      } else {
        for (int i = 0; i <= even; ++i)
          out.back().push_back(i == even ? box.high[k] : box.low[k] + (box.high[k] - box.low[k]) * i / even);
      }
    }
    return out;
  }
  /// Widened so that the box is a tenth of it.
  PlaceBox surroundings(const PlaceBox& box) const {
    const double by = 0.5 * (std::pow(10.0, 1.0 / double(std::max<Eigen::Index>(1, size()))) - 1);
    PlaceBox out = box;
    for (Eigen::Index k = 0; k < size(); ++k) {
      const double width = box.high[k] - box.low[k];
      out.low[k] = std::max(0.0, box.low[k] - by * width);
      out.high[k] = std::min(1.0, box.high[k] + by * width);
      if (const int count = values(k); count > 0) {
        out.low[k] = std::floor(out.low[k] * count + 1e-9) / count;
        out.high[k] = std::ceil(out.high[k] * count - 1e-9) / count;
      }
    }
    return out;
  }

 private:
  const Space& space_;
  Eigen::VectorXd base_;
  std::vector<Eigen::Index> moving_;
};

}  // namespace renth
