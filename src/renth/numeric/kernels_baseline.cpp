#define RENTH_LOOPS_NAME loops_baseline
#define RENTH_LOOPS_LANES 2
#include "kernel_loops.inc"
