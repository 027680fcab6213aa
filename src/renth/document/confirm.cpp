#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/confirm.hpp>
#include <renth/document/parts.hpp>

namespace renth {

Json to_document(const Study& study, const ConfirmResult& r) {
  Json proposals = Json::array();
  for (const auto& p : r.proposals) {
    Json responses = Json::object();
    for (const auto& one : p.responses)
      responses[one.response] = {
          {"predicted", json_number(one.predicted)},
          {"prediction", json_interval(one.low, one.high)},
          {"computed", one.computed ? json_number(*one.computed) : Json(nullptr)},
          {"error_percent", one.error_percent ? json_number(*one.error_percent) : Json(nullptr)},
          {"inside", one.inside ? Json(*one.inside) : Json(nullptr)}};
    proposals.push_back({{"rank", p.rank},
                         {"run", p.run},
                         {"status", p.status},
                         {"point", json_point(study, p.point)},
                         {"responses", responses}});
  }
  return {{"proposals", proposals}, {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const ConfirmResult& r) {
  std::string out;
  for (const auto& p : r.proposals) {
    out += fmt::format("proposal {}, run {} ({}) at {}\n", p.rank, p.run, p.status,
                       describe(study.space, p.point));
    if (!p.message.empty()) out += "  " + p.message + "\n";
    TextTable table({"response", "predicted", "computed", "error [%]", "95 % of a run", "inside"});
    for (const auto& one : p.responses)
      table.text(with_unit(one.response, response_of(study, one.response).unit))
          .text(pretty(one.predicted))
          .text(one.computed ? pretty(*one.computed) : "not yet")
          .number(one.error_percent.value_or(NAN), 2)
          .text(interval(one.low, one.high))
          .text(one.inside ? (*one.inside ? "yes" : "NO") : "–")
          .end_row();
    out += table.str() + "\n";
  }
  out += notes_of(r.notes);
  if (r.missed)
    out +=
        "Some results lie outside their intervals: the surrogate is too sure of itself there. next: renth "
        "fit --take confirm, then renth trust\n";
  return out;
}

}  // namespace renth
