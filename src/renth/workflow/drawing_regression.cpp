#include <renth/figure/regression_figures.hpp>
#include <renth/workflow/drawing_parts.hpp>
#include <renth/workflow/fitting.hpp>

namespace renth {
namespace {

/// The polynomial of the one response named, or of the first that has one.
ModelResult one_polynomial(Session& session, const DrawingOptions& options, Notes& notes) {
  if (options.responses.size() > 1) throw Error("this figure shows one response", "--response", "name one");
  if (options.responses.size() == 1)
    return current_polynomial(session, options.responses[0], options.level, notes);
  for (const Response& r : chosen_responses(session.study, {}, false)) {
    Notes ignored;
    const auto stored = current_surrogate(session, r, ignored);
    if (stored && dynamic_cast<const Polynomial*>(stored->surrogate.get()))
      return current_polynomial(session, r.name, options.level, notes);
  }
  throw Error("no response has a polynomial that matches the study", "draw " + options.figure,
              "renth fit polynomial");
}

void note_verdict_of(const ModelResult& m, Notes& notes) {
  if (m.judgement.verdict >= Verdict::weak)
    add_note(notes, m.judgement.verdict == Verdict::unfit ? "unfit" : "weak",
             "the polynomial of " + m.response + " is " + std::string(name(m.judgement.verdict)) +
                 ": renth trust says why");
}

}  // namespace

Gnuplot figure_residuals(Session& session, const DrawingOptions& options, Notes& notes) {
  const ModelResult m = one_polynomial(session, options, notes);
  note_verdict_of(m, notes);
  if (options.against.empty()) return draw_residuals(session.study, m);
  const Eigen::Index j = parameter_named(session.study, options.against.front(), "--against");
  return draw_residuals_against(session.study, m, j);
}

Gnuplot figure_effects(Session& session, const DrawingOptions& options, Notes& notes) {
  const ModelResult m = one_polynomial(session, options, notes);
  note_verdict_of(m, notes);
  return draw_effects(session.study, m, options.level);
}

}  // namespace renth
