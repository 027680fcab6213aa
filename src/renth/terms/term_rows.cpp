#include <renth/terms/term_rows.hpp>

namespace renth {

TermRows::TermRows(const Space& space, const Terms& terms)
    : count_(Eigen::Index(terms.size())), with_(std::size_t(space.size())) {
  for (const Parameter& p : space.parameters())
    contrast_table_.push_back(p.is_choice() ? contrasts(int(p.choices.size())) : Eigen::MatrixXd());
  for (std::size_t t = 0; t < terms.size(); ++t) {
    parts_.emplace_back();
    for (const Factor& f : terms[t].factors) {
      parts_.back().push_back({f.parameter, f.power, f.choice});
      with_[std::size_t(f.parameter)].push_back(int(t));
    }
  }
}

double TermRows::factor(int parameter, int power, int choice, double x) const {
  const Eigen::MatrixXd& table = contrast_table_[std::size_t(parameter)];
  if (table.size() > 0) return table(Eigen::Index(x), choice - 1);
  double value = x;
  for (int k = 1; k < power; ++k) value *= x;
  return value;
}

void TermRows::fill(const double* coded, double* row) const {
  for (std::size_t t = 0; t < parts_.size(); ++t) {
    double value = 1;
    for (const Part& p : parts_[t]) value *= factor(p.parameter, p.power, p.choice, coded[p.parameter]);
    row[t] = value;
  }
}

void TermRows::others(const double* coded, Eigen::Index parameter, double* out) const {
  for (const int t : with(parameter)) {
    double value = 1;
    if (parts_[std::size_t(t)].size() > 1)
      for (const Part& p : parts_[std::size_t(t)])
        if (p.parameter != parameter) value *= factor(p.parameter, p.power, p.choice, coded[p.parameter]);
    *out++ = value;
  }
}

void TermRows::factors(Eigen::Index parameter, double x, double* out) const {
  for (const int t : with(parameter))
    for (const Part& p : parts_[std::size_t(t)])
      if (p.parameter == parameter) *out++ = factor(p.parameter, p.power, p.choice, x);
}

}  // namespace renth
