#include <renth/export/c_source.hpp>
#include <renth/export/fmu.hpp>

// The bytes of two files beside this one, as the page's template is.
#define RENTH_EMBED(name, file)                   \
  asm(".section .rodata\n"                        \
      ".global renth_" name "_begin\nrenth_" name \
      "_begin:\n"                                 \
      ".incbin \"" RENTH_EXPORT_FOLDER "/" file   \
      "\"\n"                                      \
      ".global renth_" name "_end\nrenth_" name   \
      "_end:\n"                                   \
      ".byte 0\n"                                 \
      ".previous\n")
RENTH_EMBED("evaluate", "evaluate.c");
RENTH_EMBED("fmi2", "fmi2.c");
extern "C" const char renth_evaluate_begin[], renth_evaluate_end[], renth_fmi2_begin[], renth_fmi2_end[];

namespace renth {

std::string_view evaluate_source() {
  return {renth_evaluate_begin, std::size_t(renth_evaluate_end - renth_evaluate_begin)};
}

std::string_view fmi2_source() {
  return {renth_fmi2_begin, std::size_t(renth_fmi2_end - renth_fmi2_begin)};
}

}  // namespace renth
