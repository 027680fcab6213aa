// study.toml: what varies, what comes out, and how runs are computed.
#pragma once
#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <renth/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/search/seek.hpp>
#include <renth/space/space.hpp>
#include <renth/study/expression.hpp>
#include <renth/study/solver_spec.hpp>
#include <string>
#include <variant>
#include <vector>

namespace renth {

/// A value of a parameter as people write it: a number, or the name of a choice.
using Value = std::variant<double, std::string>;
/// Settings by parameter name; whatever a run was made with.
using Settings = std::map<std::string, Value>;

/// One thing wrong with a study file.
struct Problem {
  int line = 0, column = 0;
  std::string key, text, remedy;
};

/// All that is wrong with a study file, found in one reading.
class StudyError : public Error {
 public:
  StudyError(std::string file, std::vector<Problem> problems);
  const std::vector<Problem>& problems() const { return problems_; }
  /// One message a problem: "what is wrong: file:line:column key: what to do".
  std::vector<std::string> lines() const;

 private:
  std::string file_;
  std::vector<Problem> problems_;
};

struct FixedParameter {
  std::string name, label, unit;
  Value value;
};

struct Axis {
  std::string name, unit;
  std::vector<double> points;  ///< ascending
};

struct Accept {
  std::optional<double> min, max;
};

struct Response {
  std::string name, label, unit;
  std::optional<Goal::Aim> goal;  ///< none: no goal
  double target = 0, weight = 1;
  Accept accept;
  int axis = -1;                             ///< index into Study::axes; −1: a single number
  std::shared_ptr<const Expression> derive;  ///< over Study::symbols()
  const std::string& title() const { return label.empty() ? name : label; }
};

struct Scenario {
  std::string name;
  struct Aim {
    std::string response;
    std::optional<Goal::Aim> goal;
    double target = 0;
  };
  std::vector<Aim> goals;
  std::vector<std::string> keep;
  Settings hold;
};

/// A study as understood; immutable.
struct Study {
  std::filesystem::path folder;
  std::string absolute_folder;
  std::string name;
  Seed seed = 1;
  Space space;  ///< what varies, with the limits
  std::vector<FixedParameter> fixed;
  std::vector<std::string> order;       ///< all parameter names as in the file
  std::map<std::string, Value> before;  ///< of parameters added later: their value in older runs
  std::vector<Axis> axes;
  std::vector<Response> responses;
  std::vector<Scenario> scenarios;
  SolverSpec solver;

  bool noisy() const { return !solver.repeatable; }
  int response(std::string_view name) const;  ///< −1: none of that name
  const Axis* axis_of(const Response& r) const { return r.axis < 0 ? nullptr : &axes[r.axis]; }

  /// Names that expressions may use: varying parameters, then fixed ones, then responses.
  std::vector<Symbol> parameter_symbols() const;
  std::vector<Symbol> symbols() const;
  /// Values of the fixed parameters for parameter_symbols(), after those of the point.
  std::vector<double> fixed_numbers() const;

  /// One row of natural values from settings by name. Parameters missing there take `before`, else
  /// nominal if `fill` and an error if not. \throws Error  unknown name or choice.
  Eigen::VectorXd point(const Settings& settings, bool fill, const std::string& place) const;
  /// The settings of a point, fixed parameters included, in file order.
  Settings settings(const Eigen::VectorXd& point) const;
};

/// Reads and checks a study file. \throws StudyError  all that is wrong; Error (request) no such file.
Study read_study(const std::filesystem::path& folder);
/// The same from text; `folder` is where files named in it are looked for.
Study parse_study(std::string_view text, const std::filesystem::path& folder);

}  // namespace renth
