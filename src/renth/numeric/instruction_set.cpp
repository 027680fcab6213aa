#include <renth/numeric/instruction_set.hpp>

namespace renth {

InstructionSet widest_instruction_set() {
#ifdef __x86_64__
  static const InstructionSet widest =
      __builtin_cpu_supports("avx512f") && __builtin_cpu_supports("avx512dq") &&
              __builtin_cpu_supports("avx512vl") && __builtin_cpu_supports("avx512bw")
          ? InstructionSet::x86_64_v4
      : __builtin_cpu_supports("avx2") && __builtin_cpu_supports("fma") && __builtin_cpu_supports("bmi2")
          ? InstructionSet::x86_64_v3
          : InstructionSet::baseline;
  return widest;
#else
  return InstructionSet::baseline;
#endif
}

}  // namespace renth
