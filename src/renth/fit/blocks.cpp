#include <cmath>
#include <limits>
#include <map>
#include <renth/fit/blocks.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/surrogate/along.hpp>
#include <renth/surrogate/blend.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/surrogate/rescaled.hpp>
#include <renth/terms/confounding.hpp>
#include <utility>

namespace renth {
namespace {

using Eigen::Index;

/// What a regression says of the blocks of runs; NaN for those it has not seen.
Eigen::VectorXd effects_of(const Regression& fit, const Data& fitted_to, const Eigen::VectorXi& of) {
  const Eigen::VectorXd beta = fit.beta.segment(fit.first_block, fit.block_columns).cast<double>();
  std::map<int, double> known;
  for (Index r = 0; r < fitted_to.size(); ++r)
    known.emplace(fitted_to.blocks[r],
                  fit.block_of.empty() ? 0 : fit.block_contrasts.row(fit.block_of[std::size_t(r)]).dot(beta));
  Eigen::VectorXd out(of.size());
  for (Index i = 0; i < of.size(); ++i) {
    const auto found = known.find(of[i]);
    out[i] = found == known.end() ? std::numeric_limits<double>::quiet_NaN() : found->second;
  }
  return out;
}

/// Does the data come from more than one block?
bool in_blocks(const Data& data) {
  return data.blocks.size() > 0 && data.blocks.minCoeff() != data.blocks.maxCoeff();
}

}  // namespace

Eigen::MatrixXd block_effects(const Space& space, const Data& data, const Eigen::VectorXi& of) {
  Eigen::MatrixXd out(of.size(), data.outputs.cols());
  for (Index k = 0; k < out.cols(); ++k) {
    const Data part = data.with_output(k);
    const Terms terms = suggested_terms(space, part.inputs, part.blocks);
    out.col(k) = effects_of(regress(space, part, terms, {}, Confounded::leave_out), part, of);
  }
  return out;
}

Data without_block_effects(const Space& space, const Data& data) {
  Data out = data;
  out.blocks.resize(0);
  if (!in_blocks(data)) return out;
  check_data(space, data);
  out.outputs -= block_effects(space, data, data.blocks);
  return out;
}

Eigen::MatrixXd block_means(const Data& data) {
  Eigen::MatrixXd out(data.outputs.rows(), data.outputs.cols());
  const auto block = [&](Index i) { return data.blocks.size() > 0 ? data.blocks[i] : 0; };
  for (Index k = 0; k < out.cols(); ++k) {
    std::map<int, std::pair<long double, int>> sums;
    for (Index i = 0; i < data.size(); ++i)
      if (std::isfinite(data.outputs(i, k))) {
        auto& [sum, count] = sums[block(i)];
        sum += data.outputs(i, k);
        ++count;
      }
    for (Index i = 0; i < data.size(); ++i) {
      const auto& [sum, count] = sums[block(i)];
      out(i, k) = double(sum / count);
    }
  }
  return out;
}

Fit without_blocks(Fit fit) {
  return [fit](const Space& space, const Data& data, Seed seed) -> std::unique_ptr<const Surrogate> {
    return in_blocks(data) ? fit(space, without_block_effects(space, data), seed) : fit(space, data, seed);
  };
}

Eigen::MatrixXd with_block_effects(const Surrogate& surrogate, const Space& space, const Data& fitted_to,
                                   const Data& runs, Eigen::MatrixXd mean) {
  if (runs.blocks.size() == 0 || fitted_to.blocks.size() == 0) return mean;
  if (const auto* rescaled = dynamic_cast<const Rescaled*>(&surrogate))
    return with_block_effects(*rescaled->inner(), space, fitted_to, runs, std::move(mean));
  if (const auto* blend = dynamic_cast<const Blend*>(&surrogate)) {
    mean.setZero();
    for (std::size_t k = 0; k < blend->members().size(); ++k) {
      const Surrogate& member = *blend->members()[k];
      mean += blend->weights()[Index(k)] *
              with_block_effects(member, space, fitted_to, runs, member.predict(runs.inputs).mean);
    }
    return mean;
  }
  if (const auto* along = dynamic_cast<const Along*>(&surrogate)) {
    for (std::size_t k = 0; k < along->size(); ++k)
      mean.col(Index(k)) = with_block_effects(along->member(k), space, fitted_to.with_output(Index(k)), runs,
                                              mean.col(Index(k)));
    return mean;
  }
  if (const auto* polynomial = polynomial_of(surrogate)) {
    const Transform& transform = polynomial->state().transform;
    const Eigen::VectorXd effect = effects_of(regression_of(*polynomial, fitted_to), fitted_to, runs.blocks);
    for (Index i = 0; i < mean.rows(); ++i)
      mean(i, 0) = transform.back(transform.forward(mean(i, 0)) + effect[i]);
    return mean;
  }
  return mean + block_effects(space, fitted_to, runs.blocks);
}

}  // namespace renth
