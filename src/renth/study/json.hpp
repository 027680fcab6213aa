// Results as the JSON documents of the interface: one function a document.
#pragma once
#include <nlohmann/json.hpp>
#include <renth/study/results.hpp>

namespace renth {

/// Keys in the order in which they are written here.
using Json = nlohmann::ordered_json;

/// A number, or null where it is undefined.
Json json_number(double value);
Json json_texts(const std::vector<std::string>& list);

Json to_document(const Study& study, const PlanResult& result);
Json to_document(const Study& study, const AssessResult& result);
Json to_document(const Study& study, const RunsResult& result);
Json to_document(const Study& study, const RunSummary& result);
Json to_document(const Study& study, const DryRun& result);
Json to_document(const Study& study, const JournalResult& result);
Json to_document(const Study& study, const FailuresResult& result);
Json to_document(const Study& study, const SampleCheck& result);
Json to_document(const Study& study, const FitResult& result);
Json to_document(const Study& study, const TrustResult& result);
Json to_document(const Study& study, const RefineResult& result);
Json to_document(const Study& study, const RankResult& result);
Json to_document(const Study& study, const PredictResult& result);
Json to_document(const Study& study, const ExtremesResult& result);
Json to_document(const Study& study, const SeekOutcome& result);
Json to_document(const Study& study, const ConfirmResult& result);
Json to_document(const Study& study, const CheckResult& result);
Json notes_document(const Notes& notes);

/// Settings of a point, fixed parameters included, in file order.
Json json_point(const Study& study, const Eigen::VectorXd& point);

}  // namespace renth
