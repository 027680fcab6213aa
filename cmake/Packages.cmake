# Debian packages, made by scripts/make-packages.sh: the tool, the library, Python's package, the documents.
set(doc_renth ${CMAKE_INSTALL_DATADIR}/doc/renth-doc)
install(DIRECTORY docs/ DESTINATION ${doc_renth} COMPONENT doc FILES_MATCHING PATTERN "*.md" PATTERN "*.png")
install(DIRECTORY examples DESTINATION ${doc_renth} COMPONENT doc)
install(FILES README.md CHANGELOG.md DESTINATION ${doc_renth} COMPONENT doc)
install(DIRECTORY ${PROJECT_BINARY_DIR}/reference/html ${PROJECT_BINARY_DIR}/reference/examples
        ${PROJECT_BINARY_DIR}/reference/tests DESTINATION ${doc_renth}/reference COMPONENT doc OPTIONAL)

# What every package holds of Debian's rules: its licence and what changed, packed.
find_program(RENTH_GZIP gzip)
set(debian ${PROJECT_BINARY_DIR}/debian)
if(RENTH_GZIP)
  file(MAKE_DIRECTORY ${debian})
  configure_file(cmake/copyright.in ${debian}/copyright @ONLY)
  string(TIMESTAMP today "%a, %d %b %Y %H:%M:%S +0000" UTC)
  file(WRITE ${debian}/changelog "renth (${PROJECT_VERSION}) unstable; urgency=medium\n\n  * What has changed stands in CHANGELOG.md, in \
renth-doc.\n\n -- The authors of Renth <renth@example.org>  ${today}\n")
  execute_process(COMMAND ${RENTH_GZIP} -9 -n -c ${debian}/changelog OUTPUT_FILE ${debian}/changelog.gz)
  foreach(pair tool:renth dev:librenth-dev python:python3-renth doc:renth-doc)
    string(REPLACE ":" ";" pair ${pair})
    list(GET pair 0 component)
    list(GET pair 1 package)
    install(FILES ${debian}/copyright ${debian}/changelog.gz DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/${package}
            COMPONENT ${component})
  endforeach()
endif()

set(CPACK_GENERATOR DEB)
set(CPACK_PACKAGE_NAME renth)
set(CPACK_PACKAGE_VENDOR "The authors of Renth")
set(CPACK_PACKAGE_CONTACT "The authors of Renth <renth@example.org>")
set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
set(CPACK_STRIP_FILES ON)
set(CPACK_COMPONENTS_ALL tool dev doc)
if(RENTH_BUILD_PYTHON)
  list(APPEND CPACK_COMPONENTS_ALL python)
endif()
set(CPACK_COMPONENTS_GROUPING ONE_PER_GROUP)
set(CPACK_DEB_COMPONENT_INSTALL ON)
set(CPACK_DEBIAN_ENABLE_COMPONENT_DEPENDS OFF)
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(CPACK_DEBIAN_PACKAGE_CONTROL_STRICT_PERMISSION ON)
set(CPACK_INSTALL_DEFAULT_DIRECTORY_PERMISSIONS OWNER_READ OWNER_WRITE OWNER_EXECUTE GROUP_READ GROUP_EXECUTE
    WORLD_READ WORLD_EXECUTE)
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_PACKAGE_SECTION science)
set(CPACK_DEBIAN_PACKAGE_PRIORITY optional)

set(CPACK_DEBIAN_TOOL_PACKAGE_NAME renth)
set(CPACK_DEBIAN_TOOL_DESCRIPTION "surrogates of a solver's parameter space, on the command line
 Renth samples a solver's parameter space with space-filling and optimal
 designs, fits surrogates, says how far to trust them, ranks parameters,
 searches for the settings wanted, confirms them on the solver, and looks
 at tolerances and yield.")
set(CPACK_DEBIAN_TOOL_PACKAGE_RECOMMENDS "gnuplot-nox | gnuplot")
set(CPACK_DEBIAN_TOOL_PACKAGE_SUGGESTS "renth-doc, python3-renth")

set(CPACK_DEBIAN_DEV_PACKAGE_NAME librenth-dev)
set(CPACK_DEBIAN_DEV_PACKAGE_SECTION libdevel)
set(CPACK_DEBIAN_DEV_PACKAGE_SHLIBDEPS OFF)
set(CPACK_DEBIAN_DEV_PACKAGE_DEPENDS "libc6-dev, libstdc++-12-dev | libstdc++-dev, libeigen3-dev, libtbb-dev, libopenblas-dev, libnlopt-dev, libnlopt-cxx-dev, nlohmann-json3-dev, libtomlplusplus-dev, libsqlite3-dev, zlib1g-dev, libcsv-dev, libmd-dev, libpcre2-dev")
set(CPACK_DEBIAN_DEV_DESCRIPTION "surrogates of a solver's parameter space, C++ library
 Static libraries and headers of Renth: designs of experiments, surrogates,
 their quality, sensitivity, search and tolerance, for C++20 and CMake.")

set(CPACK_DEBIAN_PYTHON_PACKAGE_NAME python3-renth)
set(CPACK_DEBIAN_PYTHON_PACKAGE_SECTION python)
set(CPACK_DEBIAN_PYTHON_PACKAGE_DEPENDS "python3 (>= 3.11), python3 (<< 3.12), python3-numpy, renth (= ${PROJECT_VERSION})")
set(CPACK_DEBIAN_PYTHON_DESCRIPTION "surrogates of a solver's parameter space, Python package
 Renth's plans, surrogates and studies from Python, with numpy arrays in and
 out, and functions of one's own as solvers.")

set(CPACK_DEBIAN_DOC_PACKAGE_NAME renth-doc)
set(CPACK_DEBIAN_DOC_PACKAGE_SECTION doc)
set(CPACK_DEBIAN_DOC_PACKAGE_ARCHITECTURE all)
set(CPACK_DEBIAN_DOC_PACKAGE_SHLIBDEPS OFF)
set(CPACK_DEBIAN_DOC_PACKAGE_RECOMMENDS "libjs-mathjax")
set(CPACK_DEBIAN_DOC_DESCRIPTION "surrogates of a solver's parameter space, documents
 The guide of Renth, its tutorials and examples, and the reference of its
 C++ library.")
include(CPack)
