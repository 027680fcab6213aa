#include <zlib.h>

#include <new>
#include <renth/numeric/base64.hpp>
#include <renth/report/packed.hpp>

namespace renth {

std::string packed(const std::string& text) {
  z_stream stream{};
  constexpr int gzip = 16 + MAX_WBITS, memory = 9;
  if (deflateInit2(&stream, Z_BEST_COMPRESSION, Z_DEFLATED, gzip, memory, Z_DEFAULT_STRATEGY) != Z_OK)
    throw std::bad_alloc();
  std::string out(deflateBound(&stream, uLong(text.size())), '\0');
  stream.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(text.data()));
  stream.avail_in = uInt(text.size());
  stream.next_out = reinterpret_cast<Bytef*>(out.data());
  stream.avail_out = uInt(out.size());
  deflate(&stream, Z_FINISH);
  out.resize(stream.total_out);
  deflateEnd(&stream);
  return to_base64(out);
}

}  // namespace renth
