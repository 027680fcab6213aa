// A model as C: what compilers say of it, and what it computes.
#include <dlfcn.h>
#include <doctest/doctest.h>

#include <cmath>
#include <cstdlib>
#include <renth/export/c_source.hpp>
#include <support_files.hpp>
#include <support_kinds.hpp>
#include <thread>

using namespace renth;
using namespace renth::test;

namespace {

/// A source compiled and loaded.
class Compiled {
 public:
  Compiled(const std::string& source, const std::string& compiler) {
    scratch_.write("model.c", source);
    const std::string at = scratch_.path.string();
    const std::string command =
        compiler + " -std=c99 -pedantic -Wall -Wextra -Wconversion -Wshadow -Werror -O1 -fPIC -shared " + at +
        "/model.c -o " + at + "/model.so -lm 2> " + at + "/said";
    compiled = std::system(command.c_str()) == 0;
    said = slurp(scratch_.path / "said");
    if (compiled) library_ = dlopen((at + "/model.so").c_str(), RTLD_NOW | RTLD_LOCAL);
  }
  ~Compiled() {
    if (library_) dlclose(library_);
  }
  Compiled(const Compiled&) = delete;
  Compiled& operator=(const Compiled&) = delete;

  int inside(const double* x, const std::string& name = "inside") const {
    return reinterpret_cast<int (*)(const double*)>(dlsym(library_, name.c_str()))(x);
  }
  /// One value, or of a curve `outputs`.
  Eigen::VectorXd values(const std::string& name, const double* x, Eigen::Index outputs) const {
    Eigen::VectorXd out(outputs);
    void* f = dlsym(library_, name.c_str());
    REQUIRE(f != nullptr);
    if (outputs == 1)
      out[0] = reinterpret_cast<double (*)(const double*)>(f)(x);
    else
      reinterpret_cast<void (*)(const double*, double*)>(f)(x, out.data());
    return out;
  }
  bool compiled = false;
  std::string said;

 private:
  Scratch scratch_;
  void* library_ = nullptr;
};

}  // namespace

TEST_CASE("C of every kind of surrogate computes what the library does") {
  const auto model = std::make_shared<const Model>(model_of_every_kind());
  ModelAbout about;
  about.seed = 7;
  about.worth["chaos"] = "good: /* not \n the end */";
  const std::string source = c_source(*model, about);
  CHECK(source == c_source(*model, about));
  CHECK(source.find("malloc") == std::string::npos);
  const Eigen::MatrixXd points = settings_of_every_kind(*model, 200);
  const Predictions expected = Predictor(model).predict(points, 0.95, {.calibrated = false});
  for (const std::string compiler : {"gcc", "clang"}) {
    CAPTURE(compiler);
    const Compiled c(source, compiler);
    REQUIRE_MESSAGE(c.compiled, c.said);
    CHECK(c.said.empty());
    for (Eigen::Index i = 0; i < points.rows(); ++i) {
      const Eigen::VectorXd x = points.row(i);
      CHECK(c.inside(x.data()) == int(expected.inside[std::size_t(i)]));
    }
    check_same(*model, expected, [&](const Response& r, bool deviation, Eigen::Index i, Eigen::Index q) {
      const Eigen::VectorXd x = points.row(i);
      CHECK(c.inside(x.data(), r.name + "_inside") == int(expected.inside[std::size_t(i)]));
      return c.values(r.name + (deviation ? "_sd" : "_mean"), x.data(), model->problem.outputs(r))[q];
    });
  }
}

TEST_CASE("C of a setting that does not exist says so") {
  const auto model = std::make_shared<const Model>(model_of_every_kind());
  const Compiled c(c_source(*model, {}), "gcc");
  REQUIRE_MESSAGE(c.compiled, c.said);
  const double nan = std::nan(""), inf = INFINITY;
  const double settings[][4] = {{1, 0, 3, 0},   {1, 0, 1, 3},   {1, 0, 1, -1},
                                {1, 0, 1, 0.5}, {1, 0, 0.5, 0}, {nan, 0, 1, 0},
                                {1, inf, 1, 0}, {1, 0, nan, 0}, {1, 0, 1, nan}};
  for (const auto& x : settings) {
    CHECK(c.inside(x) == 0);
    for (std::size_t k = 0; k < model->problem.responses.size(); ++k) {
      const Response& r = model->problem.responses[k];
      CAPTURE(r.name);
      const Eigen::Index q = model->problem.outputs(r);
      CHECK(c.values(r.name + "_mean", x, q).array().isNaN().all());
      CHECK(c.values(r.name + "_sd", x, q).array().isNaN().all());
      CHECK(c.inside(x, r.name + "_inside") == 0);
    }
  }
  // A step is not kept by the model, only levels and choices are.
  const double between[] = {1, 0.1, 1, 0};
  CHECK(std::isfinite(c.values("blend_mean", between, 1)[0]));
}

TEST_CASE("C is re-entrant") {
  const auto model = std::make_shared<const Model>(model_of_every_kind());
  const Compiled c(c_source(*model, {}), "gcc");
  REQUIRE_MESSAGE(c.compiled, c.said);
  const Eigen::MatrixXd points = settings_of_every_kind(*model, 60);
  const auto all = [&] {
    Eigen::VectorXd out(points.rows());
    for (Eigen::Index i = 0; i < points.rows(); ++i) {
      const Eigen::VectorXd x = points.row(i);
      out[i] = c.values("moving_mean", x.data(), 1)[0] + c.values("layered_mean", x.data(), 1)[0] +
               c.values("peak_mean", x.data(), 1)[0];
    }
    return out;
  };
  const Eigen::VectorXd alone = all();
  Eigen::VectorXd first, second;
  std::thread one([&] { first = all(); }), other([&] { second = all(); });
  one.join();
  other.join();
  CHECK(first == alone);
  CHECK(second == alone);
}

TEST_CASE("what cannot be said in C is refused with the reason") {
  Model model = model_of_every_kind();
  std::size_t k = 0;
  while (model.problem.responses[k].name != "place") ++k;
  model.problem.responses[k].derive = model.problem.derivation(int(k), "max(along, 5, 6 + x1)", "place");
  try {
    c_source(model, {});
    FAIL("it was not refused");
  } catch (const Error& e) {
    CHECK(std::string(e.what()).find("ends that depend on the setting") != std::string::npos);
    CHECK(e.place() == "response place");
  }
}
