#include <fmt/format.h>

#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/coded_plan.hpp>
#include <renth/plan/galois.hpp>
#include <renth/plan/orthogonal_array.hpp>

namespace renth {
namespace {

using Eigen::MatrixXi;

// Difference schemes over the integers modulo 3: the differences of any two rows hold 0, 1, 2 equally often.
// Found by backtracking; the property is checked in the tests.
constexpr const char* scheme_6[] = {"000000", "001122", "010212", "012021", "021201", "022110"};
constexpr const char* scheme_12[] = {"000000000000", "000011112222", "000102221112", "001220120121",
                                     "010221202011", "012012020211", "012120012102", "012202111020",
                                     "021020211210", "021102102201", "021211021002", "022111200120"};
// Two-level columns beside a three-level one of four runs a level.
constexpr const char* beside_three[] = {"001100110011", "001101011100", "010101100101", "010110010110"};

/// All lines through the origin of the m-dimensional space over GF(3): (3^m − 1)/2 columns of 3^m runs.
MatrixXi lines_over_three(int m) {
  int runs = 1;
  for (int i = 0; i < m; ++i) runs *= 3;
  MatrixXi out(runs, (runs - 1) / 2);
  int column = 0;
  for (int code = 1; code < runs; ++code) {
    std::vector<int> direction;
    for (int c = code, i = 0; i < m; ++i, c /= 3) direction.push_back(c % 3);
    int first = 0;
    while (direction[std::size_t(first)] == 0) ++first;
    if (direction[std::size_t(first)] != 1) continue;  // one of the two on each line
    for (int run = 0; run < runs; ++run) {
      int sum = 0;
      for (int c = run, i = 0; i < m; ++i, c /= 3) sum += c % 3 * direction[std::size_t(i)];
      out(run, column) = sum % 3;
    }
    ++column;
  }
  return out;
}

MatrixXi two_levels(int runs) {
  return ((hadamard(runs).rightCols(runs - 1).array() + 1) / 2).cast<int>().matrix();
}

/// 3r runs: the r columns of the scheme shifted by 0, 1, 2, and each shift's run number 0 … r − 1 last.
MatrixXi from_scheme(const char* const* scheme, int r) {
  MatrixXi out(3 * r, r + 1);
  for (int shift = 0; shift < 3; ++shift)
    for (int i = 0; i < r; ++i) {
      for (int j = 0; j < r; ++j) out(shift * r + i, j) = (scheme[j][i] - '0' + shift) % 3;
      out(shift * r + i, r) = i;
    }
  return out;
}

MatrixXi join(const MatrixXi& a, const MatrixXi& b) {
  MatrixXi out(a.rows(), a.cols() + b.cols());
  out << a, b;
  return out;
}

MatrixXi array_12_mixed() {
  MatrixXi out(12, 5);
  for (int i = 0; i < 12; ++i) {
    for (int j = 0; j < 4; ++j) out(i, j) = beside_three[j][i] - '0';
    out(i, 4) = i / 4;
  }
  return out;
}

/// The columns that a column of row numbers 0 … r − 1 can be replaced by.
MatrixXi replace_rows(const MatrixXi& numbers, const MatrixXi& by) {
  MatrixXi out(numbers.rows(), by.cols());
  for (Eigen::Index i = 0; i < numbers.rows(); ++i) out.row(i) = by.row(numbers(i, 0));
  return out;
}

struct Array {
  MatrixXi two, three;
};

/// The arrays of a size; the first that has enough columns is taken.
std::vector<Array> arrays(int runs) {
  const MatrixXi none(runs, 0);
  switch (runs) {
    case 9:
      return {{none, lines_over_three(2)}};
    case 12:
      return {{two_levels(12), none}, {array_12_mixed().leftCols(4), array_12_mixed().rightCols(1)}};
    case 16:
      return {{two_levels(16), none}};
    case 27:
      return {{none, lines_over_three(3)}};
    case 18: {
      const MatrixXi all = from_scheme(scheme_6, 6);
      MatrixXi six(6, 2);
      six << 0, 0, 0, 1, 0, 2, 1, 0, 1, 1, 1, 2;
      const MatrixXi split = replace_rows(all.rightCols(1), six);
      return {{split.leftCols(1), join(all.leftCols(6), split.rightCols(1))}};
    }
    case 36: {
      const MatrixXi all = from_scheme(scheme_12, 12), rows = all.rightCols(1), twelve = all.leftCols(12);
      const MatrixXi mixed = replace_rows(rows, array_12_mixed());
      return {{replace_rows(rows, two_levels(12)), twelve},
              {mixed.leftCols(4), join(twelve, mixed.rightCols(1))}};
    }
    default:
      return {};
  }
}

constexpr int sizes[] = {9, 12, 16, 18, 27, 36};

}  // namespace

MatrixXi orthogonal_array_symbols(int runs, int two_level, int three_level) {
  for (const Array& a : arrays(runs))
    if (a.two.cols() >= two_level && a.three.cols() >= three_level)
      return join(a.two.leftCols(two_level), a.three.leftCols(three_level));
  return {};
}

Plan orthogonal_array(const Space& space, const OrthogonalArrayOptions& o, Seed seed) {
  const std::string where = "orthogonal-array";
  const int wanted = o.levels > 0 ? o.levels : 3;
  if (wanted > 3)
    throw Error("the arrays have two- and three-level columns", "plan " + where + " `levels`", "use 2 or 3");
  std::vector<Eigen::Index> two, three;
  std::vector<std::string> thinned;
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    const Parameter& p = space[j];
    const int count = p.settable_count();
    if (p.is_choice() && count > 3)
      throw Error(
          fmt::format("{} has {} choices, and the arrays have two- and three-level columns", p.name, count),
          "plan " + where, "use optimal `model=linear`");
    const bool own = !p.is_between();
    const int levels = p.is_discrete() && count < 3 ? 2 : own ? 3 : wanted;
    if (own && count > 3) thinned.push_back(p.name);
    (levels == 2 ? two : three).push_back(j);
  }
  const int a = int(two.size()), b = int(three.size());
  const auto carries = [&](int runs) { return orthogonal_array_symbols(runs, a, b).size() > 0; };
  int runs = o.runs;
  for (const int size : sizes)
    if (runs == 0 && carries(size)) runs = size;
  std::string fitting;
  for (const int size : sizes)
    if (carries(size)) fitting += fmt::format("{}{}", fitting.empty() ? "" : ", ", size);
  if (runs == 0 || !carries(runs))
    throw Error(fmt::format("no array {}carries {} two-level and {} three-level parameters",
                            o.runs > 0 ? fmt::format("of {} runs ", o.runs) : "", a, b),
                "plan " + where,
                fitting.empty() ? "use optimal `model=linear`, or `levels=2` for the spans"
                                : "use `runs` " + fitting);
  const MatrixXi symbols = orthogonal_array_symbols(runs, a, b);
  CodedRuns coded;
  coded.coded.resize(runs, space.size());
  for (int j = 0; j < a; ++j)
    coded.coded.col(two[std::size_t(j)]) = 2 * symbols.col(j).cast<double>().array() - 1;
  for (int j = 0; j < b; ++j)
    coded.coded.col(three[std::size_t(j)]) = symbols.col(a + j).cast<double>().array() - 1;
  coded.origins.assign(std::size_t(runs), "array");
  Plan plan = from_coded(space, coded, where, o.random_order, seed);
  plan.options["runs"] = std::to_string(runs);
  plan.options["levels"] = std::to_string(wanted);
  if (!thinned.empty())
    plan.notes.push_back(
        fmt::format("of the levels of {} only the first, the one nearest the middle and the last are used",
                    fmt::join(thinned, ", ")));
  return plan;
}

}  // namespace renth
