// Surrogates whose answers are known.
#pragma once
#include <renth/surrogate/surrogate.hpp>
#include <utility>

namespace renth::test {

/// y = c + gᵀx at every one of q outputs, times 1, 2, …; its deviations are given.
class Plane final : public Surrogate {
 public:
  Plane(double constant, Eigen::VectorXd slope, double sd = 0, double noise = 0, Eigen::Index outputs = 1)
      : constant_(constant), slope_(std::move(slope)), sd_(sd), noise_(noise), outputs_(outputs) {}
  std::string_view kind() const override { return "plane"; }
  void check(Points points) const override {
    if (points.cols() != slope_.size()) throw Error("wrong number of columns", "points", "");
  }
  Prediction answer(Points points, Want want) const override {
    Prediction out;
    const Eigen::VectorXd y = (points * slope_).array() + constant_;
    out.mean.resize(points.rows(), outputs_);
    for (Eigen::Index q = 0; q < outputs_; ++q) out.mean.col(q) = double(q + 1) * y;
    if (want.variance) {
      out.model_variance.setConstant(points.rows(), outputs_, sd_ * sd_);
      out.noise_variance.setConstant(points.rows(), outputs_, noise_ * noise_);
    }
    out.degrees_of_freedom = std::numeric_limits<double>::infinity();
    return out;
  }
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index) const override {
    return Eigen::MatrixXd::Constant(points.rows(), points.rows(), sd_ * sd_);
  }
  Archive save() const override { return {"plane", 1, "", {}}; }

 private:
  double constant_;
  Eigen::VectorXd slope_;
  double sd_, noise_;
  Eigen::Index outputs_;
};

}  // namespace renth::test
