#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <map>
#include <nlohmann/json.hpp>
#include <renth/base/error.hpp>
#include <renth/export/onnx.hpp>
#include <renth/export/protobuf.hpp>
#include <renth/export/tape_model.hpp>
#include <renth/version.hpp>

namespace renth {
namespace {

// Numbers of fields and types: onnx.proto of ONNX 1.12.
enum ElementType { onnx_int64 = 7, onnx_double = 11 };

ProtobufMessage tensor(const std::string& name, const std::vector<std::int64_t>& dims, ElementType type,
                       const void* data, std::size_t bytes) {
  ProtobufMessage out;
  for (const std::int64_t d : dims) out.integer(1, std::uint64_t(d));
  out.integer(2, type);
  out.bytes(8, name);
  out.bytes(9, {static_cast<const char*>(data), bytes});
  return out;
}

ProtobufMessage named_tensor(const std::string& name, int width, const std::string& words) {
  ProtobufMessage settings, columns, shape, tensor, type, out;
  settings.bytes(2, "settings");
  columns.integer(1, std::uint64_t(width));
  shape.message(1, settings);
  shape.message(1, columns);
  tensor.integer(1, onnx_double);
  tensor.message(2, shape);
  type.message(1, tensor);
  out.bytes(1, name);
  out.message(2, type);
  out.bytes(3, words);
  return out;
}

/// Writes the steps of a tape as nodes, each once it is needed.
class Graph {
 public:
  explicit Graph(const Tape& tape) : tape_(tape), done_(tape.steps().size()) {
    for (const Tape::Step& s : tape.steps())
      varies_.push_back(s.op == Tape::Op::input ||
                        std::any_of(s.from.begin(), s.from.end(),
                                    [&](const TapeVector& v) { return varies_[std::size_t(v.step())]; }));
  }

  /// The tensor of a vector, worked out first.
  std::string of(const TapeVector& vector) {
    // From the first step on, so that nothing calls itself as deep as the tape is long.
    std::vector<int> todo{vector.step()};
    while (!todo.empty()) {
      const int s = todo.back();
      if (!done_[std::size_t(s)].empty()) {
        todo.pop_back();
        continue;
      }
      bool ready = true;
      for (const TapeVector& v : tape_.steps()[std::size_t(s)].from)
        if (done_[std::size_t(v.step())].empty()) {
          todo.push_back(v.step());
          ready = false;
        }
      if (!ready) continue;
      done_[std::size_t(s)] = write(tape_.steps()[std::size_t(s)]);
      todo.pop_back();
    }
    return done_[std::size_t(vector.step())];
  }

  /// An output of the graph: a row a setting, also of what does not depend on the setting.
  void output(const std::string& name, const TapeVector& vector, const std::string& words) {
    node("Identity", {in_rows(vector)}, {}, name);
    graph_.message(12, named_tensor(name, vector.width(), words));
  }
  void input(int width, const std::string& words) {
    graph_.message(11, named_tensor("settings", width, words));
  }
  ProtobufMessage& message() { return graph_; }

 private:
  struct Attribute {
    const char* name;
    std::int64_t value;
  };

  std::string node(const char* op, const std::vector<std::string>& from,
                   const std::vector<Attribute>& attributes = {}, std::string to = "") {
    if (to.empty()) to = fmt::format("t{}", ++count_);
    ProtobufMessage out;
    for (const std::string& f : from) out.bytes(1, f);
    out.bytes(2, to);
    out.bytes(4, op);
    for (const Attribute& a : attributes) {
      ProtobufMessage attribute;
      attribute.bytes(1, a.name);
      attribute.integer(3, std::uint64_t(a.value));
      attribute.integer(20, 2);  // a single integer
      out.message(5, attribute);
    }
    graph_.message(1, out);
    return to;
  }

  /// A constant, written once.
  std::string numbers(const std::vector<double>& values, std::int64_t rows, std::int64_t columns) {
    std::string key(reinterpret_cast<const char*>(values.data()), values.size() * sizeof(double));
    key += fmt::format("|{}", rows);
    auto [at, is_new] = constants_.emplace(std::move(key), "");
    if (!is_new) return at->second;
    at->second = fmt::format("c{}", constants_.size());
    graph_.message(
        5, tensor(at->second, {rows, columns}, onnx_double, values.data(), values.size() * sizeof(double)));
    return at->second;
  }
  std::string number(double value) { return numbers({value}, 1, 1); }
  std::string integers(const std::vector<std::int64_t>& values) {
    const std::string name = fmt::format("i{}", ++count_);
    graph_.message(5, tensor(name, {std::int64_t(values.size())}, onnx_int64, values.data(),
                             values.size() * sizeof(std::int64_t)));
    return name;
  }

  /// {settings, width}, as a shape.
  std::string shape(int width) {
    auto& known = shapes_[width];
    if (!known.empty()) return known;
    if (settings_.empty())
      settings_ = node("Gather", {node("Shape", {"settings"}), integers({0})}, {{"axis", 0}});
    return known = node("Concat", {settings_, integers({width})}, {{"axis", 0}});
  }

  /// The tensor of a vector with a row a setting, also of one that is the same for all.
  std::string in_rows(const TapeVector& v) {
    const std::string tensor = of(v);
    return varies_[std::size_t(v.step())] ? tensor : node("Expand", {tensor, shape(v.width())});
  }

  std::string as_double(const std::string& truth) { return node("Cast", {truth}, {{"to", onnx_double}}); }

  const double* values(int at) const { return tape_.values().data() + at; }

  std::string write(const Tape::Step& s) {
    using Op = Tape::Op;
    std::vector<std::string> from;
    for (const TapeVector& v : s.from) from.push_back(done_[std::size_t(v.step())]);
    switch (s.op) {
      case Op::input:
        return "settings";
      case Op::constant:
        return numbers({values(s.numbers[0]), values(s.numbers[0]) + s.width}, 1, s.width);
      case Op::affine: {
        const int k = s.from[0].width();
        std::vector<double> turned;
        for (int j = 0; j < k; ++j)
          for (int i = 0; i < s.width; ++i)
            turned.push_back(values(s.numbers[0])[std::size_t(i) * std::size_t(k) + std::size_t(j)]);
        const std::string product = node("MatMul", {from[0], numbers(turned, k, s.width)});
        if (s.numbers[1] < 0) return product;
        return node("Add",
                    {product, numbers({values(s.numbers[1]), values(s.numbers[1]) + s.width}, 1, s.width)});
      }
      case Op::lower: {
        const auto n = std::size_t(s.width);
        std::vector<double> turned(n * n, 0);
        const double* packed = values(s.numbers[0]);
        for (std::size_t i = 0; i < n; ++i)
          for (std::size_t j = 0; j <= i; ++j) turned[j * n + i] = *packed++;
        return node("MatMul", {from[0], numbers(turned, s.width, s.width)});
      }
      case Op::gather:
        return node("Gather", {from[0], integers({s.numbers.begin(), s.numbers.end()})}, {{"axis", 1}});
      case Op::join: {
        for (std::size_t i = 0; i < from.size(); ++i) from[i] = in_rows(s.from[i]);
        return node("Concat", from, {{"axis", 1}});
      }
      case Op::sum:
        return node("ReduceSum", {from[0], integers({1})}, {{"keepdims", 1}});
      case Op::choose:
        return node("Where", {node("Less", {number(0), from[0]}), from[1], from[2]});
      case Op::less:
        return as_double(node("Less", from));
      case Op::not_above:
        return as_double(node("LessOrEqual", from));
      case Op::equal: {
        const std::string is_number = node("LessOrEqual", {node("Sub", {from[0], from[0]}), number(0)});
        return as_double(node("And", {node("Equal", from), is_number}));
      }
      case Op::log1p:
        return node("Log", {node("Add", {from[0], number(1)})});
      case Op::log10:
        return node("Div", {node("Log", from), number(std::log(10.0))});
      case Op::log2:
        return node("Div", {node("Log", from), number(std::log(2.0))});
      case Op::tan:
        return node("Div", {node("Sin", from), node("Cos", from)});
      case Op::sinh:
      case Op::cosh: {
        const std::string up = node("Exp", from), down = node("Exp", {node("Neg", from)});
        return node("Mul", {number(0.5), node(s.op == Op::sinh ? "Sub" : "Add", {up, down})});
      }
      default:
        return node(simple(s.op), from);
    }
  }

  static const char* simple(Tape::Op op) {
    using Op = Tape::Op;
    static const std::map<Op, const char*> table = {
        {Op::negate, "Neg"}, {Op::exp, "Exp"},      {Op::log, "Log"},      {Op::sqrt, "Sqrt"},
        {Op::sin, "Sin"},    {Op::cos, "Cos"},      {Op::tanh, "Tanh"},    {Op::absolute, "Abs"},
        {Op::sign, "Sign"},  {Op::round, "Round"},  {Op::floor, "Floor"},  {Op::ceil, "Ceil"},
        {Op::add, "Add"},    {Op::subtract, "Sub"}, {Op::multiply, "Mul"}, {Op::divide, "Div"},
        {Op::power, "Pow"}};
    const auto found = table.find(op);
    if (found != table.end()) return found->second;
    throw Error(op == Op::moving ? "moving least squares solves a system at every setting"
                : op == Op::nearest
                    ? "kriging on the nearest runs solves a system at every setting"
                    : "the inverse trigonometric functions are not to be had in double precision",
                "", "export c or fmu, which take all; or name the other responses by --response");
  }

  const Tape& tape_;
  std::vector<std::string> done_;  // the tensor of each step
  std::vector<bool> varies_;       // does a step depend on the setting?
  std::map<std::string, std::string> constants_;
  std::map<int, std::string> shapes_;
  std::string settings_;
  ProtobufMessage graph_;
  int count_ = 0;
};

nlohmann::ordered_json parameters_json(const Problem& problem) {
  nlohmann::ordered_json out = nlohmann::ordered_json::array();
  for (const Parameter& p : problem.space.parameters()) {
    out.push_back({{"name", p.name}, {"unit", p.unit}});
    if (p.is_choice())
      out.back()["choices"] = p.choices;
    else
      out.back()["span"] = {p.low, p.high};
    if (p.kind == Parameter::Kind::levels) out.back()["levels"] = p.values;
  }
  return out;
}

}  // namespace

std::string onnx_bytes(const Model& model, const ModelAbout& about) {
  Tape tape;
  const ModelOnTape on_tape = model_on_tape(tape, model);
  const Problem& problem = model.problem;
  Graph graph(tape);
  std::string names;
  for (const Parameter& p : problem.space.parameters()) names += (names.empty() ? "" : ", ") + p.name;
  graph.input(int(problem.space.size()),
              "a setting a row, natural units, a choice as its index from 0: " + names);
  nlohmann::ordered_json responses = nlohmann::ordered_json::array();
  for (const ModelOnTape::OfResponse& r : on_tape.responses) {
    const Response& response = problem.responses[std::size_t(r.response)];
    const std::string unit = response.unit.empty() ? "" : " [" + response.unit + "]";
    responses.push_back({{"name", response.name}, {"unit", response.unit}});
    const auto worth = about.worth.find(response.name);
    if (worth != about.worth.end()) responses.back()["worth"] = worth->second;
    if (const Axis* axis = problem.axis_of(response)) responses.back()["axis"] = axis->points;
    try {
      graph.output(response.name + "_mean", r.mean, response.title() + unit);
      graph.output(response.name + "_sd", r.sd,
                   "standard deviation of the mean of " + response.title() + unit);
    } catch (const Error& e) {
      throw Error(fmt::format("{} cannot be exported as ONNX: {}, and ONNX has no operator for that",
                              response.name, e.problem()),
                  e.place(), e.remedy());
    }
  }
  graph.message().bytes(2, problem.name.empty() ? "renth" : problem.name);
  ProtobufMessage opset, out;
  opset.bytes(1, "");
  opset.integer(2, 17);
  out.integer(1, 8);
  out.bytes(2, "renth");
  out.bytes(3, version);
  out.bytes(
      6, fmt::format("Surrogates of {}; seed {}; they rest on {} runs. Beyond the region that the runs cover "
                     "they guess, and this graph does not say where that is.",
                     problem.name, about.seed, model.coverage.parts().runs));
  out.message(7, graph.message());
  out.message(8, opset);
  for (const auto& [key, value] :
       {std::pair<std::string, std::string>{"parameters", parameters_json(problem).dump()},
        {"responses", responses.dump()}}) {
    ProtobufMessage entry;
    entry.bytes(1, key);
    entry.bytes(2, value);
    out.message(14, entry);
  }
  return std::move(out.text);
}

}  // namespace renth
