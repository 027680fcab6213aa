#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/export/c_source.hpp>
#include <renth/export/comment_text.hpp>
#include <renth/version.hpp>

namespace renth {
namespace {

std::string number_text(double v) {
  if (std::isnan(v)) return "NAN";
  if (std::isinf(v)) return v > 0 ? "INFINITY" : "-INFINITY";
  return fmt::format("{}", v);
}

template <class Range, class Text>
void write_table(std::string& to, const std::string& head, const Range& values, const Text& text) {
  constexpr std::size_t widest = 112;
  to += head + " = {";
  std::string line = "\n ";
  for (std::size_t i = 0; i < values.size(); ++i) {
    const std::string next = " " + text(values[i]) + (i + 1 < values.size() ? "," : "");
    if (line.size() + next.size() > widest) {
      to += line;
      line = "\n ";
    }
    line += next;
  }
  to += line + "};\n";
}

std::string words_of(const Parameter& p) {
  if (p.is_choice()) {
    std::string out;
    for (std::size_t c = 0; c < p.choices.size(); ++c)
      out += fmt::format("{}{} {}", c ? ", " : "", c, comment_text(p.choices[c]));
    return out;
  }
  std::string out = fmt::format("{} to {}", p.low, p.high);
  if (!p.unit.empty()) out += " " + comment_text(p.unit);
  if (p.kind == Parameter::Kind::levels) {
    out += ", only";
    for (std::size_t k = 0; k < p.values.size(); ++k) out += fmt::format("{} {}", k ? "," : "", p.values[k]);
  }
  return out;
}

std::string head(const Model& model, const ModelOnTape& on_tape, const ModelAbout& about, int work) {
  const Problem& problem = model.problem;
  std::string out =
      fmt::format("/* Surrogates of {}, written by renth {}; seed {}. They rest on {} runs.\n *\n",
                  comment_text(problem.name), version, about.seed, model.coverage.parts().runs);
  out += " * The setting, natural units:\n";
  for (Eigen::Index j = 0; j < problem.space.size(); ++j) {
    const Parameter& p = problem.space[j];
    out += fmt::format(" *   x[{}]  {}: {}{}\n", j, p.name, words_of(p),
                       p.label.empty() ? "" : " (" + comment_text(p.label) + ")");
  }
  for (const FixedParameter& f : problem.fixed) {
    const auto* number = std::get_if<double>(&f.value);
    out += fmt::format(" *   {} is {}{}{}\n", f.name,
                       number ? fmt::format("{}", *number) : comment_text(std::get<std::string>(f.value)),
                       f.unit.empty() ? "" : " ", comment_text(f.unit));
  }
  out += " * The responses, each with its mean and the standard deviation of the mean:\n";
  for (const ModelOnTape::OfResponse& r : on_tape.responses) {
    const Response& response = problem.responses[std::size_t(r.response)];
    out += fmt::format(" *   {}{}", response.name,
                       response.unit.empty() ? "" : " (" + comment_text(response.unit) + ")");
    if (const Axis* axis = problem.axis_of(response))
      out += fmt::format(": out[0] to out[{}] along {} {} to {} {}", axis->points.size() - 1, axis->name,
                         axis->points.front(), axis->points.back(), comment_text(axis->unit));
    const auto& part = model.parts[std::size_t(r.response)];
    out += part ? fmt::format(", {}", part->surrogate->kind())
                : ", worked out: " + comment_text(response.derive->text());
    const auto worth = about.worth.find(response.name);
    if (worth != about.worth.end()) out += "; " + comment_text(worth->second);
    out += "\n";
  }
  out += fmt::format(
      " * inside: 1 within the region that the runs cover, else 0; beyond it surrogates guess.\n"
      " * A setting that does not exist (no number, between levels, no choice) gives NaN and inside 0.\n"
      " * C99; nothing is allocated or kept, so calls may run side by side; a call takes {} bytes of stack. "
      "*/\n",
      std::size_t(work) * sizeof(double));
  return out;
}

/// One function that runs a program.
void write_function(std::string& to, const std::string& name, const TapeProgram& p, const std::string& type) {
  const std::string program = "renth_program_" + name;
  write_table(to, fmt::format("\nstatic const int {}[{}]", program, p.code.size()), p.code,
              [](int v) { return std::to_string(v); });
  const std::string run = fmt::format("renth_run({}, {}, renth_values, x, work, {})", program, p.steps,
                                      type == "void" ? "out" : "&out");
  if (type == "void")
    to += fmt::format("void {}(const double x[], double out[]) {{\n  double work[{}];\n  {};\n}}\n", name,
                      p.work, run);
  else
    to += fmt::format("{0} {1}(const double x[]) {{\n  double work[{2}], out;\n  {3};\n  return {4};\n}}\n",
                      type, name, p.work, run, type == "int" ? "out > 0" : "out");
}

}  // namespace

std::string c_source(const Model& model, const ModelAbout& about) {
  Tape tape;
  const ModelOnTape on_tape = model_on_tape(tape, model);
  std::string functions, prototypes = "\nint inside(const double x[]);\n";
  int work = 0;
  const auto add = [&](const std::string& name, const TapeProgram& p, const std::string& type) {
    work = std::max(work, p.work);
    write_function(functions, name, p, type);
  };
  add("inside", program_of(tape, {on_tape.inside}), "int");
  for (const ModelOnTape::OfResponse& r : on_tape.responses) {
    const Response& response = model.problem.responses[std::size_t(r.response)];
    const bool curve = response.is_curve();
    const char *type = curve ? "void" : "double", *out = curve ? ", double out[]" : "";
    prototypes += fmt::format(
        "{0} {1}_mean(const double x[]{2});\n{0} {1}_sd(const double x[]{2});\n"
        "int {1}_inside(const double x[]);\n",
        type, response.name, out);
    add(response.name + "_mean", program_of(tape, {r.mean}), type);
    add(response.name + "_sd", program_of(tape, {r.sd}), type);
    functions += fmt::format("int {}_inside(const double x[]) {{ return inside(x); }}\n", response.name);
  }
  std::string out = head(model, on_tape, about, work);
  out += prototypes;
  out += "\n";
  out += evaluate_source();
  write_table(
      out,
      fmt::format("\nstatic const double renth_values[{}]", std::max<std::size_t>(1, tape.values().size())),
      tape.values(), number_text);
  return out + functions;
}

}  // namespace renth
