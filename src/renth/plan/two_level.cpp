#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <renth/base/error.hpp>
#include <renth/plan/two_level.hpp>
#include <set>

namespace renth {
namespace {

/// Words with the sign of their product.
struct Signed {
  Word word = 0;
  int sign = 1;
};

std::vector<Signed> signed_words(const Fraction& f) {
  std::vector<Signed> words = {{}};
  for (const Fraction::Generator& g : f.generators) {
    const std::size_t n = words.size();
    for (std::size_t i = 0; i < n; ++i)
      words.push_back({words[i].word ^ g.word ^ (Word{1} << g.factor), words[i].sign * g.sign});
  }
  words.erase(words.begin());
  return words;
}

/// Branch and bound over which interaction columns the added factors take, in descending order of length.
class AberrationSearch {
 public:
  AberrationSearch(int factors, int base) : factors_(factors), base_(base) {
    for (Word w = 1; w < Word{1} << base; ++w)
      if (std::popcount(w) >= 2) columns_.push_back(w);
    std::stable_sort(columns_.begin(), columns_.end(),
                     [](Word a, Word b) { return std::popcount(a) > std::popcount(b); });
    best_.assign(std::size_t(factors) + 1, 1 << 28);
  }

  Fraction run() {
    std::vector<Word> words = {0};
    std::vector<int> lengths(std::size_t(factors_) + 1, 0);
    descend(0, words, lengths);
    Fraction out;
    out.factors = factors_;
    out.proved = nodes_ < budget;
    for (std::size_t k = 0; k < best_columns_.size(); ++k)
      out.generators.push_back({base_ + int(k), best_columns_[k], 1});
    return out;
  }

 private:
  static constexpr long budget = 300'000;

  void descend(std::size_t from, const std::vector<Word>& words, const std::vector<int>& lengths) {
    const int added = int(chosen_.size()), wanted = factors_ - base_;
    if (added == wanted) {
      if (lengths < best_) {
        best_ = lengths;
        best_columns_ = chosen_;
      }
      return;
    }
    for (std::size_t c = from; c + std::size_t(wanted - added) <= columns_.size(); ++c) {
      if (++nodes_ >= budget && !best_columns_.empty()) return;
      std::vector<Word> more = words;
      std::vector<int> longer = lengths;
      const Word own = columns_[c] | Word{1} << (base_ + added);
      for (const Word w : words) {
        more.push_back(w ^ own);
        ++longer[std::size_t(std::popcount(w ^ own))];
      }
      // Words are only ever added, so a pattern that is worse now stays worse.
      if (longer > best_) continue;
      chosen_.push_back(columns_[c]);
      descend(c + 1, more, longer);
      chosen_.pop_back();
    }
  }

  int factors_, base_;
  std::vector<Word> columns_, chosen_, best_columns_;
  std::vector<int> best_;
  long nodes_ = 0;
};

}  // namespace

std::vector<Word> Fraction::defining_words() const {
  std::vector<Word> out;
  for (const Signed& s : signed_words(*this)) out.push_back(s.word);
  return out;
}

std::vector<int> Fraction::word_lengths() const {
  std::vector<int> out(std::size_t(factors) + 1, 0);
  for (const Word w : defining_words()) ++out[std::size_t(std::popcount(w))];
  return out;
}

int Fraction::resolution() const {
  int least = 0;
  for (const Word w : defining_words())
    least = least == 0 ? std::popcount(w) : std::min(least, std::popcount(w));
  return least;
}

Eigen::MatrixXd Fraction::coded() const {
  Eigen::MatrixXd out(runs(), factors);
  std::vector<int> basic;
  Word added = 0;
  for (const Generator& g : generators) added |= Word{1} << g.factor;
  for (int j = 0; j < factors; ++j)
    if (!(added >> j & 1U)) basic.push_back(j);
  for (int i = 0; i < runs(); ++i)
    for (std::size_t b = 0; b < basic.size(); ++b) out(i, basic[b]) = i >> b & 1 ? 1 : -1;
  for (const Generator& g : generators) {
    out.col(g.factor).setConstant(g.sign);
    for (int j = 0; j < factors; ++j)
      if (g.word >> j & 1U) out.col(g.factor).array() *= out.col(j).array();
  }
  return out;
}

Fraction minimum_aberration(int factors, int base) {
  if (base > 12 || factors > 31 || base >= 31 || factors >= 1 << base)
    throw Error(fmt::format("there is no two-level fraction of {} parameters in 2^{} runs", factors, base),
                "plan fractional-factorial", "use plackett-burman, or another number of runs");
  if (base >= factors) return {factors, {}, true};
  return AberrationSearch(factors, base).run();
}

Fraction smallest_fraction(int factors, int resolution) {
  for (int base = 2; base <= 12; ++base) {
    if (factors >= 1 << base) continue;
    if (base >= factors) return {factors, {}, true};
    // Bounds that spare the search: resolution IV needs 2k runs, V as many as effects of order two.
    if (resolution >= 4 && 1 << base < 2 * factors) continue;
    if (resolution >= 5 && 1 << base < 1 + factors + factors * (factors - 1) / 2) continue;
    const Fraction f = minimum_aberration(factors, base);
    if (f.resolution() >= resolution) return f;
  }
  throw Error(fmt::format("resolution {} of {} parameters takes more than 4096 runs", resolution, factors),
              "plan fractional-factorial", "ask for a lower `resolution`, or use plackett-burman");
}

std::string describe_word(const std::vector<std::string>& names, Word word) {
  std::string text;
  for (std::size_t j = 0; j < names.size(); ++j)
    if (word >> j & 1U) text += (text.empty() ? "" : "*") + names[j];
  return text.empty() ? "1" : text;
}

Fraction parse_generators(const std::vector<std::string>& names, const std::string& text) {
  const std::string where = "`generators`";
  Fraction out;
  out.factors = int(names.size());
  const auto trim = [](std::string s) {
    const auto from = s.find_first_not_of(" \t"), to = s.find_last_not_of(" \t");
    return from == std::string::npos ? std::string() : s.substr(from, to - from + 1);
  };
  const auto factor = [&](const std::string& name) {
    const auto found = std::find(names.begin(), names.end(), name);
    if (found == names.end())
      throw Error(fmt::format("\"{}\" is not a parameter", name), where,
                  fmt::format("use {}", fmt::join(names, ", ")));
    return int(found - names.begin());
  };
  Word generated = 0;
  for (std::size_t at = 0; at <= text.size();) {
    const std::size_t end = std::min(text.find(',', at), text.size()), equals = text.find('=', at);
    if (equals == std::string::npos || equals >= end)
      throw Error(fmt::format("\"{}\" is not a generator", trim(text.substr(at, end - at))), where,
                  "write e=a*b*c, separated by commas");
    Fraction::Generator g;
    g.factor = factor(trim(text.substr(at, equals - at)));
    std::string product = trim(text.substr(equals + 1, end - equals - 1));
    if (!product.empty() && product[0] == '-') {
      g.sign = -1;
      product = product.substr(1);
    }
    for (std::size_t p = 0; p <= product.size();) {
      const std::size_t star = std::min(product.find('*', p), product.size());
      const int j = factor(trim(product.substr(p, star - p)));
      if (g.word >> j & 1U)
        throw Error(names[std::size_t(j)] + " is twice in a generator", where, "name it once");
      g.word |= Word{1} << j;
      p = star + 1;
    }
    if (generated >> g.factor & 1U)
      throw Error(names[std::size_t(g.factor)] + " is generated twice", where,
                  "give each parameter one generator");
    generated |= Word{1} << g.factor;
    out.generators.push_back(g);
    at = end + 1;
  }
  for (const Fraction::Generator& g : out.generators)
    if ((g.word & generated) != 0)
      throw Error(
          fmt::format("{} is made from a parameter that is generated itself", names[std::size_t(g.factor)]),
          where, "use only parameters without a generator on the right");
  for (const Word w : out.defining_words())
    if (std::popcount(w) <= 2)
      throw Error(
          fmt::format("these generators make {} and {} the same column",
                      names[std::size_t(std::countr_zero(w))], names[std::size_t(31 - std::countl_zero(w))]),
          where, "give them different products of at least two parameters");
  return out;
}

std::vector<std::string> aliases(const Fraction& fraction, const std::vector<std::string>& names, int most) {
  const std::vector<Signed> words = signed_words(fraction);
  std::vector<Word> effects;
  for (int order = 1; order <= 2; ++order)
    for (Word w = 1; w < Word{1} << fraction.factors; w = order == 1 ? w << 1 : w + 1)
      if (std::popcount(w) == order) effects.push_back(w);
  std::vector<std::string> out;
  std::set<Word> said;
  for (const Word effect : effects) {
    if (said.contains(effect)) continue;
    std::vector<Signed> with;
    for (const Signed& s : words)
      if (const Word other = s.word ^ effect; std::popcount(other) <= most) with.push_back({other, s.sign});
    if (with.empty()) continue;
    std::stable_sort(with.begin(), with.end(), [](const Signed& a, const Signed& b) {
      return std::popcount(a.word) < std::popcount(b.word);
    });
    std::string line = describe_word(names, effect);
    for (const Signed& s : with) {
      line += (s.sign < 0 ? " = -" : " = ") + describe_word(names, s.word);
      said.insert(s.word);
    }
    out.push_back(line);
  }
  return out;
}

}  // namespace renth
