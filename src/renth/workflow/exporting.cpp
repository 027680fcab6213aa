// Runs as CSV that import reads back bit for bit.
#include <fmt/format.h>

#include <cmath>
#include <map>
#include <renth/base/names.hpp>
#include <renth/workflow/import_rows.hpp>
#include <renth/workflow/importing.hpp>

namespace renth {
namespace {

std::string text_of(const Value& value) {
  if (const auto* number = std::get_if<double>(&value)) return fmt::format("{}", *number);
  return csv_cell(std::get<std::string>(value));
}

}  // namespace

std::string export_runs(const Study& study, const std::vector<Run>& runs) {
  std::string out = "id,batch,use,origin,block,status";
  for (const std::string& name : study.order) out += ',' + name;
  for (const Response& r : study.responses) {
    if (r.derive) continue;
    const Axis* axis = study.axis_of(r);
    if (!axis)
      out += ',' + r.name;
    else
      for (const double point : axis->points) out += ',' + axis_column(r, point);
  }
  out += ",set_aside,responses_set_aside,message,seconds\n";
  for (const Run& run : runs) {
    out += fmt::format("{},{},{},{},{},{}", run.id, csv_cell(run.batch), run.use, run.origin, run.block,
                       name(run.status));
    for (const std::string& key : study.order) {
      const auto found = run.settings.find(key);
      out += ',' + (found == run.settings.end() ? "" : text_of(found->second));
    }
    for (const Response& r : study.responses) {
      if (r.derive) continue;
      const auto found = run.responses.find(r.name);
      const std::vector<double> y =
          found == run.responses.end()
              ? std::vector<double>(r.axis < 0 ? 1 : study.axes[r.axis].points.size(), NAN)
              : on_axis(study, r, found->second);
      for (const double v : y) out += std::isfinite(v) ? fmt::format(",{}", v) : ",";
    }
    out += ',' + (run.set_aside ? csv_cell(*run.set_aside) : "");
    out +=
        ',' + (run.response_set_aside.empty() ? "" : csv_cell(nlohmann::json(run.response_set_aside).dump()));
    out += ',' + csv_cell(run.message) + fmt::format(",{}\n", run.seconds);
  }
  return out;
}

std::vector<SheetToWrite> sheets_of_runs(const Study& study, const std::vector<Run>& runs) {
  std::map<std::string, std::vector<Run>> by_use;
  for (const Run& run : runs) by_use[run.use].push_back(run);
  std::map<std::string, std::string> units;
  for (const Parameter& p : study.space.parameters()) units[p.name] = p.unit;
  for (const FixedParameter& f : study.fixed) units[f.name] = f.unit;
  for (const Response& r : study.responses)
    if (!r.is_curve()) units[r.name] = r.unit;
  std::vector<SheetToWrite> out;
  for (const char* use : {"fit", "check", "confirm"}) {
    const auto found = by_use.find(use);
    if (found == by_use.end()) continue;
    const TableFile table = parse_table(export_runs(study, found->second), "runs");
    SheetToWrite sheet{use, {}, {}};
    for (const std::string& name : table.header) sheet.header.push_back(with_unit(name, units[name]));
    for (const TableFile::Row& row : table.rows) {
      sheet.rows.emplace_back();
      for (const std::string& cell : row.cells) {
        if (const auto number = cell_number(cell))
          sheet.rows.back().push_back(*number);
        else if (cell.empty())
          sheet.rows.back().push_back(std::monostate{});
        else
          sheet.rows.back().push_back(cell);
      }
    }
    out.push_back(std::move(sheet));
  }
  return out;
}

}  // namespace renth
