#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/extremes.hpp>
#include <renth/document/parts.hpp>

namespace renth {

Json to_document(const Study& study, const ExtremesResult& r) {
  Json responses = Json::array();
  const auto side = [&](const Maximum& m) {
    return Json{{"value", json_number(m.value)}, {"point", json_point(study, m.point)}};
  };
  for (const auto& one : r.responses)
    responses.push_back({{"response", one.response},
                         {"min", side(one.extremes.smallest)},
                         {"max", side(one.extremes.largest)}});
  return {{"responses", responses}, {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const ExtremesResult& r) {
  std::vector<std::string> header = {"response", "", "value"};
  for (const std::string& h : parameter_headers(study)) header.push_back(h);
  TextTable table(header);
  for (const auto& one : r.responses)
    for (const bool least : {true, false}) {
      const Maximum& m = least ? one.extremes.smallest : one.extremes.largest;
      table.text(with_unit(one.response, response_of(study, one.response).unit))
          .text(least ? "least" : "most")
          .text(pretty(m.value, 5));
      add_point(table, study, m.point);
      table.end_row();
    }
  return table.str() + "\n" + notes_of(r.notes);
}

}  // namespace renth
