// A model file whose checksum is made right, so that what is behind it is reached.
#include <fmt/format.h>

#include <boost/crc.hpp>
#include <fuzz.hpp>
#include <renth/predict/model_file.hpp>
#include <renth/predict/predictor.hpp>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
  using namespace renth;
  std::string text(fuzz::text_of(bytes, size));
  if (const std::size_t seal = text.rfind(",\"crc32\":\""); seal != std::string::npos) {
    text.resize(seal);
    boost::crc_32_type crc;
    crc.process_bytes(text.data(), text.size());
    text += fmt::format(",\"crc32\":\"{:08x}\"}}\n", crc.checksum());
  }
  return fuzz::answers([&] {
    const auto model = std::make_shared<const Model>(read_model(text, "f"));
    if (model->problem.space.size() > 50) return;
    const Predictor predictor(model);
    predictor.predict(model->problem.space.nominal().transpose(), 0.95);
    model_text(*model);
  });
}
