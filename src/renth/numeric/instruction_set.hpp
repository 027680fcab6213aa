// Which instructions this processor has, asked once: the hot loops are compiled for each.
#pragma once

namespace renth {

/// From the plainest on; what is meant by the last two is in the x86-64 psABI's micro-architecture levels.
enum class InstructionSet { baseline, x86_64_v3, x86_64_v4 };

/// The widest one that both this build and this processor have.
InstructionSet widest_instruction_set();

}  // namespace renth
