#include <cmath>
#include <renth/numeric/instruction_set.hpp>
#include <renth/numeric/kernel_loops.hpp>
#include <renth/numeric/kernels.hpp>

namespace renth::kernels {

extern const Loops loops_baseline;
#ifdef __x86_64__
extern const Loops loops_v3, loops_v4;
#endif

namespace {

const Loops& loops() {
#ifdef __x86_64__
  switch (widest_instruction_set()) {
    case InstructionSet::x86_64_v4:
      return loops_v4;
    case InstructionSet::x86_64_v3:
      return loops_v3;
    default:
      break;
  }
#endif
  return loops_baseline;
}

}  // namespace

void correlations(Kernel kernel, const double* point, const double* runs, std::size_t stride,
                  std::size_t features, std::size_t n, double* out) {
  loops().of[int(kernel)].correlations(point, runs, stride, features, n, out);
}

void correlations_and_slopes(Kernel kernel, const double* point, const double* runs, std::size_t stride,
                             std::size_t features, std::size_t n, double* out, double* slope) {
  loops().of[int(kernel)].correlations_and_slopes(point, runs, stride, features, n, out, slope);
}

double slope_factor(Kernel kernel, double difference) {
  if (kernel != Kernel::product52) return 1;
  const double s = std::sqrt(5.0) * std::abs(difference);
  return 5.0 / 3.0 * (1 + s) / (1 + s + s * s / 3);
}

void weighted_sums(Kernel kernel, const double* tiles, std::size_t tile_count, std::size_t features,
                   const double* points, const double* squares, const double* near, std::size_t count,
                   double* out) {
  const Loops::OfKernel& of = loops().of[int(kernel)];
  (squares ? of.sums_by_products : of.sums_by_differences)(tiles, tile_count, features, points, squares, near,
                                                           count, out);
}

void accumulate_gradient(Kernel kernel, const double* point, const double* runs, std::size_t stride,
                         std::size_t features, std::size_t n, const double* alpha, double alpha_j_scaled,
                         const double* inverse, double* slope, double* gradient) {
  loops().of[int(kernel)].accumulate_gradient(point, runs, stride, features, n, alpha, alpha_j_scaled,
                                              inverse, slope, gradient);
}

bool all_finite(const double* v, std::size_t n) {
  return loops().all_finite(v, n);
}

void code(const double* natural, std::size_t n, double low, double high, double per, double* out) {
  loops().code(natural, n, low, high, per, out);
}

void count_boxed(const std::uint64_t* const* high, const std::uint64_t* const* low, std::size_t sides,
                 const std::uint64_t* marked, std::size_t words, std::int64_t* all, std::int64_t* in) {
  loops().count_boxed(high, low, sides, marked, words, all, in);
}

void squared_distances(const double* point, const double* columns, std::size_t stride, std::size_t features,
                       std::size_t n, double* out) {
  loops().squared_distances(point, columns, stride, features, n, out);
}

double bring_nearer(const double* point, const double* columns, std::size_t stride, std::size_t features,
                    std::size_t n, double* room) {
  return loops().bring_nearer(point, columns, stride, features, n, room);
}

void nested_sum(const NestedStep* steps, std::size_t count, const double* columns, std::size_t stride,
                std::size_t n, double* out) {
  loops().nested_sum(steps, count, columns, stride, n, out);
}

}  // namespace renth::kernels
