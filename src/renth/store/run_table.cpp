#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/undefined.hpp>
#include <renth/store/run_table.hpp>
#include <renth/store/stored_text.hpp>
#include <unordered_map>

namespace renth {

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

/// Fills a table from the rows of the store, which come sorted by run, and outputs by response too: of both
/// the next is nearly always the one after the last.
class RunTable::Filler {
 public:
  Filler(const Study& study, RunTable& table) : study_(study), table_(table), points_(study) {
    for (std::size_t b = 0; b < table.batches.size(); ++b) batch_at_[table.batches[b].id] = int(b);
    for (std::size_t k = 0; k < study.responses.size(); ++k)
      if (!study.responses[k].derive) response_at_[study.responses[k].name] = int(k);
  }

  void take_run(const RunRow& row) {
    const auto d = std::size_t(study_.space.size());
    table_.ids.push_back(row.id);
    table_.batch.push_back(batch_at_.at(row.batch));
    table_.blocks.push_back(row.block);
    table_.makers.push_back(row.maker);
    table_.set_aside.push_back(row.set_aside);
    coordinates_.resize(coordinates_.size() + d, undefined);
    bool fixed = true;
    try {
      points_.read(row.settings, row.id, coordinates_.data() + coordinates_.size() - d, fixed);
    } catch (const Error& e) {
      table_.faults_.emplace(table_.size() - 1, e);
    }
    table_.fixed_match.push_back(fixed);
  }

  void runs_read() {
    using Rows = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
    table_.points_ = Eigen::Map<const Rows>(coordinates_.data(), table_.size(), study_.space.size());
    for (const auto& [name, k] : response_at_) {
      Column& column = table_.columns_[std::size_t(k)];
      column.values.setConstant(table_.size(), study_.outputs(study_.responses[std::size_t(k)]), undefined);
      column.has.assign(table_.ids.size(), 0);
      column.aside.assign(table_.ids.size(), 0);
    }
  }

  void take_output(std::int64_t run, std::string_view name, std::string_view text) {
    if (!find_row(run)) return;
    const int k = response(name);
    if (k < 0) return;
    const Response& r = study_.responses[std::size_t(k)];
    Column& column = table_.columns_[std::size_t(k)];
    column.has[row_] = 1;
    if (!r.is_curve() && read_single(text, column.values(Eigen::Index(row_), 0))) return;
    const std::vector<double> y = on_axis(study_, r, output_from_text(text));
    column.values.row(Eigen::Index(row_)) =
        Eigen::Map<const Eigen::RowVectorXd>(y.data(), Eigen::Index(y.size()));
  }

  void take_aside(std::int64_t run, std::string_view name) {
    const auto found = response_at_.find(std::string(name));
    if (found != response_at_.end() && find_row(run))
      table_.columns_[std::size_t(found->second)].aside[row_] = 1;
  }

 private:
  bool find_row(std::int64_t run) {
    const std::vector<std::int64_t>& ids = table_.ids;
    if (row_ < ids.size() && ids[row_] == run) return true;
    row_ = std::size_t(std::lower_bound(ids.begin(), ids.end(), run) - ids.begin());
    position_ = 0;
    return row_ < ids.size() && ids[row_] == run;
  }
  /// Its number; −1 if the study has no such response to be computed.
  int response(std::string_view name) {
    if (position_ >= order_.size() || order_[position_].first != name) {
      const auto found = response_at_.find(std::string(name));
      order_.resize(std::min(position_, order_.size()));
      position_ = order_.size();
      order_.emplace_back(name, found == response_at_.end() ? -1 : found->second);
    }
    return order_[position_++].second;
  }

  const Study& study_;
  RunTable& table_;
  PointReader points_;
  std::vector<double> coordinates_;  // d numbers a run
  std::unordered_map<std::int64_t, int> batch_at_;
  std::unordered_map<std::string, int> response_at_;
  std::vector<std::pair<std::string, int>> order_;  // of the responses in the last run
  std::size_t row_ = 0, position_ = 0;
};

RunTable::RunTable(const Study& study, Store& store) : columns_(study.responses.size()) {
  // Of one moment: runs of a batch that another process adds meanwhile belong to the next reading.
  store.reading([&] {
    batches = store.batches();
    Filler filler(study, *this);
    store.read_done([&](const RunRow& row) { filler.take_run(row); }, [&] { filler.runs_read(); },
                    [&](std::int64_t run, std::string_view response, std::string_view value) {
                      filler.take_output(run, response, value);
                    },
                    [&](std::int64_t run, std::string_view response) { filler.take_aside(run, response); });
  });
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
