#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/base/text.hpp>
#include <renth/terms/terms.hpp>

namespace renth {

bool canonical_less(const Term& a, const Term& b);

namespace {

[[noreturn]] void fail(std::string_view text, std::size_t at, const std::string& problem,
                       const std::string& remedy) {
  throw Error(problem, fmt::format("terms \"{}\", character {}", around(text, at), at + 1), remedy);
}

/// All the ways one parameter can enter with a given power: one factor, or one a contrast.
std::vector<Factor> factors_of(const Space& space, int parameter, int power) {
  std::vector<Factor> out;
  if (!space[parameter].is_choice()) return {{parameter, power, 0}};
  if (power == 1)
    for (int c = 1; c < static_cast<int>(space[parameter].choices.size()); ++c)
      out.push_back({parameter, 1, c});
  return out;
}

int most_power(const Parameter& p) {
  const int count = p.settable_count();
  return p.is_choice() ? 1 : count == 0 ? 99 : count - 1;
}

/// All products of total order ≤ `order`; powers only if `powers`.
void all_products(const Space& space, int first, int order, bool powers, const Term& base, Terms& out) {
  out.push_back(base);
  for (int j = first; j < space.size(); ++j)
    for (int power = 1; power <= (powers ? std::min(order, most_power(space[j])) : std::min(order, 1));
         ++power)
      for (const Factor& f : factors_of(space, j, power)) {
        Term grown = base;
        grown.factors.push_back(f);
        all_products(space, j + 1, order - power, powers, grown, out);
      }
}

class Parser {
 public:
  Parser(const Space& space, std::string_view text) : space_(space), text_(text) {}

  Terms parse() {
    Terms terms = {Term{}};
    bool add = true;
    skip();
    if (at_ == text_.size()) fail(text_, at_, "no terms", "write quadratic, or a sum such as 1 + radius");
    if (peek() == '+' || peek() == '-') add = text_[at_++] == '+';
    for (;;) {
      const std::size_t start = at_;
      for (const Term& term : product()) {
        const auto found = std::find(terms.begin(), terms.end(), term);
        if (add && found == terms.end()) terms.push_back(term);
        if (!add) {
          if (found == terms.end())
            fail(text_, start, "the term " + name(space_, term) + " is not in the sum",
                 "remove only what is there");
          terms.erase(found);
        }
      }
      skip();
      if (at_ == text_.size()) break;
      if (peek() != '+' && peek() != '-') fail(text_, at_, "expected + or -", "write a sum of products");
      add = text_[at_++] == '+';
    }
    if (terms.empty()) fail(text_, 0, "all terms were removed", "keep at least one");
    std::sort(terms.begin(), terms.end(), canonical_less);
    return terms;
  }

 private:
  char peek() const { return at_ < text_.size() ? text_[at_] : '\0'; }
  void skip() {
    while (std::isspace(static_cast<unsigned char>(peek()))) ++at_;
  }

  std::vector<Term> product() {
    std::vector<Term> out = {Term{}};
    bool first = true;
    for (;;) {
      skip();
      const std::size_t start = at_;
      if (std::isdigit(static_cast<unsigned char>(peek()))) {
        if (peek() != '1' ||
            (at_ + 1 < text_.size() && std::isalnum(static_cast<unsigned char>(text_[at_ + 1]))))
          fail(text_, at_, "a number other than 1", "terms have no coefficients: they are fitted");
        ++at_;
      } else {
        const std::string word = identifier();
        Terms family;
        if (first && keyword(word, family)) {
          skip();
          if (peek() == '*') fail(text_, at_, word + " cannot be multiplied", "write the products out");
          return family;
        }
        out = times(out, factor(word, start), start);
      }
      first = false;
      skip();
      if (peek() != '*') return out;
      ++at_;
    }
  }

  std::string identifier() {
    const std::size_t start = at_;
    while (std::isalnum(static_cast<unsigned char>(peek())) || peek() == '_') ++at_;
    if (at_ == start)
      fail(text_, at_, "expected a parameter", "write a sum such as 1 + radius + radius*draft");
    return std::string(text_.substr(start, at_ - start));
  }

  bool keyword(const std::string& word, Terms& family) const {
    if (space_.find(word)) return false;  // a parameter may be called "linear"
    const bool powers = word == "quadratic" || word == "cubic" || word == "quartic";
    const int order = word == "linear"                            ? 1
                      : word == "products" || word == "quadratic" ? 2
                      : word == "cubic"                           ? 3
                      : word == "quartic"                         ? 4
                                                                  : 0;
    if (order == 0) return false;
    all_products(space_, 0, order, powers, Term{}, family);
    return true;
  }

  std::vector<Factor> factor(const std::string& word, std::size_t start) {
    const auto parameter = space_.find(word);
    if (!parameter) {
      std::vector<std::string> known;
      for (const Parameter& p : space_.parameters()) known.push_back(p.name);
      known.insert(known.end(), {"linear", "products", "quadratic", "cubic"});
      fail(text_, start, "unknown parameter " + word, instead_of(word, known));
    }
    const int j = static_cast<int>(*parameter);
    const Parameter& p = space_[j];
    if (peek() == '[') {
      const std::size_t end = text_.find(']', at_);
      if (end == std::string_view::npos) fail(text_, at_, "a [ without ]", "write hull[composite]");
      const std::string choice(text_.substr(at_ + 1, end - at_ - 1));
      const auto found = std::find(p.choices.begin(), p.choices.end(), choice);
      if (found == p.choices.end())
        fail(text_, at_, "unknown " + p.name + " \"" + choice + "\"", instead_of(choice, p.choices));
      if (found == p.choices.begin())
        fail(text_, at_, "\"" + choice + "\" is the choice left out", "the others are measured against it");
      at_ = end + 1;
      return {{j, 1, static_cast<int>(found - p.choices.begin())}};
    }
    int power = 1;
    skip();
    if (peek() == '^') {
      ++at_;
      skip();
      if (peek() < '1' || peek() > '9') fail(text_, at_, "a power must be 1 … 9", "write radius^2");
      power = text_[at_++] - '0';
      if (std::isdigit(static_cast<unsigned char>(peek())))
        fail(text_, at_, "a power must be 1 … 9", "write radius^2");
    }
    if (p.is_choice() && power > 1)
      fail(text_, start, "a power of the choice " + p.name,
           "choices have no order and so no square: remove the term");
    return factors_of(space_, j, power);
  }

  std::vector<Term> times(const std::vector<Term>& terms, const std::vector<Factor>& factors,
                          std::size_t start) const {
    std::vector<Term> out;
    for (const Term& term : terms)
      for (const Factor& f : factors) {
        Term grown = term;
        const auto same = std::find_if(grown.factors.begin(), grown.factors.end(),
                                       [&](const Factor& g) { return g.parameter == f.parameter; });
        if (same == grown.factors.end()) {
          grown.factors.push_back(f);
          std::sort(grown.factors.begin(), grown.factors.end());
        } else if (f.choice > 0) {
          fail(text_, start, "a power of the choice " + space_[f.parameter].name,
               "choices have no order and so no square: remove the term");
        } else {
          same->power += f.power;
        }
        out.push_back(std::move(grown));
      }
    return out;
  }

  const Space& space_;
  std::string_view text_;
  std::size_t at_ = 0;
};

}  // namespace

Terms parse_terms(const Space& space, std::string_view text) {
  return Parser(space, text).parse();
}

std::vector<Terms> parse_models(const Space& space, std::string_view text) {
  std::vector<Terms> out;
  for (std::size_t at = 0; at <= text.size();) {
    const std::size_t end = std::min(text.find(';', at), text.size());
    out.push_back(parse_terms(space, text.substr(at, end - at)));
    at = end + 1;
  }
  std::stable_sort(out.begin(), out.end(),
                   [](const Terms& a, const Terms& b) { return a.size() > b.size(); });
  return out;
}

}  // namespace renth
