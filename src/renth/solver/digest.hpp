// SHA-256, so that the journal can say which inputs a call had; `sha256sum` gives the same.
#pragma once
#include <renth/solver/render.hpp>
#include <string>
#include <string_view>
#include <vector>

namespace renth {

/// 64 hexadecimal digits.
std::string sha256(std::string_view bytes);

/// {"case.in": "2cf2…", …} of input files, as JSON.
std::string digest_of(const std::vector<RenderedFile>& files);
/// The same of the input files as they stand in a call's folder.
std::string digest_in(const Study& study, Call call);

}  // namespace renth
