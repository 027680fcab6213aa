#include <renth/report/page_template.hpp>

#ifdef RENTH_PAGE_FILE
// The compiler would take minutes over a literal of that size.
asm(".section .rodata\n"
    ".global renth_page_begin\nrenth_page_begin:\n"
    ".incbin \"" RENTH_PAGE_FILE
    "\"\n"
    ".global renth_page_end\nrenth_page_end:\n.byte 0\n"
    ".previous\n");
extern "C" const char renth_page_begin[], renth_page_end[];
#endif

namespace renth {

std::string_view page_template() {
#ifdef RENTH_PAGE_FILE
  return {renth_page_begin, std::size_t(renth_page_end - renth_page_begin)};
#else
  return {};
#endif
}

}  // namespace renth
