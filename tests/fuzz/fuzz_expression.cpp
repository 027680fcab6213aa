#include <cmath>
#include <fuzz.hpp>
#include <renth/expression/expression.hpp>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
  using namespace renth;
  static const std::vector<Symbol> symbols = {{"a", Symbol::Kind::number, {}, {}},
                                              {"b", Symbol::Kind::number, {}, {}},
                                              {"hull", Symbol::Kind::choice, {"steel", "wood"}, {}},
                                              {"c", Symbol::Kind::curve, {}, {1, 2, 4}}};
  return fuzz::answers([&] {
    const Expression e(fuzz::text_of(bytes, size), symbols, "f");
    const double numbers[] = {0.5, -3, 1, 0};
    const std::vector<Eigen::VectorXd> curves = {{}, {}, {}, Eigen::Vector3d(2, -1, 5)};
    ManyBindings many;
    many.numbers = Eigen::RowVector4d(0.5, -3, 1, 0);
    many.curves.resize(4);
    many.curves[3] = Eigen::RowVector3d(2, -1, 5);
    const double at_once = e.values(many)[0];
    const double one = e.is_condition() ? e.margin({numbers, &curves}) : e.value({numbers, &curves});
    // One point and many are two ways to one answer.
    if (!(one == at_once)) __builtin_trap();
  });
}
