#include <fuzz.hpp>
#include <renth/study/study.hpp>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
  using namespace renth;
  return fuzz::answers([&] {
    const Study study = parse_study(fuzz::text_of(bytes, size), "/nowhere");
    study.space.allows(study.space.nominal());
    for (const Response& r : study.responses) study.outputs(r);
  });
}
