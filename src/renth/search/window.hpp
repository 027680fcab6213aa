// The operating window: the largest box of settings in which what is asked for is in specification.
#pragma once
#include <map>
#include <optional>
#include <renth/tolerance/tolerance.hpp>

namespace renth {

struct WindowOptions {
  double within = 0.99;  ///< the share of the settings that must be in specification, on average
  double level = 0.95;
  std::optional<Eigen::VectorXd> centre = {};    ///< a setting that the window must hold
  std::vector<std::optional<double>> hold = {};  ///< as in MaximiseOptions; choices always hold
  std::map<Eigen::Index, std::pair<double, double>> by_hand = {};  ///< ends of some parameters
  int samples = 32'768;                                            ///< of each round
};

/// A box of settings. Of what can only be set in steps both ends are values that can be set.
struct Window {
  Eigen::VectorXd low, high;  ///< d, natural; of what is held both are its value
  /// Of the region's box. What can only be set in steps counts by how many of its values are in.
  double volume = 0;
  Estimate within;  ///< the share in specification, from a sample of its own
};

struct WindowStep {
  Window window;
  Eigen::Index parameter = -1;  ///< −1: all of the region
  bool upper = false;           ///< the side that was moved
};

/// What stops a window at one side.
struct WindowBinding {
  Eigen::Index parameter = 0;
  bool upper = false;
  std::string limit;  ///< broken most often just beyond; "the end of its span"
};

struct WindowResult {
  double target = 0;
  std::optional<Window> window;   ///< nothing: no box of a thousandth of a per cent reaches the target
  std::vector<WindowStep> steps;  ///< from all of the region to all in specification, a side at a time
  std::optional<Window> by_hand;
  std::vector<WindowBinding> binding;
  double most_within = 0;            ///< the largest share that any step reached
  Eigen::MatrixXd sample;            ///< settings of the whole region (n × d)
  std::vector<char> pass;            ///< n
  std::vector<Eigen::Index> moving;  ///< the parameters whose ends were sought
};

/// The window of largest volume, of settings uniform in the box and snapped to what can be set, scatter
/// included where there is any; a setting that breaks a limit between parameters is out.
///
/// Our own method. All settings of a quasi-random sample are marked once as in or out; the share of any box
/// is then a count over bits. Boxes are sought by exchanging volume between sides: one goes out, another
/// comes in as far as the target takes, from narrowing greedily, from growing round what passes, and from
/// kicks; then the same again on a sample of the surroundings of the box that was found, until that is dense,
/// with the target raised by as much as a fresh sample of the box falls short of it.
///
/// \throws Error  ends that are no span, or of a choice; nothing moves; a centre outside.
WindowResult find_window(const Specification& specification, const WindowOptions& options, Seed seed);

}  // namespace renth
