// The ranking, as JSON and as a table.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/ranking.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const RankResult& result);
std::string to_table(const Study& study, const RankResult& result);

/// What a ranking says of one response, in a sentence or some.
std::string sentences_of(const Study& study, const RankResult& result, const RankResult::OfResponse& one);

/// "Can be left alone for every response: hull." if the intervals of all say so; empty: none can, or not all
/// were ranked on surrogates that can be believed.
std::string left_alone_sentence(const Study& study, const RankResult& result);

}  // namespace renth
