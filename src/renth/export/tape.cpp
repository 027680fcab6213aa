#include <algorithm>
#include <cstring>
#include <iterator>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/export/tape.hpp>

namespace renth {
namespace {

template <class T>
void append_bytes(std::string& out, const T* from, std::size_t count) {
  out.append(reinterpret_cast<const char*>(from), count * sizeof(T));
}

}  // namespace

TapeVector Tape::add(Step step) {
  std::string key;
  const int head[] = {int(step.op), step.width};
  append_bytes(key, head, 2);
  for (const TapeVector& v : step.from) {
    const int from = v.step();
    append_bytes(key, &from, 1);
  }
  append_bytes(key, step.numbers.data(), step.numbers.size());
  const int width = step.width;
  const auto [at, is_new] = known_steps_.emplace(std::move(key), int(steps_.size()));
  if (is_new) steps_.push_back(std::move(step));
  return {this, at->second, width};
}

int Tape::keep_flat(const std::vector<double>& values) {
  std::string key;
  append_bytes(key, values.data(), values.size());
  const auto [at, is_new] = known_values_.emplace(std::move(key), int(values_.size()));
  if (!is_new) return at->second;
  if (values_.size() + values.size() > std::size_t(std::numeric_limits<int>::max() / 2))
    throw Error("the model has more than a thousand million numbers", "surrogates",
                "export fewer responses, or fit a kind that is smaller, such as polynomial");
  values_.insert(values_.end(), values.begin(), values.end());
  return at->second;
}

int Tape::keep(const Eigen::MatrixXd& m) {
  std::vector<double> flat;
  flat.reserve(std::size_t(m.size()));
  for (Eigen::Index i = 0; i < m.rows(); ++i)
    for (Eigen::Index j = 0; j < m.cols(); ++j) flat.push_back(m(i, j));
  return keep_flat(flat);
}

TapeVector Tape::input(int width) {
  return add({Op::input, width, {}, {}});
}

TapeVector Tape::constant(const Eigen::VectorXd& values) {
  return add({Op::constant, int(values.size()), {}, {keep(values)}});
}

TapeVector Tape::constant(double value) {
  return constant(Eigen::VectorXd::Constant(1, value));
}

TapeVector Tape::affine(const Eigen::MatrixXd& matrix, TapeVector a, const Eigen::VectorXd& offset) {
  return add({Op::affine, int(matrix.rows()), {a}, {keep(matrix), offset.size() > 0 ? keep(offset) : -1}});
}

TapeVector Tape::lower(const Eigen::MatrixXd& matrix, TapeVector a) {
  std::vector<double> packed;
  for (Eigen::Index i = 0; i < matrix.rows(); ++i)
    for (Eigen::Index j = 0; j <= i; ++j) packed.push_back(matrix(i, j));
  return add({Op::lower, a.width(), {a}, {keep_flat(packed)}});
}

TapeVector Tape::gather(TapeVector a, const std::vector<int>& places) {
  return add({Op::gather, int(places.size()), {a}, places});
}

TapeVector Tape::join(const std::vector<TapeVector>& parts) {
  if (parts.size() == 1) return parts[0];
  int width = 0;
  for (const TapeVector& p : parts) width += p.width();
  return add({Op::join, width, parts, {}});
}

TapeVector Tape::of_one(Op op, TapeVector a) {
  return add({op, a.width(), {a}, {}});
}

TapeVector Tape::of_two(Op op, TapeVector a, TapeVector b) {
  return add({op, std::max(a.width(), b.width()), {a, b}, {}});
}

TapeVector Tape::choose(TapeVector condition, TapeVector yes, TapeVector no) {
  return add({Op::choose, std::max({condition.width(), yes.width(), no.width()}), {condition, yes, no}, {}});
}

TapeVector Tape::method(Op op, int width, const std::vector<TapeVector>& from,
                        const std::vector<int>& numbers, int scratch) {
  return add({op, width, from, numbers, scratch});
}

TapeVector operator+(TapeVector a, TapeVector b) {
  return a.tape().of_two(Tape::Op::add, a, b);
}
TapeVector operator-(TapeVector a, TapeVector b) {
  return a.tape().of_two(Tape::Op::subtract, a, b);
}
TapeVector operator*(TapeVector a, TapeVector b) {
  return a.tape().of_two(Tape::Op::multiply, a, b);
}
TapeVector operator/(TapeVector a, TapeVector b) {
  return a.tape().of_two(Tape::Op::divide, a, b);
}
TapeVector operator+(TapeVector a, double b) {
  return a + a.tape().constant(b);
}
TapeVector operator-(TapeVector a, double b) {
  return a - a.tape().constant(b);
}
TapeVector operator*(double a, TapeVector b) {
  return b.tape().constant(a) * b;
}
TapeVector square(TapeVector a) {
  return a * a;
}
TapeVector sum(TapeVector a) {
  return a.width() == 1 ? a : a.tape().method(Tape::Op::sum, 1, {a}, {}, 0);
}
TapeVector exp(TapeVector a) {
  return a.tape().of_one(Tape::Op::exp, a);
}
TapeVector sqrt(TapeVector a) {
  return a.tape().of_one(Tape::Op::sqrt, a);
}
TapeVector absolute(TapeVector a) {
  return a.tape().of_one(Tape::Op::absolute, a);
}
TapeVector less(TapeVector a, TapeVector b) {
  return a.tape().of_two(Tape::Op::less, a, b);
}
TapeVector not_above(TapeVector a, TapeVector b) {
  return a.tape().of_two(Tape::Op::not_above, a, b);
}
TapeVector equal(TapeVector a, TapeVector b) {
  return a.tape().of_two(Tape::Op::equal, a, b);
}
TapeVector at_least_zero(TapeVector a) {
  const TapeVector zero = a.tape().constant(0);
  return a.tape().choose(less(a, zero), zero, a);
}

namespace {

/// Working memory in pieces that are free again when nobody needs them any more.
class Pieces {
 public:
  int take(int size) {
    for (auto at = free_.begin(); at != free_.end(); ++at) {
      if (at->second < size) continue;
      const int begin = at->first, left = at->second - size;
      free_.erase(at);
      if (left > 0) free_[begin + size] = left;
      return begin;
    }
    const int begin = end_;
    end_ += size;
    return begin;
  }
  void give_back(int begin, int size) {
    auto at = free_.emplace(begin, size).first;
    const auto next = std::next(at);
    if (next != free_.end() && at->first + at->second == next->first) {
      at->second += next->second;
      free_.erase(next);
    }
    if (at == free_.begin()) return;
    const auto before = std::prev(at);
    if (before->first + before->second != at->first) return;
    before->second += at->second;
    free_.erase(at);
  }
  int end() const { return end_; }

 private:
  std::map<int, int> free_;  // where they begin, and their sizes
  int end_ = 0;
};

}  // namespace

TapeProgram program_of(const Tape& tape, const std::vector<TapeVector>& outputs) {
  const std::vector<Tape::Step>& steps = tape.steps();
  constexpr int never = -1, at_the_end = std::numeric_limits<int>::max();
  std::vector<int> last(steps.size(), never);  // the last step that reads what one makes
  for (const TapeVector& v : outputs) last[std::size_t(v.step())] = at_the_end;
  for (int s = int(steps.size()) - 1; s >= 0; --s) {
    if (last[std::size_t(s)] == never) continue;
    for (const TapeVector& v : steps[std::size_t(s)].from)
      last[std::size_t(v.step())] = std::max(last[std::size_t(v.step())], s);
  }
  // Where each vector stands: in working memory from 0 on; constants, among the values, and the input below
  // 0.
  TapeProgram out;
  Pieces pieces;
  std::vector<int> place(steps.size(), 0);
  const auto operand = [&](const TapeVector& v) {
    out.code.push_back(place[std::size_t(v.step())]);
    out.code.push_back(v.width());
  };
  for (std::size_t s = 0; s < steps.size(); ++s) {
    const Tape::Step& step = steps[s];
    if (last[s] == never) continue;
    if (step.op == Tape::Op::constant) {
      place[s] = -2 - step.numbers[0];
      continue;
    }
    if (step.op == Tape::Op::input) {
      place[s] = -1;
      continue;
    }
    place[s] = pieces.take(step.width + step.scratch);
    out.code.insert(out.code.end(),
                    {int(step.op), step.width, place[s], int(step.from.size()), int(step.numbers.size())});
    for (const TapeVector& v : step.from) operand(v);
    out.code.insert(out.code.end(), step.numbers.begin(), step.numbers.end());
    ++out.steps;
    if (step.scratch > 0) pieces.give_back(place[s] + step.width, step.scratch);
    std::vector<int> read;
    for (const TapeVector& v : step.from) read.push_back(v.step());
    std::sort(read.begin(), read.end());
    read.erase(std::unique(read.begin(), read.end()), read.end());
    for (const int r : read)
      if (last[std::size_t(r)] == int(s) && place[std::size_t(r)] >= 0)
        pieces.give_back(place[std::size_t(r)], steps[std::size_t(r)].width);
  }
  out.code.push_back(int(outputs.size()));  // where the outputs stand
  for (const TapeVector& v : outputs) {
    operand(v);
    out.outputs += v.width();
  }
  out.work = std::max(1, pieces.end());
  return out;
}

}  // namespace renth
