#include <renth/numeric/cholesky.hpp>
#include <renth/numeric/cholesky_steps.hpp>
#include <renth/numeric/instruction_set.hpp>

namespace renth {

extern const CholeskySteps cholesky_steps_baseline;
#ifdef __x86_64__
extern const CholeskySteps cholesky_steps_v3, cholesky_steps_v4;
#endif

namespace {

const CholeskySteps& steps() {
#ifdef __x86_64__
  switch (widest_instruction_set()) {
    case InstructionSet::x86_64_v4:
      return cholesky_steps_v4;
    case InstructionSet::x86_64_v3:
      return cholesky_steps_v3;
    default:
      break;
  }
#endif
  return cholesky_steps_baseline;
}

}  // namespace

bool cholesky_in_place(Eigen::MatrixXd& a) {
  return steps().factor(a.data(), a.rows());
}
void solve_lower(const Eigen::MatrixXd& l, Eigen::Ref<Eigen::MatrixXd, 0, Eigen::OuterStride<>> b) {
  steps().solve_lower(l.data(), l.rows(), b.data(), b.cols(), b.outerStride());
}
void solve_lower_transposed(const Eigen::MatrixXd& l,
                            Eigen::Ref<Eigen::MatrixXd, 0, Eigen::OuterStride<>> b) {
  steps().solve_transposed(l.data(), l.rows(), b.data(), b.cols(), b.outerStride());
}

}  // namespace renth
