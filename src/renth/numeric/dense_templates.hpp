// What Eigen does behind a product or a triangular solve, declared as instantiated elsewhere: once, fully
// optimised, in dense_templates.cpp. Precompiled before every file: of a template that several files make,
// the linker keeps the first, and it must not be a slow one. A file that does not see this makes its own, as
// usual.
#pragma once
#include <Eigen/Core>

#define RENTH_DENSE_TEMPLATES(declared)                                                                \
  RENTH_GEMV(declared, ColMajor, ColMajor, 0)                                                          \
  RENTH_GEMV(declared, ColMajor, RowMajor, 0)                                                          \
  RENTH_GEMV(declared, RowMajor, ColMajor, 0)                                                          \
  RENTH_GEMV(declared, RowMajor, RowMajor, 1)                                                          \
  RENTH_GEMM(declared, ColMajor, ColMajor)                                                             \
  RENTH_GEMM(declared, ColMajor, RowMajor)                                                             \
  RENTH_GEMM(declared, RowMajor, ColMajor)                                                             \
  RENTH_GEMM(declared, RowMajor, RowMajor)                                                             \
  declared struct triangular_solve_vector<double, double, Index, OnTheLeft, Upper, false, ColMajor>;   \
  declared struct triangular_solve_vector<double, double, Index, OnTheLeft, Lower, false, ColMajor>;   \
  declared struct triangular_solve_vector<double, double, Index, OnTheLeft, Upper, false, RowMajor>;   \
  declared struct triangular_solve_vector<double, double, Index, OnTheLeft, Lower, false, RowMajor>;   \
  declared struct gebp_kernel<double, double, Index, blas_data_mapper<double, Index, ColMajor, 0, 1>,  \
                              gebp_traits<double, double>::mr, gebp_traits<double, double>::nr, false, \
                              false>;                                                                  \
  RENTH_PACK(declared, ColMajor)                                                                       \
  RENTH_PACK(declared, RowMajor)
#define RENTH_GEMV(declared, of_matrix, of_vector, version)                                      \
  declared struct general_matrix_vector_product<                                                 \
      Index, double, const_blas_data_mapper<double, Index, of_matrix>, of_matrix, false, double, \
      const_blas_data_mapper<double, Index, of_vector>, false, version>;
#define RENTH_GEMM(declared, left, right)                                                                   \
  declared struct general_matrix_matrix_product<Index, double, left, false, double, right, false, ColMajor, \
                                                1>;
#define RENTH_PACK(declared, order)                                                                        \
  declared struct gemm_pack_lhs<double, Index, const_blas_data_mapper<double, Index, order>,               \
                                gebp_traits<double, double>::mr, gebp_traits<double, double>::LhsProgress, \
                                gebp_traits<double, double>::LhsPacket4Packing, order>;                    \
  declared struct gemm_pack_rhs<double, Index, const_blas_data_mapper<double, Index, order>,               \
                                gebp_traits<double, double>::nr, order>;

namespace Eigen::internal {
RENTH_DENSE_TEMPLATES(extern template)
}  // namespace Eigen::internal
