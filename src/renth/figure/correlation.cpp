#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/workflow/assessing.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// The model's terms, then products and squares that it leaves out.
Terms shown_terms(const Space& space, const Terms& model) {
  Terms terms;
  const Terms more = space.size() <= 8 ? parse_terms(space, "quadratic") : Terms{};
  for (const Terms* list : {&model, &more})
    for (const Term& t : *list)
      if (!t.factors.empty() && std::find(terms.begin(), terms.end(), t) == terms.end()) terms.push_back(t);
  return terms;
}

/// Between the columns of the model matrix; a column that never varies goes with none.
Eigen::MatrixXd correlations(const Space& space, const Terms& terms, const Eigen::MatrixXd& points) {
  Eigen::MatrixXd x = model_matrix(space, terms, points);
  x.rowwise() -= x.colwise().mean().eval();
  for (Index t = 0; t < x.cols(); ++t) {
    const double norm = x.col(t).norm();
    x.col(t) *= norm > 1e-9 ? 1 / norm : 0;
  }
  return x.transpose() * x;
}

/// A square a pair of terms, with its number where there is room. \returns  the image.
std::string add_squares(Gnuplot& g, const Eigen::MatrixXd& r) {
  const Index p = r.cols();
  std::vector<float> image;
  std::vector<std::vector<double>> numbers;
  for (Index row = 0; row < p; ++row)
    for (Index column = 0; column < p; ++column) {
      const Index from_top = p - 1 - row;
      image.push_back(r(from_top, from_top) < 0.5 ? 0.0F : float(std::abs(r(from_top, column))));
      if (p <= 28 && from_top != column && std::abs(r(from_top, column)) >= 0.005)
        numbers.push_back({double(column), double(row), r(from_top, column),
                           std::abs(r(from_top, column)) > 0.55 ? 1.0 : 0.0});
    }
  g.block("numbers", numbers);
  return g.image(image, int(p), int(p), 0, 1, 0, 1);
}

void tic_labels(const Space& space, const Terms& terms, std::string& across, std::string& upwards) {
  const auto p = Index(terms.size());
  for (Index t = 0; t < p; ++t) {
    const std::string label = quote(name(space, terms[std::size_t(t)]));
    across += fmt::format("{}{} {}", t ? ", " : "", label, t);
    upwards += fmt::format("{}{} {}", t ? ", " : "", label, p - 1 - t);
  }
}

/// Correlations between the columns of the model matrix, and of the products and squares besides.
Gnuplot draw_correlation(const Study& study, const std::string& name, const Terms& model,
                         const Eigen::MatrixXd& points) {
  const Space& space = study.space;
  const Terms terms = shown_terms(space, model);
  const auto inside =
      Index(std::count_if(model.begin(), model.end(), [](const Term& t) { return !t.factors.empty(); }));
  const auto p = Index(terms.size());
  const Eigen::MatrixXd r = correlations(space, terms, points);
  std::string across, upwards;
  tic_labels(space, terms, across, upwards);
  Gnuplot g;
  const std::string picture = add_squares(g, r);
  head(g, fmt::format("Which terms {} cannot keep apart", name),
       inside < p ? fmt::format("|correlation| of the columns; the first {} are in the model, those beyond "
                                "the orange line are not: what they do "
                                "is put down to the terms they go with",
                                inside)
                  : "|correlation| of the columns of the model matrix; white is orthogonal, dark is "
                    "indistinguishable");
  g.line(
      "set palette defined (0 '#ffffff', 0.3 '#dbe6f1', 0.6 '#7fa3c8', 1 '#173f69')\nset cbrange [0:1]\nset "
      "colorbox user origin 0.9,0.2 "
      "size 0.015,0.6 noborder\nset cbtics scale 0 0,0.25\nset lmargin at screen 0.16\nset bmargin at screen "
      "0.2\nset rmargin at screen 0.88");
  g.line(
      fmt::format("set xrange [-0.5:{0}]\nset yrange [-0.5:{0}]\nset xtics rotate by 60 right scale 0 font "
                  "',{1}' ({2})\nset ytics scale 0 font ',{1}' "
                  "({3})\nunset grid",
                  double(p) - 0.5,
                  p > 40   ? 7
                  : p > 20 ? 10
                           : 12,
                  across, upwards));
  if (inside < p && inside > 0)
    g.line(
        fmt::format("set arrow 1 from {0},-0.5 to {0},{1} nohead lw 2 lc rgb '{2}' front\nset arrow 2 from "
                    "-0.5,{3} to {1},{3} nohead lw 2 lc rgb "
                    "'{2}' front",
                    double(inside) - 0.5, double(p) - 0.5, colour::accent, double(p - inside) - 0.5));
  g.line(
      fmt::format("plot {} with image, $numbers using 1:2:(sprintf('%.2f',$3)):($4>0?0xffffff:0x22303c) with "
                  "labels font ',{}' tc rgb variable",
                  picture, p > 20 ? 7 : 9));
  return g;
}

}  // namespace

Gnuplot figure_correlation(Session& session, const DrawingOptions& o, Notes&) {
  const PlanSource source = find_plan(session, o.batch);
  return draw_correlation(session.study, source.name, terms_for(session.study, o, source), source.points);
}

}  // namespace renth
