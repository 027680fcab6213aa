#include <fmt/format.h>

#include <algorithm>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/table/table_file.hpp>
#include <renth/workflow/tolerancing.hpp>

namespace renth {
namespace {

double number_in(const std::string& text, const std::string& place) {
  const auto value = cell_number(text);
  if (!value) throw Error(text + " is no number", place, "write normal:0.05 or normal:2%");
  return *value;
}

std::vector<double> shares_in(const Parameter& p, const std::string& text, const std::string& place) {
  const std::vector<std::string> names = shared_names(p);
  std::vector<double> out(names.size(), 0);
  for (std::size_t begin = 0; begin < text.size();) {
    const std::size_t end = std::min(text.find(',', begin), text.size());
    const std::string item = text.substr(begin, end - begin);
    const std::size_t equals = item.find('=');
    if (equals == std::string::npos)
      throw Error("\"" + item + "\" is no share", place, "write steel=0.9,composite=0.1");
    const auto found = std::find(names.begin(), names.end(), item.substr(0, equals));
    if (found == names.end()) refuse_unknown("level or choice", item.substr(0, equals), place, names);
    out[std::size_t(found - names.begin())] = number_in(item.substr(equals + 1), place);
    begin = end + 1;
  }
  return out;
}

}  // namespace

Scatter scatter_typed(const Parameter& parameter, const std::string& text, const std::string& place) {
  using Shape = Scatter::Shape;
  Parameter p = parameter;
  const double price = p.scatter.tighten_cost;
  p.scatter = {};
  p.scatter.tighten_cost = price;
  if (text == scatter_words(Shape::none)) return p.scatter;
  if (text.find('=') != std::string::npos) {
    p.scatter.shape = Shape::shares;
    p.scatter.values = shares_in(p, text, place);
  } else {
    const std::size_t colon = text.find(':');
    const std::string word = text.substr(0, colon),
                      size = colon == std::string::npos ? "" : text.substr(colon + 1);
    if (!scatter_words.has(word) || word == scatter_words(Shape::shares) || size.empty())
      throw Error(
          "\"" + text + "\" is no scatter", place,
          "write normal:0.05, normal:2%, uniform:…, triangular:…, lognormal:5%, measured:FILE, none, or "
          "shares such as steel=0.9,composite=0.1");
    p.scatter.shape = scatter_words.value(word, place);
    if (p.scatter.shape == Shape::measured) {
      p.scatter.values = read_one_column(size);
    } else {
      p.scatter.relative = size.back() == '%';
      p.scatter.size = number_in(p.scatter.relative ? size.substr(0, size.size() - 1) : size, place) /
                       (p.scatter.relative ? 100 : 1);
    }
  }
  check_scatter(p, place);
  return p.scatter;
}

}  // namespace renth
