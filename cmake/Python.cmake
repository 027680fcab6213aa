# The Python package: bindings beside the modules that they load, in python/renth of the build, ready to be imported
# from there.
set(python_out ${PROJECT_BINARY_DIR}/python/renth)
pybind11_add_module(renth_python MODULE NO_EXTRAS python/core/core.cpp python/core/space.cpp python/core/plan.cpp
                    python/core/model.cpp python/core/fit.cpp
                    python/core/study.cpp)
set_target_properties(renth_python PROPERTIES OUTPUT_NAME _core LIBRARY_OUTPUT_DIRECTORY ${python_out} UNITY_BUILD OFF)
target_link_libraries(renth_python PRIVATE renth_cli renth_flags)
target_link_options(renth_python PRIVATE -Wl,--exclude-libs,ALL)
file(GLOB python_files CONFIGURE_DEPENDS RELATIVE ${PROJECT_SOURCE_DIR}/python/renth python/renth/*.py
     python/renth/*.pyi python/renth/py.typed)
foreach(file ${python_files})
  add_custom_command(OUTPUT ${python_out}/${file}
    COMMAND ${CMAKE_COMMAND} -E copy ${PROJECT_SOURCE_DIR}/python/renth/${file} ${python_out}/${file}
    DEPENDS python/renth/${file} VERBATIM)
  list(APPEND python_copies ${python_out}/${file})
endforeach()
foreach(module renth_server renth_sheets renth_zip renth_fmu)
  if(TARGET ${module})
    add_custom_command(TARGET renth_python POST_BUILD
      COMMAND ${CMAKE_COMMAND} -E create_symlink $<TARGET_FILE:${module}> ${python_out}/$<TARGET_FILE_NAME:${module}> VERBATIM)
    add_dependencies(renth_python ${module})
  endif()
endforeach()
if(TARGET page)
  add_custom_command(TARGET renth_python POST_BUILD
    COMMAND ${CMAKE_COMMAND} -E create_symlink ${RENTH_PAGE_FILE} ${python_out}/renth-page.html VERBATIM)
  add_dependencies(renth_python page)
endif()
add_custom_target(renth_python_files ALL DEPENDS ${python_copies})
add_dependencies(renth_python renth_python_files)
