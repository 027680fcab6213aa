// What every way of ranking parameters answers with.
#pragma once
#include <renth/base/undefined.hpp>
#include <renth/space/space.hpp>
#include <string>
#include <string_view>
#include <vector>

namespace renth {

/// A figure that a method tells of a parameter or a pair besides its share.
struct Measure {
  std::string key;    ///< "spearman"; a name for programs
  std::string title;  ///< "rank correlation"; a name for people
  double value = undefined;
  double low = undefined, high = undefined;  ///< bounds, where it has any
  std::string word = {};                     ///< instead of a number
};

/// A share with its bounds.
struct BoundedShare {
  double share = 0, low = 0, high = 0;
};

struct RankedParameter {
  Eigen::Index parameter = 0;
  double share = 0, low = 0, high = 0;                   ///< low and high bound share
  double first = undefined, total = undefined;           ///< Sobol' indices; undefined of everything else
  double total_low = undefined, total_high = undefined;  ///< bounds of total
  std::string direction;                                 ///< up, down, mixed, none
  std::vector<Measure> measures = {};    ///< of every parameter the same keys in the same order
  std::vector<BoundedShare> along = {};  ///< of a curve at each axis point
};
/// The figure of this key, which the method must tell.
const Measure& measure_of(const RankedParameter& parameter, std::string_view key);

struct RankedPair {
  Eigen::Index a = 0, b = 0;  ///< equal: its square
  double share = 0, low = 0, high = 0;
  std::vector<Measure> measures = {};
};

struct Ranking {
  std::string method;                       ///< as ranking methods are named; of shares "sobol" or "shapley"
  std::vector<RankedParameter> parameters;  ///< largest share first
  std::vector<RankedPair> interactions;     ///< largest first; empty where a method tells none
  double unexplained = 0;                   ///< interactions of three and more; 0 where a method tells none
  double variance = undefined;
  double line = undefined;                ///< of standardised effects: what is beyond it is significant
  std::vector<std::string> remarks = {};  ///< what cannot be told apart, what was left out, in sentences
};

/// Does a curve rise or fall, or both? Up if its falls make no more than 5 % of its rises, and so down; with
/// fewer than two values mixed.
std::string direction_of(const std::vector<double>& curve);

/// Largest share first, what has none last; equal ones stay in the order of the study.
void sort_by_share(Ranking& ranking);

}  // namespace renth
