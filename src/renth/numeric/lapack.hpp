// The routines of LAPACK and BLAS that are called, as Fortran has them: no header of theirs is needed.
#pragma once

extern "C" {
/// M⁻¹ from its Cholesky factor.
void dpotri_(const char* uplo, const int* n, double* a, const int* lda, int* info, long uplo_length);
/// QR in blocks of nb columns.
void dgeqrt_(const int* m, const int* n, const int* nb, double* a, const int* lda, double* t, const int* ldt,
             double* work, int* info);
/// Singular values by divide and conquer.
void dgesdd_(const char* jobz, const int* m, const int* n, double* a, const int* lda, double* s, double* u,
             const int* ldu, double* vt, const int* ldvt, double* work, const int* lwork, int* iwork,
             int* info, long jobz_length);
/// Eigenvalues and vectors of a symmetric matrix.
void dsyev_(const char* jobz, const char* uplo, const int* n, double* a, const int* lda, double* w,
            double* work, const int* lwork, int* info, long jobz_length, long uplo_length);
/// B ← B·A⁻¹ and the like of a triangular A.
void dtrsm_(const char* side, const char* uplo, const char* trans, const char* diag, const int* m,
            const int* n, const double* alpha, const double* a, const int* lda, double* b, const int* ldb,
            long, long, long, long);
}
