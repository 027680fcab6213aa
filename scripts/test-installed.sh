#!/bin/bash
# Installs the build of scripts/test.sh into a scratch folder and builds programs against it: the examples with what
# the core needs, a program that only predicts with what that needs, and one with studies. Use: test-installed.sh [BUILD]
set -euo pipefail
cd "$(dirname "$0")/.."
build=${1:-build/ci}
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
cmake --install "$build" --prefix "$scratch/prefix" >/dev/null
mkdir "$scratch/core" "$scratch/predict" "$scratch/study"
cp examples/*.cpp "$scratch/core/"
cat > "$scratch/core/CMakeLists.txt" <<'CMAKE'
cmake_minimum_required(VERSION 3.25)
project(user LANGUAGES CXX)
find_package(renth REQUIRED COMPONENTS core)
foreach(unwanted nlohmann_json_FOUND tomlplusplus_FOUND SQLite3_FOUND Boost_FOUND)
  if(${unwanted})
    message(FATAL_ERROR "the core asks for ${unwanted}")
  endif()
endforeach()
file(GLOB programs *.cpp)
foreach(program ${programs})
  get_filename_component(name ${program} NAME_WE)
  add_executable(${name} ${program})
  target_link_libraries(${name} PRIVATE renth::core)
endforeach()
CMAKE
cat > "$scratch/predict/CMakeLists.txt" <<'CMAKE'
cmake_minimum_required(VERSION 3.25)
project(user LANGUAGES CXX)
find_package(renth REQUIRED COMPONENTS predict)
if(TBB_FOUND OR Boost_FOUND)
  message(FATAL_ERROR "what predicts asks for more than Eigen")
endif()
add_executable(user user.cpp)
target_link_libraries(user PRIVATE renth::predict)
find_package(renth QUIET COMPONENTS nothing)
if(renth_FOUND)
  message(FATAL_ERROR "an unknown component was found")
endif()
CMAKE
cat > "$scratch/predict/user.cpp" <<'CPP'
#include <cstdio>
#include <fstream>
#include <iterator>
#include <renth/predict/model_file.hpp>
#include <renth/predict/predictor.hpp>
int main(int, char** argv) {
  std::ifstream file(argv[1]);
  const std::string text{std::istreambuf_iterator<char>(file), {}};
  const renth::Predictor predictor(std::make_shared<const renth::Model>(renth::read_model(text, argv[1])));
  const Eigen::MatrixXd at = predictor.problem().space.nominal().transpose();
  std::printf("%.17g\n", predictor.predict(at, 0.95).responses[0].mean(0, 0));
}
CPP
cat > "$scratch/study/CMakeLists.txt" <<'CMAKE'
cmake_minimum_required(VERSION 3.25)
project(user LANGUAGES CXX)
find_package(renth REQUIRED)
add_executable(user user.cpp)
target_link_libraries(user PRIVATE renth::study)
CMAKE
cat > "$scratch/study/user.cpp" <<'CPP'
#include <cstdio>
#include <renth/renth.hpp>
int main(int, char** argv) {
  const renth::ParallelLimit threads;
  renth::Session session(argv[1]);
  const renth::FitResult fit = renth::fit_responses(session, {});
  for (const renth::ModelResult& m : fit.models) std::printf("%s %s\n", m.response.c_str(), m.kind.c_str());
  renth::export_model(session, {}, argv[2], renth::export_form("model").write);
}
CPP
for program in core predict study; do
  cmake -S "$scratch/$program" -B "$scratch/$program/build" -G Ninja -DCMAKE_PREFIX_PATH="$scratch/prefix" >/dev/null
  cmake --build "$scratch/$program/build" | tail -n 1
done
for program in surrogate plan_fit_seek regression refine_loop; do "$scratch/core/build/$program" | tail -n 1; done
"$scratch/prefix/bin/renth" --version
# What is loaded only when it is needed is found where it was installed.
cd "$scratch"
renth=$scratch/prefix/bin/renth
"$renth" init t --demo tank >/dev/null
"$renth" -s t plan >/dev/null
"$renth" -s t run -q >/dev/null
"$renth" -s t runs --export runs.xlsx
study/build/user t model.json
"$renth" -s t export fmu -o t.fmu >/dev/null || [ $? = 1 ]
said=$(predict/build/user model.json)
"$renth" predict --from-model model.json --json | python3 -c '
import json, sys
print("predicts the same" if float(sys.argv[1]) == list(json.load(sys.stdin)["predictions"][0]["responses"].values())[0]["mean"] else sys.exit("it predicts otherwise"))' "$said"
