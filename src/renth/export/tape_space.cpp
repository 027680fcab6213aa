#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <renth/export/tape_space.hpp>

namespace renth {

using Eigen::Index;
using Eigen::VectorXd;

namespace {

/// The parameters that are numbers.
std::vector<int> numbers_of(const Space& space) {
  std::vector<int> out;
  for (Index j = 0; j < space.size(); ++j)
    if (!space[j].is_choice()) out.push_back(int(j));
  return out;
}

VectorXd of_each(const Space& space, const std::vector<int>& which, double Parameter::*member) {
  VectorXd out(Index(which.size()));
  for (std::size_t k = 0; k < which.size(); ++k) out[Index(k)] = space[which[k]].*member;
  return out;
}

}  // namespace

TapeVector choice_on_tape(const Parameter& choice, TapeVector x) {
  const auto count = Index(choice.choices.size());
  return equal(x, x.tape().constant(VectorXd::LinSpaced(count, 0, double(count - 1))));
}

TapeVector features_on_tape(const Space& space, TapeVector x) {
  Tape& tape = x.tape();
  const std::vector<int> numbers = numbers_of(space);
  const VectorXd low = of_each(space, numbers, &Parameter::low),
                 high = of_each(space, numbers, &Parameter::high);
  TapeVector unit;
  if (!numbers.empty())
    unit = (tape.gather(x, numbers) - tape.constant(low)) / tape.constant(VectorXd(high - low));
  if (Index(numbers.size()) == space.size()) return unit;
  std::vector<TapeVector> parts;
  int at = 0;
  for (Index j = 0; j < space.size(); ++j)
    parts.push_back(space[j].is_choice() ? std::sqrt(0.5) * choice_on_tape(space[j], tape.gather(x, {int(j)}))
                                         : tape.gather(unit, {at++}));
  return tape.join(parts);
}

TapeVector products_on_tape(TapeVector factors, const std::vector<std::vector<int>>& products) {
  Tape& tape = factors.tape();
  std::size_t longest = 1;
  for (const auto& p : products) longest = std::max(longest, p.size());
  const TapeVector with_one = tape.join({tape.constant(1), factors});
  TapeVector out;
  for (std::size_t k = 0; k < longest; ++k) {
    std::vector<int> places;
    for (const auto& p : products) places.push_back(k < p.size() ? p[k] + 1 : 0);
    const TapeVector column = tape.gather(with_one, places);
    out = out ? out * column : column;
  }
  return out;
}

TapeVector terms_on_tape(const Space& space, const Terms& terms, TapeVector x) {
  Tape& tape = x.tape();
  std::map<Factor, int> place;  // of the factors that occur
  for (const Term& t : terms)
    for (const Factor& f : t.factors) place.emplace(f, 0);
  if (place.empty()) return tape.constant(VectorXd(VectorXd::Ones(Index(terms.size()))));
  std::vector<TapeVector> columns;
  for (auto& [f, at] : place) {
    at = int(columns.size());
    const Parameter& p = space[f.parameter];
    const TapeVector value = tape.gather(x, {f.parameter});
    if (p.is_choice()) {
      columns.push_back(tape.affine(contrasts(int(p.choices.size())).col(f.choice - 1).transpose(),
                                    choice_on_tape(p, value)));
      continue;
    }
    const TapeVector coded =
        ((value - p.low) - (tape.constant(p.high) - value)) / tape.constant(p.high - p.low);
    TapeVector power = coded;
    for (int k = 1; k < f.power; ++k) power = power * coded;
    columns.push_back(power);
  }
  std::vector<std::vector<int>> products;
  for (const Term& t : terms) {
    products.emplace_back();
    for (const Factor& f : t.factors) products.back().push_back(place[f]);
  }
  return products_on_tape(tape.join(columns), products);
}

TapeVector exists_on_tape(const Space& space, TapeVector x) {
  Tape& tape = x.tape();
  TapeVector out = equal(x, x);  // not for NaN and infinity
  out = equal(sum(out), tape.constant(double(x.width())));
  for (Index j = 0; j < space.size(); ++j) {
    const Parameter& p = space[j];
    const TapeVector value = tape.gather(x, {int(j)});
    if (p.is_choice())
      out = out * sum(choice_on_tape(p, value));
    else if (p.kind == Parameter::Kind::levels)
      out = out * sum(equal(value, tape.constant(VectorXd(Eigen::Map<const VectorXd>(
                                       p.values.data(), Index(p.values.size()))))));
  }
  return out;
}

}  // namespace renth
