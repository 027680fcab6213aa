// What a model works out at one setting, as a row of steps on short vectors: one form from which all others
// that leave the library are written.
#pragma once
#include <Eigen/Core>
#include <map>
#include <string>
#include <vector>

namespace renth {

class Tape;

/// A vector on a tape: a constant, or what a step makes. Arithmetic on vectors adds steps; one of a single
/// value goes with every value of another. The tape must outlive it.
class TapeVector {
 public:
  TapeVector() = default;
  TapeVector(Tape* tape, int step, int width) : tape_(tape), step_(step), width_(width) {}
  int step() const { return step_; }
  int width() const { return width_; }
  Tape& tape() const { return *tape_; }
  explicit operator bool() const { return tape_ != nullptr; }

 private:
  Tape* tape_ = nullptr;
  int step_ = -1, width_ = 0;
};

/// Steps one after another, each from what earlier ones made. What is asked for twice is made once.
class Tape {
 public:
  /// The numbers are those that the program of evaluate.c knows them by.
  enum class Op : int {
    input = 0,
    constant = 1,  ///< numbers: where its values begin
    affine = 2,    ///< numbers: where the matrix (by rows) begins, where the offset does or −1
    lower = 3,     ///< a lower triangle times a vector; numbers: where it begins, packed by rows
    gather = 4,    ///< numbers: the places
    join = 5,
    sum = 6,
    // of each value
    negate = 10,
    exp = 11,
    log = 12,
    log1p = 13,
    sqrt = 14,
    absolute = 15,
    sin = 16,
    cos = 17,
    tan = 18,
    asin = 19,
    acos = 20,
    atan = 21,
    sinh = 22,
    cosh = 23,
    tanh = 24,
    log10 = 25,
    log2 = 26,
    sign = 27,
    round = 28,
    floor = 29,
    ceil = 30,
    // of values in pairs; comparisons give 1 or 0, and 0 where there is no number
    add = 40,
    subtract = 41,
    multiply = 42,
    divide = 43,
    power = 44,
    atan2 = 45,
    less = 46,
    not_above = 47,
    equal = 48,
    // a condition, what holds and what else
    choose = 60,
    // whole methods, which need loops of their own
    nearest = 70,  ///< kriging on the nearest runs: Σ weight · residual, variance as a share of σ²
    moving = 71,   ///< moving least squares: mean, Σ weight²
    covered = 72,  ///< 1 within reach of a run or in the hull of the runs
  };
  struct Step {
    Op op;
    int width;
    std::vector<TapeVector> from;
    std::vector<int> numbers;
    int scratch = 0;  ///< numbers of working memory besides
  };

  Tape() = default;
  Tape(const Tape&) = delete;
  Tape& operator=(const Tape&) = delete;

  TapeVector input(int width);
  TapeVector constant(double value);
  TapeVector constant(const Eigen::VectorXd& values);
  /// matrix · a + offset. \param offset  empty: none.
  TapeVector affine(const Eigen::MatrixXd& matrix, TapeVector a, const Eigen::VectorXd& offset = {});
  /// The lower triangle of a square matrix times a vector.
  TapeVector lower(const Eigen::MatrixXd& matrix, TapeVector a);
  TapeVector gather(TapeVector a, const std::vector<int>& places);
  TapeVector join(const std::vector<TapeVector>& parts);
  TapeVector of_one(Op op, TapeVector a);
  TapeVector of_two(Op op, TapeVector a, TapeVector b);
  TapeVector choose(TapeVector condition, TapeVector yes, TapeVector no);
  TapeVector method(Op op, int width, const std::vector<TapeVector>& from, const std::vector<int>& numbers,
                    int scratch);

  /// Where these values stand among values(), by rows; the same ones stand there once.
  int keep(const Eigen::MatrixXd& by_rows);
  const std::vector<double>& values() const { return values_; }
  const std::vector<Step>& steps() const { return steps_; }

 private:
  TapeVector add(Step step);
  int keep_flat(const std::vector<double>& values);
  std::vector<Step> steps_;
  std::vector<double> values_;
  std::map<std::string, int> known_steps_, known_values_;
};

TapeVector operator+(TapeVector a, TapeVector b);
TapeVector operator-(TapeVector a, TapeVector b);
TapeVector operator*(TapeVector a, TapeVector b);
TapeVector operator/(TapeVector a, TapeVector b);
TapeVector operator+(TapeVector a, double b);
TapeVector operator-(TapeVector a, double b);
TapeVector operator*(double a, TapeVector b);
TapeVector square(TapeVector a);
TapeVector sum(TapeVector a);
TapeVector exp(TapeVector a);
TapeVector sqrt(TapeVector a);
TapeVector absolute(TapeVector a);
TapeVector less(TapeVector a, TapeVector b);
TapeVector not_above(TapeVector a, TapeVector b);
TapeVector equal(TapeVector a, TapeVector b);
/// No less than 0; NaN stays.
TapeVector at_least_zero(TapeVector a);

/// The steps that some outputs need, as numbers: what evaluate.c runs.
struct TapeProgram {
  std::vector<int> code;
  int steps = 0;
  int work = 0;     ///< numbers of working memory
  int outputs = 0;  ///< values that come out, one output after the other
};
TapeProgram program_of(const Tape& tape, const std::vector<TapeVector>& outputs);

}  // namespace renth
