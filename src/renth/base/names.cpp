#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/base/text.hpp>

namespace renth {

bool is_identifier(std::string_view name) {
  if (name.empty() || std::isdigit(static_cast<unsigned char>(name[0]))) return false;
  return std::all_of(name.begin(), name.end(), [](unsigned char c) { return std::isalnum(c) || c == '_'; });
}

int edit_distance(std::string_view a, std::string_view b) {
  std::vector<int> row(b.size() + 1);
  for (std::size_t j = 0; j <= b.size(); ++j) row[j] = static_cast<int>(j);
  for (std::size_t i = 1; i <= a.size(); ++i) {
    int diagonal = row[0];
    row[0] = static_cast<int>(i);
    for (std::size_t j = 1; j <= b.size(); ++j) {
      const int above = row[j];
      row[j] = std::min({above + 1, row[j - 1] + 1, diagonal + (a[i - 1] != b[j - 1])});
      diagonal = above;
    }
  }
  return row[b.size()];
}

std::optional<std::string> near_name(std::string_view wanted, const std::vector<std::string>& known) {
  std::optional<std::string> near;
  // A letter or two of a short name are another name.
  int least = std::min(3, 1 + static_cast<int>(wanted.size()) / 2);
  for (const std::string& name : known)
    if (const int edits = edit_distance(name, wanted); edits < least) {
      least = edits;
      near = name;
    }
  return near;
}

std::string listed(const std::vector<std::string>& names) {
  std::string out;
  for (const std::string& name : names) out += (out.empty() ? "" : ", ") + name;
  return out;
}

std::string with_unit(const std::string& title, const std::string& unit) {
  return unit.empty() ? title : title + " [" + unit + "]";
}

std::string listed_runs(const std::vector<std::int64_t>& ids) {
  std::string text = ids.size() == 1 ? "run " : "runs ";
  int told = 0;
  for (std::size_t i = 0; i < ids.size();) {
    std::size_t end = i;
    while (end + 1 < ids.size() && ids[end + 1] == ids[end] + 1) ++end;
    if (++told > 6) return text + fmt::format(" and {} more", ids.size() - i);
    text += fmt::format("{}{}", told > 1 ? ", " : "", ids[i]);
    if (end > i) text += fmt::format("{}{}", end > i + 1 ? "–" : ", ", ids[end]);
    i = end + 1;
  }
  return text;
}

std::string instead_of(std::string_view wanted, const std::vector<std::string>& known) {
  if (const auto near = near_name(wanted, known)) return "did you mean " + *near + "?";
  return known.empty() ? "there are none" : "use one of " + listed(known);
}

void refuse_unknown(std::string_view thing, std::string_view wanted, std::string place,
                    const std::vector<std::string>& known) {
  constexpr std::size_t most = 60;
  throw Error(fmt::format("unknown {} {}", thing, wanted.empty() ? "\"\"" : shortened(wanted, most)),
              std::move(place), instead_of(wanted, known));
}

}  // namespace renth
