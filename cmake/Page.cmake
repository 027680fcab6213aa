# The live page: renth::predict as WebAssembly by emscripten, the TypeScript by Vite, both put into one template
# that the study's data is written into. Sets RENTH_PAGE_FILE.
find_program(RENTH_EMCC em++)
find_program(RENTH_NPM npm)
find_program(RENTH_NODE node)
set(web ${PROJECT_SOURCE_DIR}/web)
set(out ${PROJECT_BINARY_DIR}/web)
file(MAKE_DIRECTORY ${out}/include)
foreach(package eigen3/Eigen boost fmt nlohmann)  # nothing else of /usr/include is for that compiler
  get_filename_component(name ${package} NAME)
  file(CREATE_LINK /usr/include/${package} ${out}/include/${name} SYMBOLIC)
endforeach()

renth_rooms(page_sources base numeric space terms expression problem surrogate predict)
list(FILTER page_sources EXCLUDE REGEX
     "numeric/(cholesky_inverse|descend|parallel|singular_values|symmetric_eigen|tall_qr)[.]cpp$|x86_64")
list(TRANSFORM page_sources PREPEND ${PROJECT_SOURCE_DIR}/)
list(APPEND page_sources ${web}/core/page_core.cpp)
list(SORT page_sources)
list(FILTER page_sources EXCLUDE REGEX "dense_templates[.]cpp$")
# What is compiled for an instruction set renames what it includes: each by itself. The rest in a few units, those
# with long loops fully optimised.
set(page_alone ${page_sources})
list(FILTER page_alone INCLUDE REGEX "_baseline[.]cpp$")
list(REMOVE_ITEM page_sources ${page_alone})
foreach(pattern ${hot_files})
  set(some ${page_sources})
  list(FILTER some INCLUDE REGEX "${pattern}")
  list(APPEND page_hot ${some})
endforeach()
list(REMOVE_DUPLICATES page_hot)
list(REMOVE_ITEM page_sources ${page_hot})
set(objects)
function(renth_page_unit name level)
  list(TRANSFORM ARGN REPLACE "(.+)" "#include \"\\1\"")
  list(JOIN ARGN "\n" text)
  file(CONFIGURE OUTPUT ${out}/${name}.cpp CONTENT "${text}\n")
  add_custom_command(
    OUTPUT ${out}/${name}.o
    COMMAND ${CMAKE_COMMAND} -E env NODE_PATH=/usr/share/nodejs ${RENTH_EMCC} -std=c++20 ${level} -msimd128 -DNDEBUG
            -DEIGEN_DONT_PARALLELIZE -DFMT_HEADER_ONLY -DBOOST_MATH_NO_LONG_DOUBLE_MATH_FUNCTIONS -fno-math-errno
            -ffunction-sections -fdata-sections -I${PROJECT_SOURCE_DIR}/src -I${out}/include -MD -MF ${name}.d
            -MT web/${name}.o -c ${out}/${name}.cpp -o ${name}.o
    DEPENDS ${out}/${name}.cpp
    DEPFILE ${out}/${name}.d
    WORKING_DIRECTORY ${out}
    COMMENT "Compiling the page's core (${name})"
    VERBATIM)
  set(objects ${objects} ${out}/${name}.o PARENT_SCOPE)
endfunction()
renth_page_unit(hot -O3 ${page_hot})
renth_page_unit(rest -O1 ${page_sources})
foreach(source ${page_alone})
  get_filename_component(name ${source} NAME_WE)
  renth_page_unit(${name} -O3 ${source})
endforeach()
set(exported "_malloc,_free")
foreach(name failure load outputs has means predict deviations margins risk spread drift)
  string(APPEND exported ",_renth_${name}")
endforeach()
add_custom_command(
  OUTPUT ${out}/core.js ${out}/core.wasm
  COMMAND ${CMAKE_COMMAND} -E env NODE_PATH=/usr/share/nodejs ${RENTH_EMCC} -O2 -msimd128 ${objects} -sMODULARIZE
          -sEXPORT_NAME=Core -sALLOW_MEMORY_GROWTH -sENVIRONMENT=web -sFILESYSTEM=0 -sEXPORTED_FUNCTIONS=${exported}
          -sEXPORTED_RUNTIME_METHODS=UTF8ToString -sDISABLE_EXCEPTION_CATCHING=0 -Wl,--gc-sections -o core.js
  DEPENDS ${objects}
  WORKING_DIRECTORY ${out}
  COMMENT "Linking the page's core"
  VERBATIM)

file(GLOB web_files CONFIGURE_DEPENDS ${web}/src/*.ts ${web}/src/*.tsx ${web}/src/*.css)
add_custom_command(
  OUTPUT ${out}/node_modules/.installed
  COMMAND ${CMAKE_COMMAND} -E copy ${web}/package.json ${web}/package-lock.json ${out}
  COMMAND ${RENTH_NPM} ci --no-audit --no-fund --silent
  COMMAND ${CMAKE_COMMAND} -E touch ${out}/node_modules/.installed
  DEPENDS ${web}/package.json ${web}/package-lock.json
  WORKING_DIRECTORY ${out}
  COMMENT "Fetching the page's packages"
  VERBATIM)
add_custom_command(
  OUTPUT ${out}/dist/page.js ${out}/dist/page.css
  COMMAND ${CMAKE_COMMAND} -E copy ${web}/tsconfig.json ${web}/vite.config.ts ${out}
  COMMAND ${CMAKE_COMMAND} -E rm -rf src
  COMMAND ${CMAKE_COMMAND} -E copy_directory ${web}/src src
  COMMAND ${RENTH_NPM} run --silent build
  DEPENDS ${web_files} ${out}/node_modules/.installed ${web}/tsconfig.json ${web}/vite.config.ts
  WORKING_DIRECTORY ${out}
  COMMENT "Building the page"
  VERBATIM)
set(RENTH_PAGE_FILE ${PROJECT_BINARY_DIR}/renth-page.html)
add_custom_command(
  OUTPUT ${RENTH_PAGE_FILE}
  COMMAND ${RENTH_NODE} ${web}/assemble.mjs ${out}/core.js ${out}/core.wasm ${out}/dist/page.js ${out}/dist/page.css
          ${web}/page.html ${RENTH_PAGE_FILE}
  DEPENDS ${out}/core.js ${out}/core.wasm ${out}/dist/page.js ${out}/dist/page.css ${web}/page.html ${web}/assemble.mjs
  COMMENT "Putting the page together"
  VERBATIM)
add_custom_target(page ALL DEPENDS ${RENTH_PAGE_FILE})
install(FILES ${RENTH_PAGE_FILE} DESTINATION ${CMAKE_INSTALL_LIBDIR}/renth COMPONENT tool)
