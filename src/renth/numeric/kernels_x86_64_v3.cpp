#define RENTH_LOOPS_NAME loops_v3
#define RENTH_LOOPS_LANES 4
#include "kernel_loops.inc"
