# Compiler settings of our own code, never passed on to those who link the library.
add_library(renth_flags INTERFACE)
target_compile_options(renth_flags INTERFACE -Wall -Wextra -Wpedantic -Wshadow -Wnon-virtual-dtor
                                             -Wno-missing-field-initializers
                                             # false alarms of GCC 12 on std::string
                                             -Wno-restrict -Wno-maybe-uninitialized -Wno-array-bounds -Wno-stringop-overflow -Wno-stringop-overread)
# Of the formatting library the headers: base/format.cpp compiles the rest.
get_target_property(fmt_headers fmt::fmt INTERFACE_INCLUDE_DIRECTORIES)
target_include_directories(renth_flags SYSTEM INTERFACE "$<BUILD_INTERFACE:${fmt_headers}>")
if(RENTH_WARNINGS_AS_ERRORS)
  target_compile_options(renth_flags INTERFACE -Werror)
endif()
if(RENTH_SANITIZE)
  # What the address sanitizer sees anyway is left to it: these checks double the time of compiler and tests.
  add_compile_options(-fsanitize=address,undefined -fno-sanitize-recover=undefined -fno-omit-frame-pointer
                      -fno-sanitize=null,alignment,object-size,vptr,pointer-overflow)
  add_link_options(-fsanitize=address,undefined)
endif()
if(RENTH_SANITIZE_THREAD)
  add_compile_options(-fsanitize=thread)
  add_link_options(-fsanitize=thread)
endif()
if(RENTH_BUILD_FUZZ)
  add_compile_options(-fsanitize=fuzzer-no-link,address,undefined -fno-sanitize-recover=undefined
                      -fno-sanitize=vptr,function -Wno-unknown-warning-option)
  add_link_options(-fsanitize=address,undefined)
endif()
if(RENTH_COVERAGE)
  add_compile_options(--coverage)
  add_link_options(--coverage)
endif()
