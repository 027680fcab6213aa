// Archives of files, a module that the tool loads when it writes one.
#include <zip.h>

#include <renth/table/zip_archive.hpp>

namespace {

constexpr time_t the_same_always = 946684800;  // 2000-01-01

std::string trouble_of(zip_t* archive) {
  const std::string out = zip_strerror(archive);
  zip_discard(archive);
  return out;
}

std::string write(const std::vector<renth::ZipEntry>& entries, std::string& out) {
  zip_error_t error;
  zip_error_init(&error);
  zip_source_t* memory = zip_source_buffer_create(nullptr, 0, 0, &error);
  zip_t* archive = memory ? zip_open_from_source(memory, ZIP_TRUNCATE, &error) : nullptr;
  if (!archive) {
    if (memory) zip_source_free(memory);
    return zip_error_strerror(&error);
  }
  for (const renth::ZipEntry& entry : entries) {
    zip_source_t* source = zip_source_buffer(archive, entry.bytes.data(), entry.bytes.size(), 0);
    const zip_int64_t index = zip_file_add(archive, entry.name.c_str(), source, ZIP_FL_ENC_UTF_8);
    if (index < 0) {
      zip_source_free(source);
      return trouble_of(archive);
    }
    const zip_uint32_t mode = entry.executable ? 0100755 : 0100644;
    zip_file_set_mtime(archive, zip_uint64_t(index), the_same_always, 0);
    zip_file_set_external_attributes(archive, zip_uint64_t(index), 0, ZIP_OPSYS_UNIX, mode << 16);
  }
  zip_source_keep(memory);
  std::string trouble;
  if (zip_close(archive) != 0) {
    trouble = trouble_of(archive);
  } else {
    zip_stat_t stat;
    if (zip_source_stat(memory, &stat) == 0 && zip_source_open(memory) == 0) {
      out.resize(stat.size);
      if (zip_source_read(memory, out.data(), stat.size) != zip_int64_t(stat.size))
        trouble = "not enough memory";
      zip_source_close(memory);
    } else {
      trouble = "not enough memory";
    }
  }
  zip_source_free(memory);
  return trouble;
}

}  // namespace

extern "C" const renth::ZipWriter renth_zip;
const renth::ZipWriter renth_zip = write;
