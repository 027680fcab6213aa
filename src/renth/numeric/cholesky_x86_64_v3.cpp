#define Eigen Eigen_v3
#define RENTH_STEPS_NAME cholesky_steps_v3
#include "cholesky_steps.inc"
