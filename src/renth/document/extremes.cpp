#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/extremes.hpp>
#include <renth/document/parts.hpp>

namespace renth {

namespace {

Figures figures(const Study& study, const Maximum& m) {
  return {number("value", "value", m.value, 5).known_to(NAN), setting("point", study, m.point)};
}

}  // namespace

Json to_document(const Study& study, const ExtremesResult& r) {
  Rows responses;
  for (const auto& one : r.responses)
    responses.push_back({text("response", "", one.response),
                         group("min", figures(study, one.extremes.smallest)),
                         group("max", figures(study, one.extremes.largest))});
  return {{"responses", json_of(responses)}, {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const ExtremesResult& r) {
  Rows lines;
  for (const auto& one : r.responses)
    for (const bool least : {true, false})
      lines.push_back({text("", "response", with_unit(one.response, response_of(study, one.response).unit)),
                       text("", "which", least ? "least" : "most"),
                       group("", figures(study, least ? one.extremes.smallest : one.extremes.largest))});
  return table_of(lines) + "\n" + notes_of(r.notes);
}

}  // namespace renth
