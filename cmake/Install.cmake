include(CMakePackageConfigHelpers)
install(TARGETS renth buoy-solver RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
install(TARGETS renth_predict renth_core renth_study renth_flags renth_blas renth_nlopt renth_csv renth_md renth_pcre2 EXPORT renthTargets
        ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR} LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR})
install(DIRECTORY src/renth DESTINATION ${CMAKE_INSTALL_INCLUDEDIR} FILES_MATCHING PATTERN "*.hpp"
        PATTERN "cli" EXCLUDE)
install(EXPORT renthTargets NAMESPACE renth:: DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/renth)
configure_package_config_file(cmake/renthConfig.cmake.in ${CMAKE_CURRENT_BINARY_DIR}/renthConfig.cmake
                              INSTALL_DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/renth)
write_basic_package_version_file(${CMAKE_CURRENT_BINARY_DIR}/renthConfigVersion.cmake
                                 COMPATIBILITY SameMinorVersion)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/renthConfig.cmake
              ${CMAKE_CURRENT_BINARY_DIR}/renthConfigVersion.cmake
        DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/renth)
# Manual pages from the text of --help, and what completes a command line in three shells.
if(NOT RENTH_SANITIZE AND NOT RENTH_SANITIZE_THREAD)
  add_custom_command(OUTPUT ${PROJECT_BINARY_DIR}/man1/renth.1
    COMMAND renth man-pages ${PROJECT_BINARY_DIR}/man1
    DEPENDS renth
    COMMENT "Writing the manual pages"
    VERBATIM)
  add_custom_target(man ALL DEPENDS ${PROJECT_BINARY_DIR}/man1/renth.1)
  install(DIRECTORY ${PROJECT_BINARY_DIR}/man1 DESTINATION ${CMAKE_INSTALL_MANDIR})
endif()
install(FILES completions/renth.bash DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions RENAME renth)
install(FILES completions/_renth DESTINATION ${CMAKE_INSTALL_DATADIR}/zsh/vendor-completions)
install(FILES completions/renth.fish DESTINATION ${CMAKE_INSTALL_DATADIR}/fish/vendor_completions.d)
