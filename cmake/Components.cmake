# The components of the package, and what each asks for besides those before it. Read by the build and by
# find_package(renth COMPONENTS …).
set(renth_components predict core study)
set(renth_predict_needs "Eigen3 3.4")                                  # arrays
set(renth_core_needs "TBB")                                            # parallel loops
set(renth_study_needs "nlohmann_json" "tomlplusplus" "SQLite3" "ZLIB") # JSON; study.toml; study.db; what a page carries
