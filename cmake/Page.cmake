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
# What is compiled for an instruction set renames what it includes: each by itself.
set(alone ${page_sources})
list(FILTER alone INCLUDE REGEX "_baseline[.]cpp$")
list(REMOVE_ITEM page_sources ${alone})
set(batch 0)
set(objects)
while(page_sources OR alone)
  list(LENGTH page_sources left)
  if(left EQUAL 0)
    list(POP_FRONT alone some)
  elseif(left GREATER 8)
    list(SUBLIST page_sources 0 8 some)
    list(SUBLIST page_sources 8 -1 page_sources)
  else()
    set(some ${page_sources})
    set(page_sources)
  endif()
  list(TRANSFORM some REPLACE "(.+)" "#include \"\\1\"")
  list(JOIN some "\n" text)
  file(CONFIGURE OUTPUT ${out}/batch${batch}.cpp CONTENT "${text}\n")
  add_custom_command(
    OUTPUT ${out}/batch${batch}.o
    COMMAND ${CMAKE_COMMAND} -E env NODE_PATH=/usr/share/nodejs ${RENTH_EMCC} -std=c++20 -O3 -msimd128 -DNDEBUG
            -DEIGEN_DONT_PARALLELIZE -DFMT_HEADER_ONLY -DBOOST_MATH_NO_LONG_DOUBLE_MATH_FUNCTIONS -fno-math-errno
            -ffunction-sections -fdata-sections -I${PROJECT_SOURCE_DIR}/src -I${out}/include -MD -MF batch${batch}.d
            -MT web/batch${batch}.o -c ${out}/batch${batch}.cpp -o batch${batch}.o
    DEPENDS ${out}/batch${batch}.cpp
    DEPFILE ${out}/batch${batch}.d
    WORKING_DIRECTORY ${out}
    COMMENT "Compiling the page's core (${batch})"
    VERBATIM)
  list(APPEND objects ${out}/batch${batch}.o)
  math(EXPR batch "${batch} + 1")
endwhile()
set(exported "_malloc,_free")
foreach(name failure load outputs has means predict deviations margins risk spread drift)
  string(APPEND exported ",_renth_${name}")
endforeach()
add_custom_command(
  OUTPUT ${out}/core.js ${out}/core.wasm
  COMMAND ${CMAKE_COMMAND} -E env NODE_PATH=/usr/share/nodejs ${RENTH_EMCC} -O3 -msimd128 ${objects} -sMODULARIZE
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
set(RENTH_PAGE_FILE ${out}/template.html)
add_custom_command(
  OUTPUT ${RENTH_PAGE_FILE}
  COMMAND ${RENTH_NODE} ${web}/assemble.mjs ${out}/core.js ${out}/core.wasm ${out}/dist/page.js ${out}/dist/page.css
          ${web}/page.html ${RENTH_PAGE_FILE}
  DEPENDS ${out}/core.js ${out}/core.wasm ${out}/dist/page.js ${out}/dist/page.css ${web}/page.html ${web}/assemble.mjs
  COMMENT "Putting the page together"
  VERBATIM)
add_custom_target(page DEPENDS ${RENTH_PAGE_FILE})
