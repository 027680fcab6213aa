// What the printed tables of several verbs share.
#pragma once
#include <Eigen/Core>
#include <renth/base/names.hpp>
#include <renth/base/notes.hpp>
#include <renth/document/figures.hpp>
#include <renth/document/text_table.hpp>
#include <renth/problem/problem.hpp>
#include <string>
#include <vector>

namespace renth {

/// "note: …" lines.
std::string notes_of(const Notes& notes);
/// The response of this name, which must exist.
const Response& response_of(const Problem& problem, const std::string& name);

/// "1 run", "2 runs".
std::string count_of(int n, const char* one);
/// The line of what to do next: `next: renth run   # renth assess judges it first`.
/// \param command  works as it stands; \param remark  follows as a shell's comment.
std::string next_step(const std::string& command, const std::string& remark = "");
/// The same text for a study that is not in the current folder: every `next:` names it.
/// \param option  such as "-s buoy"; empty: the text as it is.
std::string in_study(const std::string& text, const std::string& option);
/// "radius=5.25,hull=steel" with all digits.
std::string exact_settings(const Space& space, const Eigen::VectorXd& point);
/// A command to be read and pasted: quotes only where they are needed.
std::string as_typed(const std::vector<std::string>& words);

}  // namespace renth
