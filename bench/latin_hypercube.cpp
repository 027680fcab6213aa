// The smallest squared distance on the grid of ranks, ours against the best known.
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <renth/plan/latin_hypercube.hpp>

int main(int argc, char** argv) {
  using namespace renth;
  struct Known {
    int n, k, squared;
  };
  const double effort = argc > 1 ? std::atof(argv[1]) : 1;
  std::printf("%6s %4s %8s %8s %10s %8s\n", "runs", "k", "ours", "known", "distance", "seconds");
  for (const Known& known : {Known{10, 2, 10},
                             {20, 2, 18},
                             {30, 2, 29},
                             {10, 3, 27},
                             {20, 3, 66},
                             {20, 4, 138},
                             {50, 3, 219},
                             {50, 4, 501},
                             {50, 5, 874},
                             {80, 8, 4848},
                             {100, 10, 10647},
                             {500, 2, 0},
                             {2000, 6, 0}}) {
    std::vector<Parameter> parameters(std::size_t(known.k));
    for (int j = 0; j < known.k; ++j) parameters[std::size_t(j)].name = "x" + std::to_string(j);
    const auto begin = std::chrono::steady_clock::now();
    const Plan plan = latin_hypercube(Space(parameters), {.runs = known.n, .effort = effort}, 1);
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    const Eigen::MatrixXd ranks = (plan.points.array() * known.n - 0.5).round();
    double least = 1e300;
    for (int i = 0; i < known.n; ++i)
      for (int j = 0; j < i; ++j) least = std::min(least, (ranks.row(i) - ranks.row(j)).squaredNorm());
    if (known.squared > 0)
      std::printf("%6d %4d %8.0f %8d %9.1f%% %8.2f\n", known.n, known.k, least, known.squared,
                  100 * std::sqrt(least / known.squared), seconds);
    else
      std::printf("%6d %4d %8.0f %8s %10s %8.2f\n", known.n, known.k, least, "-", "-", seconds);
  }
}
