// The first byte chooses the kind, the second its version, the rest are its bytes.
#include <fuzz.hpp>
#include <kinds.hpp>
#include <renth/surrogate/kinds.hpp>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
  using namespace renth;
  if (size < 2) return 0;
  const Archive archive{fuzz::kinds[bytes[0] % fuzz::kind_count],
                        bytes[1] % 4,
                        std::string(fuzz::text_of(bytes + 2, size - 2)),
                        {}};
  return fuzz::answers([&] { load_surrogate(archive)->save(); });
}
