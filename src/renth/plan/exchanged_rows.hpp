// The rows of an exchange and the models they are for, as they are now and as they were at their best.
#pragma once
#include <renth/plan/exchange_values.hpp>
#include <renth/plan/exchanged_model.hpp>

namespace renth {

/// What a search by exchange changes; see ExchangeProblem.
class ExchangedRows {
 public:
  using Index = Eigen::Index;
  /// Both are kept by reference.
  ExchangedRows(const ExchangeProblem& problem, Stream& stream);

 protected:
  static constexpr double ridge = 1e-6;

  bool weighted() const { return models_[0].weighted(); }
  bool several() const { return models_.size() > 1; }
  bool in_plots() const { return !members_.empty(); }
  int group_of(Index i) const { return q_.group.size() > 0 ? q_.group[i] : 0; }
  /// log det M, −trace(M⁻¹·weight), or the mean over several models.
  double value() const;
  /// What one of several models adds to it.
  double part(const ExchangedModel& model, double value) const;
  double tolerance() const { return !weighted() || several() ? 1e-9 : 1e-10 * std::abs(best_.value); }

  /// Room for scores of each model; combine() leaves those of all together in the first.
  void need_scores(Index count);
  void combine(Index count);
  /// The score where nothing changes.
  double no_change() const { return weighted() || several() ? 0 : 1; }

  /// Random rows, or those of a result.
  void start(const ExchangeResult& from);
  void set_row(Index i, const Eigen::VectorXd& point);
  /// A random row; in a whole plot with the hard values of the plot, as it is if none is allowed.
  void random_row(Index i);
  /// One random point for all rows of a plot.
  void random_plot(std::size_t plot);
  /// M⁻¹ of every model from scratch.
  bool refresh(double ridge_size);
  void keep();
  void restore();

  const ExchangeProblem& q_;
  Stream& stream_;
  Index n_, d_;
  std::vector<ExchangedModel> models_;
  std::vector<Alternatives> alternatives_;             // of each parameter
  std::vector<std::vector<Eigen::MatrixXd>> factors_;  // of each parameter and model
  std::vector<std::vector<double>> scores_;            // of each model
  std::vector<std::vector<Index>> members_;            // rows of each whole plot
  const Eigen::MatrixXd* list_ = nullptr;              // candidates, or the pool
  bool invertible_ = false;

  Eigen::MatrixXd natural_, coded_;  // n × d, d × n
  Eigen::VectorXi runs_;             // n
  struct {
    Eigen::MatrixXd natural, coded;
    Eigen::VectorXi runs;
    std::vector<ExchangedModel::State> models;
    double value = 0;
  } best_;

 private:
  Eigen::VectorXd random_point();
  void random_repeats();
};

}  // namespace renth
