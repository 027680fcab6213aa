// What the documents of fit and trust say of one surrogate.
#pragma once
#include <renth/document/json.hpp>
#include <renth/quality/quality.hpp>
#include <renth/workflow/judging.hpp>
#include <string>

namespace renth {

/// quality: the figures of one surrogate.
Json quality_document(const Quality& quality, const Axis* axis);
/// The sentence that comes first: verdict, kind, runs, typical error.
std::string verdict_sentence(const Study& study, const ModelResult& model);

}  // namespace renth
