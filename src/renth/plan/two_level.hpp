// Regular two-level fractions: generators, words, resolution, aliases. A word is a set of factors as bits.
#pragma once
#include <Eigen/Core>
#include <cstdint>
#include <string>
#include <vector>

namespace renth {

/// A set of factors; bit i is factor i. The product of two effects is the exclusive or of their words.
using Word = std::uint32_t;

/// A 2^(k − q) fraction. `q` added factors equal products of the basic ones, with a sign.
struct Fraction {
  struct Generator {
    int factor = 0;  ///< the added factor
    Word word = 0;   ///< the basic factors whose product it is
    int sign = 1;
  };
  int factors = 0;                    ///< k ≤ 31
  std::vector<Generator> generators;  ///< q
  bool proved = true;                 ///< minimum aberration is proved, not only searched for

  int runs() const { return 1 << (factors - int(generators.size())); }
  /// The defining words without the empty one, 2^q − 1 of them.
  std::vector<Word> defining_words() const;
  /// Length of the shortest defining word; 0 for a full factorial, which confounds nothing.
  int resolution() const;
  /// lengths[i]: how many defining words have i factors.
  std::vector<int> word_lengths() const;
  /// The runs in coded units, standard order (runs × k).
  Eigen::MatrixXd coded() const;
};

/// The fraction of k factors in 2^b runs with minimum aberration: fewest shortest words, then fewest of
/// the next length, … (A. Fries and W. G. Hunter, Technometrics 22, 1980). Branch and bound over the
/// generators; beyond its budget `proved` is false and the best found is returned.
/// \throws Error  k > 31, fewer runs than k + 1, or more than 2¹².
Fraction minimum_aberration(int factors, int base);

/// The fewest runs for a resolution of at least `resolution` (3, 4 or 5), with minimum aberration.
/// \throws Error  it would take more than 4 096 runs.
Fraction smallest_fraction(int factors, int resolution);

/// Factors by name: "e=a*b*c, f=-b*c*d".
/// \throws Error  an unknown factor, one that is generated twice or from a generated one, a word that
///                repeats so that two factors are the same column.
Fraction parse_generators(const std::vector<std::string>& names, const std::string& text);

/// "a*b" for a word, in factor order; "1" for none.
std::string describe_word(const std::vector<std::string>& names, Word word);

/// The alias structure: one line for each main effect and two-factor interaction that is not alone among
/// words of at most `most` factors, "a = b*d*e", "a*b = c*d".
std::vector<std::string> aliases(const Fraction& fraction, const std::vector<std::string>& names, int most);

}  // namespace renth
