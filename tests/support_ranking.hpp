// What tests of rankings share.
#pragma once
#include <renth/sensitivity/ranking.hpp>
#include <renth/sensitivity/variance_shares.hpp>
#include <stdexcept>
#include <support.hpp>

namespace renth::test {

/// A function of one point as a model.
inline Evaluate each(const std::function<double(const Eigen::VectorXd&)>& f) {
  return [f](Points x) {
    Eigen::MatrixXd out(x.rows(), 1);
    for (Eigen::Index i = 0; i < x.rows(); ++i) out(i, 0) = f(x.row(i).transpose());
    return out;
  };
}

inline const RankedParameter& of(const Ranking& ranking, Eigen::Index parameter) {
  for (const RankedParameter& p : ranking.parameters)
    if (p.parameter == parameter) return p;
  throw std::runtime_error("not ranked");
}

inline double value(const RankedParameter& p, const std::string& key) {
  return measure_of(p, key).value;
}

}  // namespace renth::test
