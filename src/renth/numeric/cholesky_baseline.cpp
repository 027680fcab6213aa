#define Eigen Eigen_baseline
#define RENTH_STEPS_NAME cholesky_steps_baseline
#include "cholesky_steps.inc"
