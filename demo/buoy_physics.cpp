// Sources: J. Falnes, Ocean Waves and Oscillating Systems, 2002 (equation of motion 3.29; Haskind
// relation for an axisymmetric heaving body, 5.146); H. Lamb, Hydrodynamics, 1932, section 108
// (added mass of a disc); L. E. Borgman, Ocean Engineering 2, 1972 (stochastic linearisation of
// drag); C. L. Bretschneider, Beach Erosion Board TM 118, 1959 (spectrum).
#include "buoy_physics.hpp"

#include <algorithm>
#include <cmath>
#include <cstdio>

namespace buoy {
namespace {

constexpr double pi = 3.14159265358979323846, g = 9.81, rho = 1.025, steel = 7.85;

struct SeaState {
  double height, period, share;  // significant height m, peak period s, share of the year
};
constexpr SeaState year[] = {{0.75, 5.0, 0.24}, {1.25, 6.0, 0.27}, {1.75, 7.0, 0.21},
                             {2.50, 8.0, 0.16}, {3.50, 9.5, 0.09}, {4.75, 11.0, 0.03}};

/// ω² = g k tanh(k h), by Newton's method.
double wave_number(double omega, double depth) {
  double k = std::max(omega * omega / g, omega / std::sqrt(g * depth));
  for (int i = 0; i < 50; ++i) {
    const double t = std::tanh(k * depth);
    const double step = (g * k * t - omega * omega) / (g * t + g * k * depth * (1 - t * t));
    k -= step;
    if (std::abs(step) < 1e-14 * k) break;
  }
  return k;
}

struct Hull {
  double mass, added, stiffness, drag_area;
  Design design;

  explicit Hull(const Design& d) : design(d) {
    const double disc = 8.0 / 3.0 * rho * std::pow(d.radius, 3);
    mass = rho * pi * d.radius * d.radius * d.draft;  // what it displaces
    added = 0.5 * disc + 0.2 * disc * d.plates;
    stiffness = rho * g * pi * d.radius * d.radius + d.mooring;
    drag_area = (d.composite ? 0.8 : 1.0) * pi * d.radius * d.radius * (0.35 + 0.22 * d.plates);
  }

  /// Heave amplitude and excitation force per metre of wave, with a given viscous damping.
  double response(double omega, double viscous) const {
    const double k = wave_number(omega, design.depth), ka = k * design.radius;
    const double shape = ka > 1e-6 ? 2 * std::cyl_bessel_j(1, ka) / ka : 1;
    const double force = (rho * g * pi * design.radius * design.radius - omega * omega * added) *
                         std::exp(-k * design.draft) * shape;
    const double radiation = omega * k * force * force / (2 * rho * g * g);
    const double inertia = stiffness - omega * omega * (mass + added);
    const double total = omega * (radiation + design.damping + viscous);
    return std::abs(force) / std::hypot(inertia, total);
  }

  /// Viscous damping and motion that agree with each other, by plain fixed-point iteration.
  template <class Motion>
  double settle(const Motion& velocity_scale, double constant, const std::string& where) const {
    double viscous = 0;
    for (int i = 0; i < 20; ++i) {
      const double next = constant * 0.5 * rho * drag_area * velocity_scale(viscous);
      if (std::abs(next - viscous) <= 1e-5 * (next + design.damping)) return next;
      viscous = next;
    }
    throw NotConverged("viscous damping does not settle in " + where);
  }
};

double bretschneider(double omega, const SeaState& s) {
  const double peak = 2 * pi / s.period, r = peak / omega;
  return 5.0 / 16 * s.height * s.height * std::pow(r, 4) / omega * std::exp(-1.25 * std::pow(r, 4));
}

/// ∫ f(ω) S(ω) dω by the trapezoidal rule on a fixed grid.
template <class F>
double over_spectrum(const SeaState& s, const F& f) {
  constexpr int n = 90;
  constexpr double low = 0.25, high = 2.5, step = (high - low) / (n - 1);
  double sum = 0;
  for (int i = 0; i < n; ++i) {
    const double omega = low + i * step;
    sum += (i == 0 || i == n - 1 ? 0.5 : 1.0) * f(omega) * bretschneider(omega, s);
  }
  return sum * step;
}

}  // namespace

Result simulate(const Design& d, const std::vector<double>& periods) {
  const double skin = 2 * pi * d.radius * (d.draft + 2) + 2 * pi * d.radius * d.radius;  // 2 m above water
  const double hull_mass = skin * (d.composite ? 0.062 : 0.150);
  const double plate_mass = d.plates * pi * std::pow(0.6 * d.radius, 2) * 0.12 * steel;
  const Hull hull(d);
  const double spare = hull.mass - hull_mass - plate_mass;  // filled with water to reach the draft
  if (spare < 0.12 * hull.mass) {
    char text[160];
    std::snprintf(text, sizeof text, "the hull floats too low: %.1f t of hull and plates on %.1f t displaced",
                  hull_mass + plate_mass, hull.mass);
    throw TooLow(text);
  }
  Result out;
  out.mass = (d.composite ? 0.2 : 1.0) * hull_mass + plate_mass;
  double worst = 0;
  for (const SeaState& s : year) {
    const auto velocity = [&](double viscous) {
      return std::sqrt(
          over_spectrum(s, [&](double w) { return std::pow(w * hull.response(w, viscous), 2); }));
    };
    char where[64];
    std::snprintf(where, sizeof where, "the sea state of %.2f m and %.1f s", s.height, s.period);
    const double viscous = hull.settle(velocity, std::sqrt(8 / pi), where);
    out.power += s.share * d.damping * std::pow(velocity(viscous), 2);
    worst = std::max(
        worst, std::sqrt(over_spectrum(s, [&](double w) { return std::pow(hull.response(w, viscous), 2); })));
  }
  const double current = 0.5 * rho * 1.1 * 2 * d.radius * d.draft * 1.2 * 1.2;
  out.load = current + d.mooring * 3.7 * worst + 0.02 * spare * g;
  for (const double period : periods) {
    const double omega = 2 * pi / period;
    const auto velocity = [&](double viscous) { return omega * hull.response(omega, viscous); };
    const double viscous = hull.settle(velocity, 8 / (3 * pi), "regular waves");
    out.absorbed.push_back(0.5 * d.damping * std::pow(velocity(viscous), 2));
  }
  return out;
}

TankResult tank_test(double damping, double draft, double period) {
  // Froude scaling by 20: lengths 20, times √20, damping (tonne/s) 20^2.5.
  constexpr double scale = 20;
  Design d;
  d.radius = 0.25 * scale;
  d.draft = draft * scale;
  d.damping = damping * std::pow(scale, 2.5) / 1000;
  d.mooring = 30;
  const Hull hull(d);
  const double omega = 2 * pi / (period * std::sqrt(scale));
  const auto velocity = [&](double viscous) { return omega * hull.response(omega, viscous); };
  const double heave = hull.response(omega, hull.settle(velocity, 8 / (3 * pi), "the tank"));
  // The line holds the float against its mooring and drives the generator.
  const double line = std::hypot(d.mooring, omega * d.damping) * heave;
  return {heave, 1000 * line / std::pow(scale, 3) * 20};
}

}  // namespace buoy
