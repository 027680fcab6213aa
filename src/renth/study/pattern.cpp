#define PCRE2_CODE_UNIT_WIDTH 8
#include <fmt/format.h>
#include <pcre2.h>

#include <renth/base/error.hpp>
#include <renth/study/pattern.hpp>

namespace renth {
namespace {

PCRE2_SPTR bytes(std::string_view text) {
  return reinterpret_cast<PCRE2_SPTR>(text.data());
}

}  // namespace

struct Pattern::Code {
  struct Free {
    void operator()(pcre2_code* x) const { pcre2_code_free(x); }
    void operator()(pcre2_match_context* x) const { pcre2_match_context_free(x); }
    void operator()(pcre2_match_data* x) const { pcre2_match_data_free(x); }
  };
  std::unique_ptr<pcre2_code, Free> code;
  std::unique_ptr<pcre2_match_context, Free> limits;
};

Pattern::Pattern(const std::string& text) {
  constexpr std::size_t longest = 10'000;
  if (text.size() > longest)
    throw Error(fmt::format("has {} characters, more than {}", text.size(), longest), "", "write it shorter");
  int why = 0;
  PCRE2_SIZE at = 0;
  auto code = std::make_shared<Code>();
  code->code.reset(pcre2_compile(bytes(text), text.size(), 0, &why, &at, nullptr));
  if (!code->code) {
    PCRE2_UCHAR words[256] = {};
    pcre2_get_error_message(why, words, sizeof words);
    throw Error("is not a regular expression: " + std::string(reinterpret_cast<const char*>(words)),
                fmt::format("character {}", at + 1), "check its brackets");
  }
  code->limits.reset(pcre2_match_context_create(nullptr));
  pcre2_set_match_limit(code->limits.get(), 3'000'000);  // some tenths of a second
  std::uint32_t groups = 0;
  pcre2_pattern_info(code->code.get(), PCRE2_INFO_CAPTURECOUNT, &groups);
  groups_ = static_cast<int>(groups);
  code_ = std::move(code);
}

void Pattern::each_match(std::string_view line,
                         const std::function<void(const std::vector<std::string_view>&)>& found) const {
  const std::unique_ptr<pcre2_match_data, Code::Free> match(
      pcre2_match_data_create_from_pattern(code_->code.get(), nullptr));
  std::vector<std::string_view> groups;
  for (std::size_t from = 0; from <= line.size();) {
    // An empty match is not found again where it ended.
    const int result = pcre2_match(code_->code.get(), bytes(line), line.size(), from, PCRE2_NOTEMPTY,
                                   match.get(), code_->limits.get());
    if (result == PCRE2_ERROR_NOMATCH) return;
    if (result < 0)
      throw Error(
          "matching the pattern takes too long or too much memory", "",
          "write it so that it can match in one way only: no ( )* within ( )*, no .* where a word will do");
    const PCRE2_SIZE* ends = pcre2_get_ovector_pointer(match.get());
    groups.clear();
    for (int g = 1; g <= groups_; ++g) {
      const PCRE2_SIZE begin = g < result ? ends[2 * g] : PCRE2_UNSET;
      groups.push_back(begin == PCRE2_UNSET ? std::string_view()
                                            : line.substr(begin, ends[2 * g + 1] - begin));
    }
    found(groups);
    from = std::max<std::size_t>(ends[1], from + 1);
  }
}

}  // namespace renth
