#define Eigen Eigen_v4
#define RENTH_STEPS_NAME cholesky_steps_v4
#include "cholesky_steps.inc"
