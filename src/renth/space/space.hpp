// What varies: parameters, how they are coded, what can be made, and the limits between them.
#pragma once
#include <Eigen/Core>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace renth {

/// Points, one a row (m × d), in natural units. A choice is its index 0, 1, … as a number.
using Points = Eigen::Ref<const Eigen::MatrixXd>;

/// How the real value drifts round its setting.
struct Scatter {
  enum class Shape {
    none,
    normal,
    uniform,
    triangular,
    lognormal,
    measured,  ///< deviations from the setting, each as likely as another
    shares,    ///< of levels or choices: how often each is what is made, whatever was set
  };
  Shape shape = Shape::none;
  /// Standard deviation (normal), half-width (uniform, triangular) or coefficient of variation
  /// (lognormal), in the parameter's unit, or as a fraction of the setting if `relative`.
  double size = 0;
  bool relative = false;
  std::vector<double> values = {};  ///< measured: the deviations, ascending; shares: one a level or choice
  double tighten_cost = 1;          ///< what it costs to halve it, beside that of other parameters
  bool any() const { return shape != Shape::none; }
};

/// One thing that varies.
struct Parameter {
  enum class Kind {
    continuous,  ///< any value of the span, or, with a step or sizes, any that can be made
    levels,      ///< ordered numbers with nothing between them, coded by value
    choice,      ///< names with no order
  };
  std::string name, label, unit;
  Kind kind = Kind::continuous;
  double low = 0, high = 1;          ///< the span; for levels the smallest and largest
  double nominal = 0.5;              ///< baseline and the value held; a choice's index
  double step = 0;                   ///< > 0: low, low + step, … can be made
  std::vector<double> values;        ///< sizes that can be made, or the levels; ascending
  std::vector<std::string> choices;  ///< at least two
  Scatter scatter;
  bool hard = false;  ///< hard to set anew: plans keep it the same for whole plots of runs

  bool is_choice() const { return kind == Kind::choice; }
  /// Only certain values can be set (step, sizes, levels, choices).
  bool is_discrete() const { return step > 0 || !values.empty() || is_choice(); }
  /// A value between two settable ones makes sense to the model (not for levels and choices).
  bool is_between() const { return kind == Kind::continuous; }
  /// How many values can be set; 0 for a continuum.
  int settable_count() const;
  /// The i-th of them, ascending; exact decimals (1.3, never 1.3000000000000003).
  double settable(int i) const;
  /// The nearest value that can be set, inside the span.
  double snap(double value) const;
  /// Label, or the name if there is none.
  const std::string& title() const { return label.empty() ? name : label; }
};

/// Parameters by their sort; what they lack (label, unit, nominal value, step, scatter) may be set
/// afterwards. The nominal value is the middle of a span, the middle one of levels, the first choice.
Parameter continuous(std::string name, double low, double high);
Parameter levels(std::string name, std::vector<double> values);
Parameter choice(std::string name, std::vector<std::string> choices);

/// A rule between parameters as a margin: ≥ 0 holds, and the size says by how much.
struct Limit {
  std::string text;                                   ///< as the user wrote it
  std::function<double(const double* point)> margin;  ///< of d natural values; must be re-entrant
};

/// The rank correlation (Spearman's) of the drifts of two parameters that scatter.
struct RankCorrelation {
  Eigen::Index a = 0, b = 0;
  double rank = 0;
};

/// The margin of a limit; −∞, as bad as can be, where it is undefined.
double margin_or_worst(const Limit& limit, const Eigen::VectorXd& point);

/// An ordered list of parameters and the limits between them. It alone converts between natural,
/// coded (−1 … +1) and unit (0 … 1) values and snaps to what can be made. Immutable.
class Space {
 public:
  Space() = default;
  /// \throws Error  two parameters of one name, or one without; an empty, reversed or endless span; fewer
  /// than
  ///                two levels or choices, or one of them twice; sizes, levels or a nominal value outside the
  ///                span; a nominal value that is no level or choice; a step below 0.
  explicit Space(std::vector<Parameter> parameters, std::vector<Limit> limits = {},
                 std::vector<RankCorrelation> correlations = {});

  Eigen::Index size() const { return static_cast<Eigen::Index>(parameters_.size()); }
  const Parameter& operator[](Eigen::Index i) const { return parameters_[static_cast<std::size_t>(i)]; }
  const std::vector<Parameter>& parameters() const { return parameters_; }
  const std::vector<Limit>& limits() const { return limits_; }
  /// Of drifts; what they must be to make sense, ScatterDraw says.
  const std::vector<RankCorrelation>& correlations() const { return correlations_; }
  std::optional<Eigen::Index> find(std::string_view name) const;

  /// −1 at the low end of the span, +1 at the high end; a choice's index is left as it is.
  double coded(Eigen::Index parameter, double natural) const;
  double natural(Eigen::Index parameter, double coded) const;
  Eigen::MatrixXd to_coded(Points natural) const;
  /// 0 … 1; the i-th of c choices is (i + ½)/c.
  Eigen::MatrixXd to_unit(Points natural) const;
  /// From 0 … 1 to a value: levels and choices take equal shares; steps and sizes too if
  /// `settable`, else any value of the span.
  double from_unit(Eigen::Index parameter, double unit, bool settable) const;

  Eigen::VectorXd nominal() const;
  Eigen::VectorXd snap(Eigen::VectorXd point) const;
  /// The smallest margin of all limits; +∞ if there are none.
  double margin(const double* point) const;
  bool allows(const Eigen::VectorXd& point) const { return margin(point.data()) >= 0; }

  /// The same parameters with these limits besides.
  Space with(std::vector<Limit> more) const;

 private:
  std::vector<Parameter> parameters_;
  std::vector<Limit> limits_;
  std::vector<RankCorrelation> correlations_;
};

/// \throws Error  a number of columns other than that of the parameters; a value that is not finite; one of a
///                choice that is none of its indices.
void check_points(const Space& space, Points points);

/// The point (one row of natural values) as "radius=5, hull=steel", for messages.
std::string describe(const Space& space, const Eigen::VectorXd& point);

}  // namespace renth
