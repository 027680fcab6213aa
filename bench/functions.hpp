// Published test functions of several parameters, each with its ranges.
#pragma once
#include <Eigen/Core>
#include <cmath>
#include <functional>
#include <numbers>
#include <renth/space/space.hpp>
#include <renth/surrogate/data.hpp>
#include <string>
#include <vector>

namespace renth::bench {

struct TestFunction {
  std::string name;
  std::vector<std::pair<double, double>> ranges;
  std::function<double(const Eigen::VectorXd&)> value;

  Space space() const {
    std::vector<Parameter> parameters;
    for (std::size_t j = 0; j < ranges.size(); ++j)
      parameters.push_back(continuous("x" + std::to_string(j + 1), ranges[j].first, ranges[j].second));
    return Space(parameters);
  }
};

/// An exact solver's runs at points (n × d).
inline Data runs_of(const TestFunction& f, const Eigen::MatrixXd& points) {
  Data data{points, Eigen::MatrixXd(points.rows(), 1), {}, false};
  for (Eigen::Index i = 0; i < points.rows(); ++i)
    data.outputs(i, 0) = f.value(Eigen::VectorXd(points.row(i).transpose()));
  return data;
}

inline constexpr double pi = std::numbers::pi;

/// F. H. Branin, IBM Journal of Research and Development 16, 1972.
inline TestFunction branin() {
  return {"Branin", {{-5, 10}, {0, 15}}, [](const Eigen::VectorXd& x) {
            const double bend = x[1] - 5.1 / (4 * pi * pi) * x[0] * x[0] + 5 / pi * x[0] - 6;
            return bend * bend + 10 * (1 - 1 / (8 * pi)) * std::cos(x[0]) + 10;
          }};
}

/// J. K. Hartman, Naval Research Logistics Quarterly 20, 1973: −Σ α_i exp(−Σ A_ij (x_j − P_ij)²).
inline TestFunction hartmann(int d) {
  Eigen::MatrixXd a(4, d), p(4, d);
  if (d == 3) {
    a << 3, 10, 30, 0.1, 10, 35, 3, 10, 30, 0.1, 10, 35;
    p << 3689, 1170, 2673, 4699, 4387, 7470, 1091, 8732, 5547, 381, 5743, 8828;
  } else {
    a << 10, 3, 17, 3.5, 1.7, 8, 0.05, 10, 17, 0.1, 8, 14, 3, 3.5, 1.7, 10, 17, 8, 17, 8, 0.05, 10, 0.1, 14;
    p << 1312, 1696, 5569, 124, 8283, 5886, 2329, 4135, 8307, 3736, 1004, 9991, 2348, 1451, 3522, 2883, 3047,
        6650, 4047, 8828, 8732, 5743, 1091, 381;
  }
  return {"Hartmann " + std::to_string(d), std::vector<std::pair<double, double>>(std::size_t(d), {0, 1}),
          [a, p](const Eigen::VectorXd& x) {
            const double alpha[] = {1, 1.2, 3, 3.2};
            double sum = 0;
            for (Eigen::Index i = 0; i < 4; ++i)
              sum -= alpha[i] *
                     std::exp(-(a.row(i).array() * (x.transpose() - p.row(i) * 1e-4).array().square()).sum());
            return sum;
          }};
}

/// Flow through a borehole: W. V. Harper and S. K. Gupta, 1983.
inline TestFunction borehole() {
  return {"borehole",
          {{0.05, 0.15},
           {100, 50000},
           {63070, 115600},
           {990, 1110},
           {63.1, 116},
           {700, 820},
           {1120, 1680},
           {9855, 12045}},
          [](const Eigen::VectorXd& x) {
            const double log_ratio = std::log(x[1] / x[0]);
            return 2 * pi * x[2] * (x[3] - x[5]) /
                   (log_ratio * (1 + 2 * x[6] * x[2] / (log_ratio * x[0] * x[0] * x[7]) + x[2] / x[4]));
          }};
}

/// Weight of a light aircraft's wing: A. Forrester, A. Sóbester, A. Keane, Engineering Design via Surrogate
/// Modelling, 2008, equation 1.9 (angles in degrees).
inline TestFunction wing_weight() {
  return {"wing weight",
          {{150, 200},
           {220, 300},
           {6, 10},
           {-10, 10},
           {16, 45},
           {0.5, 1},
           {0.08, 0.18},
           {2.5, 6},
           {1700, 2500},
           {0.025, 0.08}},
          [](const Eigen::VectorXd& x) {
            const double cosine = std::cos(x[3] * pi / 180);
            return 0.036 * std::pow(x[0], 0.758) * std::pow(x[1], 0.0035) *
                       std::pow(x[2] / (cosine * cosine), 0.6) * std::pow(x[4], 0.006) *
                       std::pow(x[5], 0.04) * std::pow(100 * x[6] / cosine, -0.3) *
                       std::pow(x[7] * x[8], 0.49) +
                   x[0] * x[9];
          }};
}

/// Midpoint voltage of an output-transformerless push-pull circuit: E. N. Ben-Ari and D. M. Steinberg,
/// Quality Engineering 19, 2007.
inline TestFunction otl_circuit() {
  return {"OTL circuit",
          {{50, 150}, {25, 70}, {0.5, 3}, {1.2, 2.5}, {0.25, 1.2}, {50, 300}},
          [](const Eigen::VectorXd& x) {
            const double base = 12 * x[1] / (x[0] + x[1]), gain = x[5] * (x[4] + 9), sum = gain + x[2];
            return (base + 0.74) * gain / sum + 11.35 * x[2] / sum + 0.74 * x[2] * gain / (sum * x[3]);
          }};
}

/// Cycle time of a piston: R. S. Kenett and S. Zacks, Modern Industrial Statistics, 1998.
inline TestFunction piston() {
  return {"piston",
          {{30, 60}, {0.005, 0.02}, {0.002, 0.01}, {1000, 5000}, {90000, 110000}, {290, 296}, {340, 360}},
          [](const Eigen::VectorXd& x) {
            const double m = x[0], s = x[1], v0 = x[2], k = x[3], p0 = x[4], ta = x[5], t0 = x[6];
            const double a = p0 * s + 19.62 * m - k * v0 / s;
            const double v = s / (2 * k) * (std::sqrt(a * a + 4 * k * p0 * v0 / t0 * ta) - a);
            return 2 * pi * std::sqrt(m / (k + s * s * p0 * v0 * ta / (t0 * v * v)));
          }};
}

/// T. Ishigami and T. Homma, 1990, with a = 7, b = 0.1.
inline TestFunction ishigami() {
  return {"Ishigami", {{-pi, pi}, {-pi, pi}, {-pi, pi}}, [](const Eigen::VectorXd& x) {
            return std::sin(x[0]) + 7 * std::pow(std::sin(x[1]), 2) +
                   0.1 * std::pow(x[2], 4) * std::sin(x[0]);
          }};
}

/// J. H. Friedman, Annals of Statistics 19, 1991, with five parameters that do nothing.
inline TestFunction friedman() {
  return {"Friedman", std::vector<std::pair<double, double>>(10, {0, 1}), [](const Eigen::VectorXd& x) {
            return 10 * std::sin(pi * x[0] * x[1]) + 20 * std::pow(x[2] - 0.5, 2) + 10 * x[3] + 5 * x[4];
          }};
}

/// Two peaks and a dip: R. Franke, Naval Postgraduate School report NPS-53-79-003, 1979.
inline TestFunction franke() {
  return {"Franke", {{0, 1}, {0, 1}}, [](const Eigen::VectorXd& x) {
            const double a = 9 * x[0], b = 9 * x[1];
            const auto bump = [&](double height, double at, double bt, double width, double depth) {
              return height * std::exp(-(a - at) * (a - at) / width - (b - bt) * (b - bt) / depth);
            };
            return bump(0.75, 2, 2, 4, 4) + 0.75 * std::exp(-(a + 1) * (a + 1) / 49 - (b + 1) / 10) +
                   bump(0.5, 7, 3, 4, 4) - bump(0.2, 4, 7, 1, 1);
          }};
}

/// Steep in one corner: C. Currin, T. Mitchell, M. Morris, D. Ylvisaker, Journal of the American Statistical
/// Association 86, 1991.
inline TestFunction currin() {
  return {"Currin", {{0, 1}, {0, 1}}, [](const Eigen::VectorXd& x) {
            const double a = x[0], reach = x[1] > 0 ? 1 - std::exp(-1 / (2 * x[1])) : 1;
            return reach * (((2300 * a + 1900) * a + 2092) * a + 60) / (((100 * a + 500) * a + 4) * a + 20);
          }};
}

/// Concentration after two spills, the second of which has its day within the range: N. Bliznyuk, D. Ruppert,
/// C. Shoemaker, R. Regis, S. Wild, P. Mugunthan, Journal of Computational and Graphical Statistics 17, 2008.
inline TestFunction two_spills() {
  return {"two spills", {{7, 13}, {0.02, 0.12}, {0.01, 3}, {30.01, 30.295}}, [](const Eigen::VectorXd& x) {
            const double s = 1.5, t = 40;
            const auto spill = [&](double distance, double since) {
              return x[0] / std::sqrt(4 * pi * x[1] * since) *
                     std::exp(-distance * distance / (4 * x[1] * since));
            };
            return spill(s, t) + spill(s - x[2], t - x[3]);
          }};
}

/// A kink in every parameter: I. M. Sobol', Mathematical Modelling and Computational Experiments 1, 1993,
/// with a = 0, 0.5, 3, 9, 99.
inline TestFunction sobol_g() {
  return {"Sobol' g", std::vector<std::pair<double, double>>(5, {0, 1}), [](const Eigen::VectorXd& x) {
            const double a[] = {0, 0.5, 3, 9, 99};
            double product = 1;
            for (Eigen::Index j = 0; j < 5; ++j) product *= (std::abs(4 * x[j] - 2) + a[j]) / (1 + a[j]);
            return product;
          }};
}

/// Strongly curved in some parameters, hardly in others: H. Dette and A. Pepelyshev, Technometrics 52, 2010.
inline TestFunction dette_pepelyshev() {
  return {"Dette 8", std::vector<std::pair<double, double>>(8, {0, 1}), [](const Eigen::VectorXd& x) {
            double sum = x[2], y = 4 * std::pow(x[0] - 2 + 8 * x[1] - 8 * x[1] * x[1], 2) +
                                   std::pow(3 - 4 * x[1], 2) +
                                   16 * std::sqrt(x[2] + 1) * std::pow(2 * x[2] - 1, 2);
            for (int i = 3; i < 8; ++i) {
              sum += x[i];
              y += (i + 1) * std::log(1 + sum);
            }
            return y;
          }};
}

}  // namespace renth::bench
