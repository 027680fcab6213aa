// The values of a parameter that an exchange tries.
#pragma once
#include <Eigen/Core>
#include <renth/plan/exchange.hpp>
#include <renth/space/space.hpp>
#include <renth/terms/term_rows.hpp>
#include <vector>

namespace renth {

/// Values of one parameter that are tried everywhere.
struct Alternatives {
  std::vector<double> coded, natural;
  bool fine = false;  // there are values between them
};

/// All that can be set if they are few; else as many, evenly spread, as its highest power needs.
Alternatives alternatives_of(const Space& space, Eigen::Index parameter,
                             const std::vector<ExchangeModel>& models);

/// Its factors in the terms of a model (|with(j)| × values) at coded values.
Eigen::MatrixXd factors_of(const TermRows& rows, Eigen::Index parameter, const std::vector<double>& coded);

}  // namespace renth
