#include <doctest/doctest.h>

#include <renth/fit/methods.hpp>
#include <renth/numeric/random.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

TEST_CASE("a fit to part of few runs that scatter owes nothing to the fit to all of them") {
  const Space space = cube(2);
  Stream noise(5, "noise");
  const auto curved = [&](const Eigen::VectorXd& x) {
    return std::sin(6 * x[0]) + x[1] + 0.5 * noise.normal();
  };
  Data data = data_of(spread_out(space, 24, 5), curved, true);
  std::vector<Eigen::Index> half;
  for (Eigen::Index i = 0; i < data.size(); i += 2) half.push_back(i);
  for (const char* kind : {"kriging", "chaos"})
    for (const FitMethod& method : surrogate_kind(kind).methods(space, data, {})) {
      if (method.settings == "logarithmic scale") continue;  // which a sum does not ask for
      const auto whole = method.fit(space, data, 1);
      const auto again = method.again(*whole)(space, data.rows(half), 1);
      const auto alone = method.fit(space, data.rows(half), 1);
      CHECK(again->predict(data.inputs).mean == alone->predict(data.inputs).mean);
    }
  // Of an exact solver it takes over the kernel, and starts from the lengths.
  data.noisy = false;
  for (const FitMethod& method : surrogate_kind("kriging").methods(space, data, {})) {
    if (method.settings == "logarithmic scale") continue;
    const auto whole = method.fit(space, data, 1);
    const auto again = method.again(*whole)(space, data.rows(half), 1);
    CHECK(likeliest_process(*again)->kernel == likeliest_process(*whole)->kernel);
  }
}

TEST_CASE("a kind that nobody knows is refused with those there are") {
  CHECK_THROWS_WITH_AS(surrogate_kind("spline"), doctest::Contains("kriging, chaos, rbf, moving, blend"),
                       Error);
}

TEST_CASE("bytes that no fit wrote are a surrogate or an error, and nothing else") {
  const Space space = cube(2);
  const Data data = data_of(
      spread_out(space, 12, 5), [](const Eigen::VectorXd& x) { return std::sin(6 * x[0]) + x[1]; }, true);
  Stream stream(1, "bits");
  int refused = 0;
  for (const char* kind : {"polynomial", "kriging", "rbf", "moving", "chaos"}) {
    CAPTURE(kind);
    const Archive whole = surrogate_kind(kind).methods(space, data, {}).front().fit(space, data, 1)->save();
    for (int i = 0; i < 300; ++i) {
      Archive damaged = whole;
      char& byte = damaged.bytes[stream.below(damaged.bytes.size())];
      byte = static_cast<char>(static_cast<unsigned char>(byte) ^ (1U << stream.below(8)));
      if (i % 10 == 0) damaged.bytes.resize(stream.below(damaged.bytes.size()));
      try {
        load_surrogate(damaged);
      } catch (const Error&) {
        ++refused;
      }
    }
  }
  CHECK(refused > 100);
  // Members without end.
  Archive deep = surrogate_kind("kriging").methods(space, data, {}).front().fit(space, data, 1)->save();
  for (int i = 0; i < 30; ++i) {
    ArchiveWriter out;
    out.number("factor", 1);
    out.count("members", 1);
    out.member("member", deep);
    deep = out.take("rescaled", 1);
  }
  CHECK_THROWS_WITH_AS(load_surrogate(deep), doctest::Contains("without end"), Error);
  ArchiveWriter none;
  none.number("factor", 1);
  none.count("members", 0);
  CHECK_THROWS_WITH_AS(load_surrogate(none.take("rescaled", 1)), doctest::Contains("contradicts itself"),
                       Error);
}
