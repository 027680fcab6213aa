// A model as a graph of tensors in ONNX.
#pragma once
#include <renth/predict/model.hpp>
#include <renth/predict/model_about.hpp>
#include <string>

namespace renth {

/// The bytes of a model in the Open Neural Network Exchange format (IR version 8, operators of version 17,
/// all in double precision). Input `settings` (m × d, m free): the varying parameters in their order, natural
/// units, a choice as its index from 0. Of each response R outputs `R_mean` and `R_sd` (m × 1, of a curve m ×
/// axis points). Whether a setting is inside the region that the runs cover is not in it. \throws Error  as
/// model_on_tape(); what its operators cannot say in double precision: moving least squares,
///                kriging on the nearest runs, the inverse trigonometric functions.
std::string onnx_bytes(const Model& model, const ModelAbout& about);

}  // namespace renth
