include(CMakePackageConfigHelpers)
install(TARGETS renth buoy-solver RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR} COMPONENT tool)
install(TARGETS renth_predict renth_flags EXPORT renthPredictTargets ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR} COMPONENT dev)
install(TARGETS renth_core renth_blas renth_nlopt EXPORT renthCoreTargets ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR} COMPONENT dev)
install(TARGETS renth_study renth_csv renth_md renth_pcre2 EXPORT renthStudyTargets
        ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR} COMPONENT dev)
foreach(set Predict Core Study)
  install(EXPORT renth${set}Targets NAMESPACE renth:: DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/renth
          COMPONENT dev)
endforeach()

# Headers: those of the list, and what they include.
set_property(DIRECTORY APPEND PROPERTY CMAKE_CONFIGURE_DEPENDS cmake/public-headers.txt)
set(left renth.hpp)
set(installed)
while(left)
  list(POP_FRONT left header)
  if(header IN_LIST installed)
    continue()
  endif()
  list(APPEND installed ${header})
  file(STRINGS src/renth/${header} lines REGEX "^#include <renth/")
  foreach(line ${lines})
    string(REGEX REPLACE "^#include <renth/([^>]+)>.*" "\\1" other "${line}")
    list(APPEND left ${other})
  endforeach()
endwhile()
foreach(header ${installed})
  get_filename_component(folder ${header} DIRECTORY)
  install(FILES src/renth/${header} DESTINATION ${CMAKE_INSTALL_INCLUDEDIR}/renth/${folder} COMPONENT dev)
endforeach()
configure_package_config_file(cmake/renthConfig.cmake.in ${CMAKE_CURRENT_BINARY_DIR}/renthConfig.cmake
                              INSTALL_DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/renth)
write_basic_package_version_file(${CMAKE_CURRENT_BINARY_DIR}/renthConfigVersion.cmake
                                 COMPATIBILITY SameMinorVersion)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/renthConfig.cmake
              ${CMAKE_CURRENT_BINARY_DIR}/renthConfigVersion.cmake
              cmake/Components.cmake
        DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/renth COMPONENT dev)
# Manual pages from the text of --help, and what completes a command line in three shells.
if(NOT RENTH_SANITIZE AND NOT RENTH_SANITIZE_THREAD)
  add_custom_command(OUTPUT ${PROJECT_BINARY_DIR}/man1/renth.1
    COMMAND renth man-pages ${PROJECT_BINARY_DIR}/man1
    COMMAND ${CMAKE_COMMAND} -E rm -rf ${PROJECT_BINARY_DIR}/man/man1
    COMMAND ${CMAKE_COMMAND} -E copy_directory ${PROJECT_BINARY_DIR}/man1 ${PROJECT_BINARY_DIR}/man/man1
    COMMAND gzip -9nr ${PROJECT_BINARY_DIR}/man/man1
    DEPENDS renth
    COMMENT "Writing the manual pages"
    VERBATIM)
  add_custom_target(man ALL DEPENDS ${PROJECT_BINARY_DIR}/man1/renth.1)
  install(DIRECTORY ${PROJECT_BINARY_DIR}/man/man1 DESTINATION ${CMAKE_INSTALL_MANDIR} COMPONENT tool)
endif()
install(FILES completions/renth.bash DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions RENAME renth
        COMPONENT tool)
install(FILES completions/_renth DESTINATION ${CMAKE_INSTALL_DATADIR}/zsh/vendor-completions COMPONENT tool)
install(FILES completions/renth.fish DESTINATION ${CMAKE_INSTALL_DATADIR}/fish/vendor_completions.d COMPONENT tool)
# Python's package, where Debian's interpreter looks.
if(RENTH_BUILD_PYTHON)
  install(TARGETS renth_python LIBRARY DESTINATION lib/python3/dist-packages/renth COMPONENT python)
  install(DIRECTORY python/renth/ DESTINATION lib/python3/dist-packages/renth COMPONENT python
          FILES_MATCHING PATTERN "*.py" PATTERN "*.pyi" PATTERN "py.typed")
endif()
include(${CMAKE_CURRENT_LIST_DIR}/Packages.cmake)
