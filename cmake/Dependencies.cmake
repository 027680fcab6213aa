# Every dependency of the project, each for one purpose. All are Debian 12 packages
# (scripts/packages.txt). What who uses the library needs too is in Components.cmake.
include(${CMAKE_CURRENT_LIST_DIR}/Components.cmake)
foreach(component ${renth_components})
  foreach(package ${renth_${component}_needs})
    separate_arguments(package)
    find_package(${package} REQUIRED)
  endforeach()
  if(RENTH_PREDICT_ONLY)
    break()
  endif()
endforeach()
find_package(Boost 1.74 REQUIRED)          # Boost.Math distributions, Boost.Random Sobol' numbers
find_package(fmt REQUIRED)                 # text; its headers
find_package(nlohmann_json REQUIRED)       # JSON
if(RENTH_PREDICT_ONLY)
  return()  # predicting needs no more
endif()
find_package(CLI11 REQUIRED)               # command line
find_package(PkgConfig REQUIRED)
pkg_check_modules(NLOPT REQUIRED IMPORTED_TARGET GLOBAL nlopt)        # local optimisers
pkg_check_modules(NLOPT_CXX REQUIRED IMPORTED_TARGET GLOBAL nlopt_cxx)
pkg_check_modules(OPENBLAS REQUIRED IMPORTED_TARGET GLOBAL openblas)  # BLAS and LAPACK
pkg_check_modules(PCRE2 REQUIRED IMPORTED_TARGET GLOBAL libpcre2-8)   # patterns in what solvers print
find_library(CSV_LIBRARY NAMES csv REQUIRED)                          # comma-separated tables
find_library(MD_LIBRARY NAMES md REQUIRED)                            # SHA-256 of inputs, for the journal

foreach(name renth_blas renth_nlopt renth_csv renth_md renth_pcre2)
  if(NOT TARGET ${name})
    add_library(${name} INTERFACE)
  endif()
endforeach()
# Four routines are called of a library whose loading binds twelve thousand symbols: two thirds of what starting
# the tool takes. So what is built here links them in; who uses the installed libraries links as they like.
get_filename_component(openblas_folder "${pkgcfg_lib_OPENBLAS_openblas}" DIRECTORY)
find_library(OPENBLAS_STATIC NAMES libopenblas.a HINTS ${openblas_folder} ${OPENBLAS_LIBRARY_DIRS})
find_library(GFORTRAN_LIBRARY NAMES libgfortran.so.5)
if(OPENBLAS_STATIC AND GFORTRAN_LIBRARY)
  target_link_libraries(renth_blas INTERFACE "$<BUILD_INTERFACE:${OPENBLAS_STATIC};${GFORTRAN_LIBRARY}>"
                                             "$<INSTALL_INTERFACE:openblas>")
else()
  target_link_libraries(renth_blas INTERFACE openblas)
endif()
target_link_libraries(renth_nlopt INTERFACE nlopt nlopt_cxx)
target_link_libraries(renth_csv INTERFACE csv)
target_link_libraries(renth_md INTERFACE md)
target_link_libraries(renth_pcre2 INTERFACE pcre2-8)
target_include_directories(renth_blas INTERFACE ${OPENBLAS_INCLUDE_DIRS})
