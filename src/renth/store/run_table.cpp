#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/undefined.hpp>
#include <renth/store/run_table.hpp>
#include <renth/store/stored_text.hpp>
#include <unordered_map>

namespace renth {
namespace {

/// Turns stored settings into points, one run after another. Most runs name the same parameters in the same
/// order, which is looked up once.
class PointReader {
 public:
  explicit PointReader(const Study& study) : study_(study) {}

  /// \param point  d numbers. \param fixed  does every fixed parameter have the value that it has now?
  void read(std::string_view text, std::int64_t id, double* point, bool& fixed) {
    const auto d = std::size_t(study_.space.size());
    given_.assign(d, 0);
    fixed = true;
    std::size_t position = 0;
    const bool plain = for_each_setting(
        text, [&](std::string_view name, double number, std::string_view word, bool is_word) {
          const int target = target_of(name, position++);
          if (target < 0) return;
          if (std::size_t(target) >= d) {
            const Value& now = study_.fixed[std::size_t(target) - d].value;
            const auto* text_now = std::get_if<std::string>(&now);
            fixed = fixed &&
                    (is_word ? text_now && *text_now == word : !text_now && std::get<double>(now) == number);
            return;
          }
          given_[std::size_t(target)] = 1;
          point[target] = value(target, number, word, is_word, id);
        });
    if (!plain) return read_slowly(text, id, point, fixed);
    if (std::find(given_.begin(), given_.end(), 0) != given_.end()) fill_gaps(id, point);
  }

 private:
  int target_of(std::string_view name, std::size_t position) {
    if (position < known_.size() && known_[position].first == name) return known_[position].second;
    int target = -1;
    if (const auto j = study_.space.find(name)) target = int(*j);
    for (std::size_t f = 0; f < study_.fixed.size(); ++f)
      if (study_.fixed[f].name == name) target = int(std::size_t(study_.space.size()) + f);
    known_.resize(position);
    known_.emplace_back(name, target);
    return target;
  }
  double value(int parameter, double number, std::string_view word, bool is_word, std::int64_t id) const {
    if (!is_word && study_.space[parameter].is_between() && std::isfinite(number)) return number;
    return study_.value_of(parameter, is_word ? Value(std::string(word)) : Value(number), place(id));
  }
  void fill_gaps(std::int64_t id, double* point) const {
    Settings none;
    for (std::size_t j = 0; j < given_.size(); ++j)
      if (!given_[j]) point[j] = study_.value_before(Eigen::Index(j), place(id));
  }
  void read_slowly(std::string_view text, std::int64_t id, double* point, bool& fixed) const {
    const Settings settings = settings_from_text(text);
    Eigen::Map<Eigen::VectorXd>(point, study_.space.size()) = study_.point_of_run(settings, place(id));
    fixed = study_.fixed_as_in(settings);
  }
  static std::string place(std::int64_t id) { return fmt::format("run {}", id); }

  const Study& study_;
  std::vector<std::pair<std::string, int>> known_;
  std::vector<char> given_;
};

}  // namespace

std::vector<double> on_axis(const Study& study, const Response& response, const Output& output) {
  const Axis* axis = study.axis_of(response);
  if (!axis) return {output.values.size() == 1 ? output.values[0] : undefined};
  std::vector<double> out;
  for (const double point : axis->points) {
    const auto found = std::find(output.axis.begin(), output.axis.end(), point);
    const auto at = static_cast<std::size_t>(found - output.axis.begin());
    out.push_back(at < output.values.size() ? output.values[at] : undefined);
  }
  return out;
}

RunTable::RunTable(const Study& study, Store& store) {
  batches = store.batches();
  std::unordered_map<std::int64_t, int> batch_at;
  for (std::size_t b = 0; b < batches.size(); ++b) batch_at[batches[b].id] = int(b);
  const Eigen::Index d = study.space.size();
  std::vector<double> coordinates;
  PointReader reader(study);
  const std::size_t responses = study.responses.size();
  columns_.resize(responses);
  std::vector<std::vector<double>> values(responses);
  std::vector<std::size_t> width(responses);
  std::unordered_map<std::string, int> response_at;
  for (std::size_t k = 0; k < responses; ++k) {
    width[k] = std::size_t(study.outputs(study.responses[k]));
    if (!study.responses[k].derive) response_at[study.responses[k].name] = int(k);
  }

  const auto take_run = [&](const RunRow& row) {
    const auto at = Eigen::Index(ids.size());
    ids.push_back(row.id);
    batch.push_back(batch_at.at(row.batch));
    blocks.push_back(row.block);
    set_aside.push_back(row.set_aside);
    coordinates.resize(coordinates.size() + std::size_t(d), undefined);
    bool fixed = true;
    try {
      reader.read(row.settings, row.id, coordinates.data() + at * d, fixed);
    } catch (const Error& e) {
      faults_.emplace(at, e);
    }
    fixed_match.push_back(fixed);
  };
  const auto allot = [&] {
    for (std::size_t k = 0; k < responses; ++k) {
      if (study.responses[k].derive) continue;
      columns_[k].values.setConstant(size(), Eigen::Index(width[k]), undefined);
      columns_[k].has.assign(ids.size(), 0);
      columns_[k].aside.assign(ids.size(), 0);
    }
  };
  // Outputs come sorted by run and response: of both the next is nearly always the one after the last.
  std::size_t row = 0;
  std::vector<std::pair<std::string, int>> order;
  std::size_t position = 0;
  const auto find_row = [&](std::int64_t run) {
    if (row < ids.size() && ids[row] == run) return true;
    row = std::size_t(std::lower_bound(ids.begin(), ids.end(), run) - ids.begin());
    position = 0;
    return row < ids.size() && ids[row] == run;
  };
  const auto response_of = [&](std::string_view name) {
    if (position >= order.size() || order[position].first != name) {
      const auto found = response_at.find(std::string(name));
      order.resize(std::min(position, order.size()));
      position = order.size();
      order.emplace_back(name, found == response_at.end() ? -1 : found->second);
    }
    return order[position++].second;
  };
  const auto take_output = [&](std::int64_t run, std::string_view name, std::string_view text) {
    if (!find_row(run)) return;
    const int k = response_of(name);
    if (k < 0) return;
    Column& column = columns_[std::size_t(k)];
    column.has[row] = 1;
    if (width[std::size_t(k)] == 1 && study.responses[std::size_t(k)].axis < 0 &&
        read_single(text, column.values(Eigen::Index(row), 0)))
      return;
    const std::vector<double> y = on_axis(study, study.responses[std::size_t(k)], output_from_text(text));
    column.values.row(Eigen::Index(row)) =
        Eigen::Map<const Eigen::RowVectorXd>(y.data(), Eigen::Index(y.size()));
  };
  const auto take_aside = [&](std::int64_t run, std::string_view name) {
    const auto found = response_at.find(std::string(name));
    if (found != response_at.end() && find_row(run)) columns_[std::size_t(found->second)].aside[row] = 1;
  };
  store.read_done(take_run, allot, take_output, take_aside);
  points_ = Eigen::Map<const Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>>(
      coordinates.data(), size(), d);
}

Eigen::VectorXd RunTable::point(Eigen::Index row) const {
  if (const auto fault = faults_.find(row); fault != faults_.end()) throw fault->second;
  return points_.row(row);
}

Eigen::MatrixXd RunTable::points(const std::vector<Eigen::Index>& rows) const {
  if (!faults_.empty())
    for (const Eigen::Index row : rows) point(row);
  return points_(rows, Eigen::all);
}

}  // namespace renth
