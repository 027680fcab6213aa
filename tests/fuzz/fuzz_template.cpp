#include <fuzz.hpp>
#include <renth/solver/render.hpp>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
  using namespace renth;
  static const Study study = parse_study(fuzz::study_with("kind = \"manual\"\n"), ".");
  return fuzz::answers([&] {
    const InputTemplate t(std::string(fuzz::text_of(bytes, size)), study.parameter_symbols(), "f");
    t.fill({1.5, 1, 50});
    t.fill({-1e300, 0, 0.1});
  });
}
