// The one exception that a caller's request can cause.
#pragma once
#include <stdexcept>
#include <string>

namespace renth {

/// Who has to act. The command-line tool uses the number as its exit status.
enum class ErrorKind {
  request = 2,  ///< what was asked for is wrong: usage, study file, unknown name, bad data
  solver = 3,   ///< the solver failed
  machine = 4,  ///< the store, the disk or the machine failed
};

/// What is wrong, where, and what to do about it; what() joins the three with ": ".
class Error : public std::runtime_error {
 public:
  Error(std::string problem, std::string place, std::string remedy, ErrorKind kind = ErrorKind::request)
      : std::runtime_error(join(problem, place, remedy)),
        problem_(std::move(problem)),
        place_(std::move(place)),
        remedy_(std::move(remedy)),
        kind_(kind) {}

  const std::string& problem() const noexcept { return problem_; }
  const std::string& place() const noexcept { return place_; }
  const std::string& remedy() const noexcept { return remedy_; }
  ErrorKind kind() const noexcept { return kind_; }

 private:
  static std::string join(const std::string& a, const std::string& b, const std::string& c) {
    std::string text = a;
    for (const std::string* part : {&b, &c})
      if (!part->empty()) text += ": " + *part;
    return text;
  }
  std::string problem_, place_, remedy_;
  ErrorKind kind_;
};

}  // namespace renth
