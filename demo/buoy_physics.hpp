// A heaving wave-energy buoy: one degree of freedom, linear generator, made up for demonstration.
// Units: metre, tonne, second, and so kN and kW.
#pragma once
#include <stdexcept>
#include <string>
#include <vector>

namespace buoy {

struct Design {
  double radius = 5;       // m
  double draft = 3;        // m
  double damping = 120;    // generator, kN·s/m
  double mooring = 40;     // stiffness, kN/m
  double plates = 2;       // ballast plates hung beneath, which also work as heave plates
  bool composite = false;  // hull material; else steel
  double depth = 50;       // water depth, m
};

struct Result {
  double power = 0;              // annual mean, kW
  double load = 0;               // peak mooring load, kN
  double mass = 0;               // steel, t
  std::vector<double> absorbed;  // kW in regular waves of 1 m amplitude, one a period
};

/// The hull floats too low; exit status 2 of the solver.
struct TooLow : std::runtime_error {
  using std::runtime_error::runtime_error;
};
/// The viscous damping does not settle; exit status 3.
struct NotConverged : std::runtime_error {
  using std::runtime_error::runtime_error;
};

Result simulate(const Design& design, const std::vector<double>& periods);

/// The same buoy at 1:20 in a wave tank: heave amplitude over wave amplitude, and mooring force (N).
struct TankResult {
  double heave = 0, force = 0;
};
TankResult tank_test(double damping, double draft, double period);

}  // namespace buoy
