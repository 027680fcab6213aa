// The runs of a study by column, as fits and verdicts need them.
#pragma once
#include <Eigen/Core>
#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <renth/base/error.hpp>
#include <renth/store/store.hpp>
#include <renth/study/study.hpp>
#include <string>
#include <vector>

namespace renth {

/// All done runs of a store in the order of their ids, read in one pass.
class RunTable {
 public:
  RunTable(const Study& study, Store& store);

  /// What the runs gave for one response that is not derived.
  struct Column {
    Eigen::MatrixXd values;   ///< n × q, on the study's axis; NaN where missing
    std::vector<char> has;    ///< n: gave something
    std::vector<char> aside;  ///< n: set aside for this response
  };

  Eigen::Index size() const { return Eigen::Index(ids.size()); }
  const Column& column(int response) const { return columns_[std::size_t(response)]; }
  /// Settings of one run as the point at which it was made. \throws Error  as Study::point_of_run().
  Eigen::VectorXd point(Eigen::Index row) const;
  /// Points of some runs, one a row (m × d). \throws Error  the same.
  Eigen::MatrixXd points(const std::vector<Eigen::Index>& rows) const;

  std::vector<std::int64_t> ids;
  std::vector<int> batch;      ///< index into `batches`
  std::vector<Batch> batches;  ///< of the store
  std::vector<int> blocks;
  std::vector<std::int64_t> makers;  ///< what computed it (Store::makers())
  std::vector<char> set_aside;       ///< altogether
  std::vector<char> fixed_match;     ///< made with the values that parameters are fixed at now
  const std::string& use(Eigen::Index row) const { return batches[std::size_t(batch[std::size_t(row)])].use; }

 private:
  class Filler;
  Eigen::MatrixXd points_;                // n × d
  std::map<Eigen::Index, Error> faults_;  // rows whose settings make no point
  std::vector<Column> columns_;
};

/// A response's values on the study's axis (one value without one); NaN where it was not computed.
std::vector<double> on_axis(const Study& study, const Response& response, const Output& output);

}  // namespace renth
