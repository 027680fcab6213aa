// A model as a program in C.
#pragma once
#include <renth/export/tape_model.hpp>
#include <renth/predict/model.hpp>
#include <renth/predict/model_about.hpp>
#include <string>
#include <string_view>

namespace renth {

/// One file of C99 that needs nothing but the standard library. Of each response R that the model has:
///
///   double R_mean(const double x[]);  double R_sd(const double x[]);  int R_inside(const double x[]);
///
/// of a curve `void R_mean(const double x[], double out[])` and `R_sd`, one value an axis point; and
/// `int inside(const double x[])`. x holds the varying parameters in their order, natural units, a choice as
/// its index from 0. A setting that does not exist gives NaN and inside 0. Nothing is allocated, and calls
/// may run side by side; each keeps up to some ten thousand numbers on the stack, which a comment says.
/// \throws Error  as model_on_tape().
std::string c_source(const Model& model, const ModelAbout& about);

/// evaluate.c: what runs a tape's program.
std::string_view evaluate_source();

}  // namespace renth
