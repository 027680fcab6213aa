#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/text.hpp>
#include <renth/solver/collect.hpp>
#include <renth/solver/output_text.hpp>
#include <renth/solver/regular_file.hpp>
#include <renth/study/pattern.hpp>

namespace renth {
namespace {

using Form = OutputSource::Form;
using Take = OutputSource::Take;

/// Values in the order in which they stand in the file; `axis` beside them if the source has one.
struct Series {
  std::vector<double> axis, values;
};

class Collector {
 public:
  Collector(const Study& study, const OutputFiles& files) : study_(study), files_(files) {}

  std::vector<double> read(const Response& r, std::vector<std::string>& remarks) {
    const OutputSource& s = study_.solver.sources.at(r.name);
    const std::filesystem::path file = file_of(s);
    const Axis* axis = r.axis == study_.solver.per ? nullptr : study_.axis_of(r);
    if (!axis) return {number(r, s, file)};
    Series series = curve(r, s, file, axis->points.size());
    if (!series.axis.empty()) return interpolated(r, std::move(series), *axis, file, remarks);
    if (series.values.size() != axis->points.size())
      output_problem(fmt::format("{} has {} values and should have {}", r.name, series.values.size(),
                                 axis->points.size()),
                     file);
    return series.values;
  }

 private:
  /// The output file if there is one; a solver that only prints has none.
  std::filesystem::path file_of(const OutputSource& s) const {
    if (!s.file.empty()) return files_.folder / s.file;
    std::error_code error;
    const auto printed = std::filesystem::file_size(files_.printed, error);
    const bool some = !error && printed > 0;
    return !std::filesystem::exists(files_.output, error) && some && s.form != Form::json ? files_.printed
                                                                                          : files_.output;
  }

  const TableFile& table(const OutputSource& s, const std::filesystem::path& file) {
    return s.form == Form::csv ? texts_.csv(file, s.skip) : texts_.table(file, s.skip);
  }
  static std::optional<std::size_t> find_column(const TableFile& table, const OutputSource& s,
                                                const std::string& name) {
    if (const auto titled = table.column(name)) return titled;
    if (s.form != Form::table || name.find_first_not_of("0123456789") != std::string::npos)
      return std::nullopt;
    const std::size_t n = std::stoul(name);
    return n >= 1 && n <= table.rows.front().cells.size() ? std::optional(n - 1) : std::nullopt;
  }
  std::vector<double> column(const OutputSource& s, const std::string& name,
                             const std::filesystem::path& file) {
    const TableFile& all = table(s, file);
    if (all.rows.empty()) output_problem("the output has a header and no row", file);
    const auto found = find_column(all, s, name);
    if (!found)
      output_problem(fmt::format("the output has no column {} (but {})", name,
                                 all.header.empty()
                                     ? fmt::format("{} columns without titles", all.rows.front().cells.size())
                                     : fmt::format("{}", fmt::join(all.header, ", "))),
                     file);
    std::vector<double> out;
    // Only the row that counts must be a number: solvers write odd first rows.
    for (const auto& row : all.rows) {
      const auto value = cell_number(row.cells[*found]);
      out.push_back(value ? *value : std::numeric_limits<double>::quiet_NaN());
    }
    return out;
  }

  const nlohmann::json& at_pointer(const std::string& pointer, const std::string& name,
                                   const std::filesystem::path& file) {
    const nlohmann::json& document = texts_.json(file);
    const nlohmann::json::json_pointer where(pointer);
    if (!document.contains(where))
      output_problem(
          fmt::format("the output has no {}{}", name, pointer == "/" + name ? "" : " at " + pointer), file);
    return document[where];
  }
  static double json_number(const nlohmann::json& v, const std::string& name,
                            const std::filesystem::path& file) {
    if (!v.is_number()) {
      output_problem(fmt::format("{} is {} and no number", name, shortened(v.dump(), 40)), file);
    }
    const double value = v.get<double>();
    if (!std::isfinite(value)) output_problem(fmt::format("the solver wrote {} for {}", value, name), file);
    return value;
  }
  std::vector<double> json_list(const std::string& pointer, const std::string& name,
                                const std::filesystem::path& file) {
    const nlohmann::json& list = at_pointer(pointer, name, file);
    if (!list.is_array()) output_problem(fmt::format("{} is not a list, and it is a curve", name), file);
    std::vector<double> out;
    for (const auto& v : list) out.push_back(json_number(v, name, file));
    return out;
  }

  Series matches(const Response& r, const OutputSource& s, const std::filesystem::path& file) {
    auto known = patterns_.find(s.what);
    if (known == patterns_.end()) known = patterns_.emplace(s.what, Pattern(s.what)).first;
    Series out;
    const auto take = [&](const std::vector<std::string_view>& groups) {
      if (groups.size() == 2) out.axis.push_back(output_number(groups[0], r.name, file));
      out.values.push_back(output_number(groups.back(), r.name, file));
    };
    std::string_view rest = texts_.text(file);
    while (!rest.empty()) {
      const std::size_t end = std::min(rest.find('\n'), rest.size());
      try {
        known->second.each_match(rest.substr(0, end), take);
      } catch (const Error& e) {
        if (e.kind() == ErrorKind::solver) throw;  // a group holds no number
        output_problem(fmt::format("{}: {}; {}", r.name, e.problem(), e.remedy()), file);
      }
      rest.remove_prefix(std::min(end + 1, rest.size()));
    }
    if (out.values.empty()) output_problem(fmt::format("the pattern of {} does not match", r.name), file);
    return out;
  }

  double number(const Response& r, const OutputSource& s, const std::filesystem::path& file) {
    if (s.form == Form::number) return output_number(texts_.text(file), r.name, file);
    if (s.form == Form::json) {
      const nlohmann::json& v = at_pointer(s.what, r.name, file);
      if (v.is_array())
        output_problem(fmt::format("{} has {} values and should have 1", r.name, v.size()), file);
      return json_number(v, r.name, file);
    }
    const std::vector<double> all =
        s.form == Form::pattern ? matches(r, s, file).values : column(s, s.what, file);
    const double value = taken(r, s, all, file);
    if (!std::isfinite(value)) unreadable(r, s, file);
    return value;
  }

  double taken(const Response& r, const OutputSource& s, const std::vector<double>& all,
               const std::filesystem::path& file) {
    switch (s.take) {
      case Take::first:
        return all.front();
      case Take::max:
      case Take::min:
      case Take::mean:
        if (std::any_of(all.begin(), all.end(), [](double v) { return !std::isfinite(v); }))
          unreadable(r, s, file);
        if (s.take == Take::mean) {
          double sum = 0;
          for (const double v : all) sum += v;
          return sum / static_cast<double>(all.size());
        }
        return s.take == Take::max ? *std::max_element(all.begin(), all.end())
                                   : *std::min_element(all.begin(), all.end());
      case Take::row: {
        const auto n = static_cast<int>(all.size());
        if (std::abs(s.row) > n)
          output_problem(fmt::format("{} is to be row {}, and there are {}", r.name, s.row, n), file);
        return all[static_cast<std::size_t>(s.row > 0 ? s.row - 1 : n + s.row)];
      }
      case Take::at: {
        Series series{column(s, s.at_column, file), all};
        const double value = at(sorted(r, std::move(series), file), s.at_value);
        if (std::isnan(value))
          output_problem(fmt::format("{} is to be where {} is {}, which the table does not reach", r.name,
                                     s.at_column, s.at_value),
                         file);
        return value;
      }
      default:
        return all.back();
    }
  }

  /// Says what stands where a number should.
  [[noreturn]] void unreadable(const Response& r, const OutputSource& s, const std::filesystem::path& file) {
    if (s.form == Form::csv || s.form == Form::table) {
      const TableFile& all = table(s, file);
      const std::size_t c = *find_column(all, s, s.what);
      for (auto row = all.rows.rbegin(); row != all.rows.rend(); ++row)
        if (const auto v = cell_number(row->cells[c]); !v || !std::isfinite(*v))
          output_number(row->cells[c],
                        fmt::format("{} (line {})", r.name, row->line + (s.form == Form::csv ? s.skip : 0)),
                        file);
    }
    output_problem(fmt::format("the solver wrote no finite number for {}", r.name), file);
  }

  Series curve(const Response& r, const OutputSource& s, const std::filesystem::path& file,
               std::size_t length) {
    Series out;
    if (s.form == Form::json) {
      out.values = json_list(s.what, r.name, file);
      if (!s.over.empty()) out.axis = json_list(s.over, r.name + "'s axis", file);
    } else if (s.form == Form::pattern) {
      out = matches(r, s, file);
      if (out.axis.empty() && out.values.size() > length)  // the last of several attempts counts
        out.values.erase(out.values.begin(), out.values.end() - static_cast<std::ptrdiff_t>(length));
    } else if (s.form == Form::csv && s.over.empty() && !find_column(table(s, file), s, s.what)) {
      // name_1, name_2, …: a curve in one row
      for (std::size_t k = 1; k <= length; ++k) {
        const std::string title = fmt::format("{}_{}", s.what, k);
        const auto found = table(s, file).column(title);
        if (!found) output_problem("the output has no column " + title, file);
        if (table(s, file).rows.empty()) output_problem("the output has a header and no row", file);
        out.values.push_back(output_number(table(s, file).rows.back().cells[*found], title, file));
      }
    } else {
      out.values = column(s, s.what, file);
      if (!s.over.empty()) out.axis = column(s, s.over, file);
    }
    for (const double v : out.values)
      if (!std::isfinite(v)) unreadable(r, s, file);
    if (!out.axis.empty() && out.axis.size() != out.values.size())
      output_problem(
          fmt::format("{} has {} values on {} axis values", r.name, out.values.size(), out.axis.size()),
          file);
    return out;
  }

  Series sorted(const Response& r, Series s, const std::filesystem::path& file) const {
    std::vector<std::size_t> order;
    for (std::size_t i = 0; i < s.axis.size(); ++i)
      if (std::isfinite(s.axis[i])) order.push_back(i);
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return s.axis[a] < s.axis[b]; });
    Series out;
    for (const std::size_t i : order) {
      // The same place twice is a repeated attempt: the later counts.
      if (!out.axis.empty() && out.axis.back() == s.axis[i]) {
        out.values.back() = s.values[i];
        continue;
      }
      out.axis.push_back(s.axis[i]);
      out.values.push_back(s.values[i]);
    }
    if (out.axis.empty()) output_problem(r.name + " has no axis values", file);
    return out;
  }

  /// Linear between two places, exact at each, NaN outside (but for rounding).
  static double at(const Series& s, double x) {
    const double slack = 1e-9 * std::max(std::abs(s.axis.front()), std::abs(s.axis.back()));
    if (x < s.axis.front() - slack || x > s.axis.back() + slack)
      return std::numeric_limits<double>::quiet_NaN();
    const auto above = std::lower_bound(s.axis.begin(), s.axis.end(), x);
    if (above == s.axis.end()) return s.values.back();
    const auto k = static_cast<std::size_t>(above - s.axis.begin());
    if (*above == x || k == 0) return s.values[k];
    const double share = (x - s.axis[k - 1]) / (s.axis[k] - s.axis[k - 1]);
    return s.values[k - 1] + share * (s.values[k] - s.values[k - 1]);
  }

  std::vector<double> interpolated(const Response& r, Series series, const Axis& axis,
                                   const std::filesystem::path& file,
                                   std::vector<std::string>& remarks) const {
    const Series s = sorted(r, std::move(series), file);
    std::vector<double> out;
    std::string missing;
    for (const double x : axis.points) {
      out.push_back(at(s, x));
      if (std::isnan(out.back())) missing += fmt::format("{}{}", missing.empty() ? "" : ", ", x);
    }
    if (missing.empty()) return out;
    const std::string reach =
        fmt::format("{} was written from {} {} to {} only", r.name, axis.name, s.axis.front(), s.axis.back());
    if (std::all_of(out.begin(), out.end(), [](double v) { return std::isnan(v); }))
      output_problem(reach, file);
    remarks.push_back(reach + ", and is missing at " + missing);
    return out;
  }

  const Study& study_;
  const OutputFiles& files_;
  OutputTexts texts_;
  std::map<std::string, Pattern> patterns_;
};

std::string tail(const std::filesystem::path& file) {
  const RegularFile in(file);
  constexpr std::uint64_t most = 600;
  const std::uint64_t from = in.size() - std::min(in.size(), most);
  std::string text = in.read(from, most);
  // Not to begin within a character.
  if (from > 0) text.erase(0, std::min(text.size(), text.find_first_of("\n ") + 1));
  while (!text.empty() && std::isspace(static_cast<unsigned char>(text.back()))) text.pop_back();
  // The last three lines, joined.
  std::size_t at = text.size();
  for (int line = 0; line < 3 && at != std::string::npos && at > 0; ++line) at = text.rfind('\n', at - 1);
  if (at != std::string::npos && at < text.size()) text.erase(0, at + (text[at] == '\n'));
  std::replace(text.begin(), text.end(), '\n', '|');
  return without_controls(valid_utf8(text));
}

}  // namespace

Collected collect_outputs(const Study& study, const OutputFiles& files, std::vector<std::string>* problems) {
  Collector collector(study, files);
  Collected out;
  for (const Response& r : study.responses) {
    if (r.derive) continue;
    try {
      out.values[r.name] = collector.read(r, out.remarks);
    } catch (const Error& e) {
      if (!problems) throw;
      problems->push_back(fmt::format("{}: {} ({})", r.name, e.problem(), e.place()));
    }
  }
  return out;
}

std::string last_words(const std::filesystem::path& folder) {
  const std::string text = tail(folder / "stderr");
  return text.empty() ? tail(folder / "stdout") : text;
}

}  // namespace renth
