#define RENTH_LOOPS_NAME loops_v4
#define RENTH_LOOPS_LANES 8
#include "kernel_loops.inc"
