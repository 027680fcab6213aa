// The largest box of the unit cube with a share of marked points, by counting bits.
#pragma once
#include <Eigen/Core>
#include <cstdint>
#include <optional>
#include <renth/numeric/random.hpp>
#include <vector>

namespace renth {

/// Points of a part of the unit cube, in or out, and the places where faces of boxes may stand.
class MarkedSample {
 public:
  /// \param points  n × d of the unit cube. \param faces  of each coordinate the places, ascending; a point
  /// on one belongs to what lies above it.
  MarkedSample(const Eigen::MatrixXd& points, const std::vector<char>& in,
               std::vector<std::vector<double>> faces);

  Eigen::Index dimensions() const { return Eigen::Index(faces_.size()); }
  const std::vector<double>& faces(Eigen::Index k) const { return faces_[std::size_t(k)]; }

  struct Count {
    int all = 0, in = 0;
    double share() const { return all > 0 ? double(in) / all : 0; }
  };
  /// \param low, high  numbers of faces, one a coordinate.
  Count count(const std::vector<int>& low, const std::vector<int>& high) const;

 private:
  std::vector<std::vector<double>> faces_;
  std::size_t words_;
  std::vector<std::uint64_t> in_;
  std::vector<std::vector<std::uint64_t>> below_;  // of each coordinate, face after face
};

/// A box by the numbers of its faces.
struct FaceBox {
  std::vector<int> low, high;
};

struct BoxSearch {
  double target = 0.99;
  int least = 100;  ///< points that a share is believed from
  int kicks = 24;
  /// Faces that the box must not come inside of: it holds this place.
  std::optional<FaceBox> holds = {};
};

double volume_of(const MarkedSample& sample, const FaceBox& box);

/// One side after another taken in where that gains most in the share for what it loses of the volume (in
/// logarithms), from all of the sample until all is in or too few points are left.
struct Narrowing {
  FaceBox box;
  int coordinate = -1;
  bool upper = false;
  MarkedSample::Count count;
};
std::vector<Narrowing> narrowed(const MarkedSample& sample, const BoxSearch& search);

/// The largest box that was found in which the share is reached; nothing: none was.
std::optional<FaceBox> largest_box_within(const MarkedSample& sample, const BoxSearch& search,
                                          const std::vector<FaceBox>& from, Seed seed);

}  // namespace renth
