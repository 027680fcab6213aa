// One list of terms in an exchange: its information, and what changing a row or a whole plot does to it.
#pragma once
#include <Eigen/Core>
#include <renth/plan/exchange.hpp>
#include <renth/plan/exchange_values.hpp>
#include <renth/terms/term_rows.hpp>
#include <vector>

namespace renth {

/// The information M = X₀ᵀX₀ + XᵀV⁻¹X of n rows about the p terms of a model and q columns that the rows
/// bring with them (contrasts of their blocks). A row that stands for m runs is multiplied by √m. Rows of one
/// whole plot share an error with variance η times that of a run: V⁻¹ is 1 − c·11ᵀ within a plot of k rows,
/// c = η/(1 + ηk), so that M = X₀ᵀX₀ + Σ f_i f_iᵀ − Σ c s sᵀ with s the sum of a plot's rows.
///
/// Changing row i by δ changes M by δwᵀ + wδᵀ + (1 − c)δδᵀ, w = f_i − c·s, and with a = δᵀM⁻¹δ, b = δᵀM⁻¹w,
/// e = wᵀM⁻¹w
///   det M grows by the factor r = (1 + b)² + a(1 − c − e),
///   trace(M⁻¹B) falls by [(1 − c − e) δᵀWδ + 2(1 + b) δᵀWw − a wᵀWw]/r, W = M⁻¹BM⁻¹,
/// which for c = 0 are V. V. Fedorov's (Theory of Optimal Experiments, 1972, (3.2.1)), and for whole plots
/// those of B. Jones and P. Goos, J. Royal Statistical Society C 56, 2007. A coordinate of a row changes only
/// the terms that it is in.
class ExchangedModel {
 public:
  using Index = Eigen::Index;
  ExchangedModel(const ExchangeProblem& problem, const ExchangeModel& model);

  const TermRows& rows() const { return rows_; }
  bool weighted() const { return model_.weight.size() > 0; }
  /// log det M, or −trace(M⁻¹·weight).
  double value() const { return weighted() ? -at_.trace : at_.log_det; }
  double trace() const { return at_.trace; }
  Index terms() const { return p_; }

  /// Row i at these coded coordinates, standing for so many runs; refresh() afterwards.
  void set_row(Index i, const double* coded, int runs);
  /// M⁻¹ from scratch. \returns whether M is invertible; with a ridge, whether it would be without.
  bool refresh(double ridge);

  /// \name Changing one row
  /// A score is r of the determinant, or the fall of the trace: 1 or 0 where nothing changes.
  /// \{
  void begin(Index i);
  /// Scores (one a column of `factors`) of giving coordinate j those factors, the others at `code`.
  void try_values(Index j, const double* code, const Eigen::MatrixXd& factors, double* score);
  /// Makes that change part of δ.
  void take(Index j, const double* code, const double* factors);
  /// Puts the changed row in its place.
  void commit(Index i);
  /// \}

  /// \name Whole rows from a list, at the row that was begun
  /// \{
  void set_list(const Eigen::MatrixXd& list);  ///< points, natural units
  void try_list(double* score);
  void take_listed(Index k);
  /// \}

  /// The score of giving row k one run of row i: M + f_k f_kᵀ − f_i f_iᵀ of single runs.
  double try_run_moved(Index i, Index k) const;
  /// value() with other rows (p + q × rows of the plot) in a whole plot; −∞ if M would be singular.
  double value_with_plot(Index plot, const Eigen::MatrixXd& rows) const;
  Eigen::VectorXd row_at(Index i, const double* coded) const;  ///< p + q

  /// What is kept and put back.
  struct State {
    Eigen::MatrixXd x, information, inverse, middle;
    Eigen::VectorXd root;
    double log_det = 0, trace = 0;
  };
  const State& state() const { return at_; }
  void restore(const State& state);

 private:
  double score(double a, double b, double dd, double dw) const;
  void weigh();
  void measure_list();
  double plot_share(Index i) const { return q_.plot.size() > 0 ? share_[q_.plot[i]] : 0.0; }

  const ExchangeProblem& q_;
  const ExchangeModel& model_;
  TermRows rows_;
  Index p_, all_;          // terms; with the rows' own columns
  Eigen::VectorXd share_;  // c of each plot
  std::vector<std::vector<Index>> members_;
  State at_;

  // The row under exchange: f with δ, w, u = M⁻¹w, y = M⁻¹δ, v = Ww, z = Wδ, and the forms of score().
  Eigen::VectorXd f_, w_, u_, y_, v_, z_;
  double root_ = 1, rest_ = 0, a_ = 0, b_ = 0, dd_ = 0, dw_ = 0, ww_ = 0;
  std::vector<double> buffer_;

  Eigen::MatrixXd list_terms_, work_;
  Eigen::VectorXd list_d_, list_e_, list_u_, list_v_;  // forms of every row of the list
  bool list_fresh_ = false;
};

}  // namespace renth
