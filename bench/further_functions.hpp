// More published test functions, and the list of all.
#pragma once
#include <functions.hpp>

namespace renth::bench {

/// A. A. Goldstein and J. F. Price, Mathematics of Computation 25, 1971.
inline TestFunction goldstein_price() {
  return {"Goldstein Price", {{-2, 2}, {-2, 2}}, [](const Eigen::VectorXd& x) {
            const double a = x[0], b = x[1], s = a + b + 1, t = 2 * a - 3 * b;
            return (1 + s * s * (19 - 14 * a + 3 * a * a - 14 * b + 6 * a * b + 3 * b * b)) *
                   (30 + t * t * (18 - 32 * a + 12 * a * a + 48 * b - 36 * a * b + 27 * b * b));
          }};
}

/// Six humps: L. C. W. Dixon and G. P. Szegö, Towards Global Optimisation 2, 1978.
inline TestFunction six_humps() {
  return {"six humps", {{-2, 2}, {-1, 1}}, [](const Eigen::VectorXd& x) {
            const double a = x[0] * x[0], b = x[1] * x[1];
            return (4 - 2.1 * a + a * a / 3) * a + x[0] * x[1] + (-4 + 4 * b) * b;
          }};
}

/// H. H. Rosenbrock, Computer Journal 3, 1960, in four parameters.
inline TestFunction rosenbrock() {
  return {"Rosenbrock", std::vector<std::pair<double, double>>(4, {-2, 2}), [](const Eigen::VectorXd& x) {
            double sum = 0;
            for (Eigen::Index i = 0; i < 3; ++i)
              sum += 100 * std::pow(x[i + 1] - x[i] * x[i], 2) + std::pow(1 - x[i], 2);
            return sum;
          }};
}

/// How far an arm of four segments reaches: J. An and A. Owen, Journal of Complexity 17, 2001.
inline TestFunction robot_arm() {
  std::vector<std::pair<double, double>> ranges(4, {0, 2 * pi});
  ranges.resize(8, {0, 1});
  return {"robot arm", ranges, [](const Eigen::VectorXd& x) {
            double u = 0, v = 0, angle = 0;
            for (Eigen::Index i = 0; i < 4; ++i) {
              angle += x[i];
              u += x[4 + i] * std::cos(angle);
              v += x[4 + i] * std::sin(angle);
            }
            return std::hypot(u, v);
          }};
}

/// W. J. Welch, R. J. Buck, J. Sacks, H. P. Wynn, T. J. Mitchell, M. D. Morris, Technometrics 34, 1992.
inline TestFunction welch() {
  return {"Welch", std::vector<std::pair<double, double>>(20, {-0.5, 0.5}), [](const Eigen::VectorXd& x) {
            return 5 * x[11] / (1 + x[0]) + 5 * std::pow(x[3] - x[19], 2) + x[4] + 40 * std::pow(x[18], 3) -
                   5 * x[18] + 0.05 * x[1] + 0.08 * x[2] - 0.03 * x[5] + 0.03 * x[6] - 0.09 * x[8] -
                   0.01 * x[9] - 0.07 * x[10] + 0.25 * x[12] * x[12] - 0.04 * x[13] + 0.06 * x[14] -
                   0.01 * x[16] - 0.03 * x[17];
          }};
}

/// Y. B. Lim, J. Sacks, W. J. Studden, W. J. Welch, Canadian Journal of Statistics 30, 2002.
inline TestFunction lim() {
  return {"Lim", {{0, 1}, {0, 1}}, [](const Eigen::VectorXd& x) {
            return ((30 + 5 * x[0] * std::sin(5 * x[0])) * (4 + std::exp(-5 * x[1])) - 100) / 6;
          }};
}

/// Flat but for a hill and a dip in one corner: R. B. Gramacy and H. K. H. Lee, Journal of the American
/// Statistical Association 103, 2008.
inline TestFunction hill_in_corner() {
  return {"hill in corner", {{-2, 6}, {-2, 6}}, [](const Eigen::VectorXd& x) {
            return x[0] * std::exp(-x[0] * x[0] - x[1] * x[1]);
          }};
}

/// R. B. Gramacy and H. K. H. Lee, Technometrics 51, 2009, with two parameters that do nothing.
inline TestFunction late_wiggle() {
  return {"late wiggle", std::vector<std::pair<double, double>>(6, {0, 1}), [](const Eigen::VectorXd& x) {
            return std::exp(std::sin(std::pow(0.9 * (x[0] + 0.48), 10))) + x[1] * x[2] + x[3];
          }};
}

/// H. Dette and A. Pepelyshev, Technometrics 52, 2010, the exponential one.
inline TestFunction dette_exponential() {
  return {"Dette 3", std::vector<std::pair<double, double>>(3, {0, 1}), [](const Eigen::VectorXd& x) {
            double sum = 0;
            for (int i = 0; i < 3; ++i) sum += std::exp(-2 / std::pow(x[i], 1.75 - 0.25 * i));
            return 100 * sum;
          }};
}

/// D. D. Cox, J.-S. Park, C. E. Singer, Computational Statistics & Data Analysis 37, 2001, the first one.
inline TestFunction park_first() {
  return {"Park 1", {{1e-3, 1}, {0, 1}, {0, 1}, {0, 1}}, [](const Eigen::VectorXd& x) {
            return x[0] / 2 * (std::sqrt(1 + (x[1] + x[2] * x[2]) * x[3] / (x[0] * x[0])) - 1) +
                   (x[0] + 3 * x[3]) * std::exp(1 + std::sin(x[2]));
          }};
}

/// The second one of the same.
inline TestFunction park_second() {
  return {"Park 2", std::vector<std::pair<double, double>>(4, {0, 1}), [](const Eigen::VectorXd& x) {
            return 2.0 / 3 * std::exp(x[0] + x[1]) - x[3] * std::sin(x[2]) + x[2];
          }};
}

/// Displacement at the end of a cantilever: Y.-T. Wu, Y. Shin, R. Sues, M. Cesare, AIAA paper 2001-1483;
/// loads and modulus within three of their standard deviations.
inline TestFunction cantilever() {
  return {"cantilever",
          {{2.465e7, 3.335e7}, {200, 800}, {700, 1300}, {2, 4}, {2, 4}},
          [](const Eigen::VectorXd& x) {
            const double l = 100, w = x[3], t = x[4];
            return 4 * l * l * l / (x[0] * w * t) * std::hypot(x[2] / (t * t), x[1] / (w * w));
          }};
}

/// A river over its dyke: B. Iooss and P. Lemaître in Uncertainty Management in Simulation-Optimization of
/// Complex Systems, 2015.
inline TestFunction flood() {
  return {"flood",
          {{500, 3000}, {15, 50}, {49, 51}, {54, 56}, {7, 9}, {55, 56}, {4990, 5010}, {295, 305}},
          [](const Eigen::VectorXd& x) {
            const double h = std::pow(x[0] / (x[7] * x[1] * std::sqrt((x[3] - x[2]) / x[6])), 0.6);
            return x[2] + h - x[4] - x[5];
          }};
}

/// J. L. Loeppky, B. J. Williams, L. M. Moore, Technometrics 55, 2013.
inline TestFunction loeppky() {
  return {"Loeppky", std::vector<std::pair<double, double>>(10, {0, 1}), [](const Eigen::VectorXd& x) {
            return 6 * x[0] + 4 * x[1] + 5.5 * x[2] + 3 * x[0] * x[1] + 2.2 * x[0] * x[2] +
                   1.4 * x[1] * x[2] + x[3] + 0.5 * x[4] + 0.2 * x[5] + 0.1 * x[6];
          }};
}

/// Two sines among ten parameters: C. Linkletter, D. Bingham, N. Hengartner, D. Higdon, K. Q. Ye,
/// Technometrics 48, 2006.
inline TestFunction two_sines() {
  return {"two sines", std::vector<std::pair<double, double>>(10, {0, 1}),
          [](const Eigen::VectorXd& x) { return std::sin(x[0]) + std::sin(5 * x[1]); }};
}

/// H. Cheng and A. Sandu, Environmental Modelling & Software 25, 2010.
inline TestFunction cheng_sandu() {
  return {"Cheng Sandu", {{0, 1}, {0, 1}}, [](const Eigen::VectorXd& x) {
            return std::cos(x[0] + x[1]) * std::exp(x[0] * x[1]);
          }};
}

/// P. Bratley, B. L. Fox, H. Niederreiter, ACM Transactions on Modeling and Computer Simulation 2, 1992.
inline TestFunction bratley() {
  return {"Bratley", std::vector<std::pair<double, double>>(6, {0, 1}), [](const Eigen::VectorXd& x) {
            double sum = 0, product = 1;
            for (Eigen::Index i = 0; i < 6; ++i) {
              product *= x[i];
              sum += i % 2 ? product : -product;
            }
            return sum;
          }};
}

/// D. H. Ackley, A Connectionist Machine for Genetic Hillclimbing, 1987, near its middle.
inline TestFunction ackley() {
  return {"Ackley", std::vector<std::pair<double, double>>(3, {-2, 2}), [](const Eigen::VectorXd& x) {
            double cosines = 0;
            for (Eigen::Index i = 0; i < 3; ++i) cosines += std::cos(2 * pi * x[i]) / 3;
            return -20 * std::exp(-0.2 * std::sqrt(x.squaredNorm() / 3)) - std::exp(cosines) + 20 +
                   std::numbers::e;
          }};
}

inline std::vector<TestFunction> all_functions() {
  return {branin(),
          hartmann(3),
          hartmann(6),
          borehole(),
          wing_weight(),
          otl_circuit(),
          piston(),
          ishigami(),
          friedman(),
          franke(),
          currin(),
          two_spills(),
          sobol_g(),
          dette_pepelyshev(),
          goldstein_price(),
          six_humps(),
          rosenbrock(),
          robot_arm(),
          welch(),
          lim(),
          hill_in_corner(),
          late_wiggle(),
          dette_exponential(),
          park_first(),
          park_second(),
          cantilever(),
          flood(),
          loeppky(),
          two_sines(),
          cheng_sandu(),
          bratley(),
          ackley()};
}

}  // namespace renth::bench
