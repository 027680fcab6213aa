#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <renth/space/shown.hpp>

namespace renth {
namespace {

constexpr int most_decimals = 12;

double rounded(double value, int decimals) {
  const double scale = std::pow(10.0, decimals);
  return std::round(value * scale) / scale;
}

/// Decimals that the value needs; most_decimals if it needs more.
int needed_decimals(double value) {
  int d = 0;
  while (d < most_decimals && std::abs(rounded(value, d) - value) > 1e-9 * std::abs(value)) ++d;
  return d;
}

int of_five_digits(const Parameter& p) {
  return std::min(decimals_of(std::max(std::abs(p.low), std::abs(p.high)), 5), most_decimals);
}

}  // namespace

double tidy(double value) {
  return std::strtod(fmt::format("{:.12g}", value).c_str(), nullptr);
}

int decimals_of(double size, int digits) {
  return size > 0 && std::isfinite(size) ? std::max(0, digits - 1 - int(std::floor(std::log10(size)))) : 0;
}

int shown_decimals(const Parameter& p, double value) {
  int most = 0;
  if (!p.values.empty())
    for (const double v : p.values) most = std::max(most, needed_decimals(v));
  else if (p.step > 0)
    most = std::max(needed_decimals(p.low), needed_decimals(p.step));
  const bool can_be_set = (p.step > 0 || !p.values.empty()) && needed_decimals(value) <= most;
  return can_be_set ? most : of_five_digits(p);
}

bool is_shown_as(const Parameter& p, double value, double given) {
  // Half a unit of the last place decides; a hair more for what is not binary.
  for (int d = shown_decimals(p, value); d <= most_decimals; ++d)
    if (std::abs(given - rounded(given, d)) <= 1e-12 * std::abs(given) &&
        std::abs(value - given) <= (0.5 + 1e-6) * std::pow(10.0, -d))
      return true;
  return false;
}

}  // namespace renth
