// The demonstration solver: reads "name = value" lines, writes JSON, fails as real solvers do.
//
//   buoy-solver [--tank] [--delay SECONDS] INPUT OUTPUT
//
// Exit status: 0 done, 1 bad input, 2 the hull floats too low, 3 not converged.
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <iostream>
#include <map>
#include <random>
#include <sstream>
#include <string>
#include <thread>

#include "buoy_physics.hpp"

namespace {

using Values = std::map<std::string, std::string>;

Values read(const std::string& path) {
  std::ifstream file(path);
  if (!file) throw std::invalid_argument("cannot read " + path);
  Values out;
  for (std::string line; std::getline(file, line);) {
    std::istringstream words(line.substr(0, line.find('#')));
    std::string name, equals, value;
    if (words >> name >> equals >> value && equals == "=") out[name] = value;
  }
  return out;
}

double number(const Values& values, const std::string& name) {
  const auto found = values.find(name);
  if (found == values.end()) throw std::invalid_argument("the input has no " + name);
  char* end = nullptr;
  const double value = std::strtod(found->second.c_str(), &end);
  if (end == found->second.c_str() || *end || !std::isfinite(value))
    throw std::invalid_argument(name + " = " + found->second + " is no number");
  return value;
}

void write(const std::string& path, const std::string& text) {
  std::ofstream file(path);
  file << text;
  if (!file.flush()) throw std::runtime_error("cannot write " + path);
}

void run_tank(const Values& in, const std::string& output) {
  const buoy::TankResult r =
      buoy::tank_test(number(in, "damping"), number(in, "draft"), number(in, "period"));
  // One to three per cent of measurement noise, the same for the same test number.
  std::mt19937_64 random(static_cast<std::uint64_t>(number(in, "test")) * 7919 + 20261);
  const auto noise = [&] {
    double sum = 0;
    for (int i = 0; i < 12; ++i) sum += static_cast<double>(random() >> 11) * 0x1p-53;
    return sum - 6;
  };
  char text[128];
  const double heave = r.heave + 0.015 * noise(), force = r.force + 8.0 * noise();
  std::snprintf(text, sizeof text, "{\"heave\": %.5f, \"force\": %.4f}\n", heave, force);
  write(output, text);
}

void run_buoy(const Values& in, const std::string& output) {
  buoy::Design d;
  d.radius = number(in, "radius");
  d.draft = number(in, "draft");
  d.damping = number(in, "damping");
  d.mooring = number(in, "mooring");
  d.plates = number(in, "plates");
  if (d.plates != std::floor(d.plates)) throw std::invalid_argument("half a ballast plate does not exist");
  d.composite = in.count("hull") > 0 && in.at("hull") == "composite";
  d.depth = number(in, "depth");
  std::printf("heave model: radius %.3f m, draft %.3f m\n", d.radius, d.draft);
  const buoy::Result r = buoy::simulate(d, {5, 6, 7, 8, 9, 10, 12});
  char text[512];
  int at =
      std::snprintf(text, sizeof text, "{\"power\": %.10g, \"load\": %.10g, \"mass\": %.10g, \"absorbed\": [",
                    r.power, r.load, r.mass);
  for (std::size_t i = 0; i < r.absorbed.size(); ++i)
    at += std::snprintf(text + at, sizeof text - at, "%s%.10g", i ? ", " : "", r.absorbed[i]);
  write(output, std::string(text) + "]}\n");
}

}  // namespace

int main(int argc, char** argv) {
  bool tank = false;
  double delay = 0;
  std::string files[2];
  int count = 0;
  if (const char* text = std::getenv("BUOY_DELAY")) delay = std::atof(text);
  for (int i = 1; i < argc; ++i) {
    const std::string word = argv[i];
    if (word == "--tank")
      tank = true;
    else if (word == "--delay" && i + 1 < argc)
      delay = std::atof(argv[++i]);
    else if (count < 2)
      files[count++] = word;
    else
      ++count;
  }
  if (count != 2) {
    std::cerr << "use: buoy-solver [--tank] [--delay SECONDS] INPUT OUTPUT\n";
    return 1;
  }
  try {
    const Values in = read(files[0]);
    if (delay > 0) std::this_thread::sleep_for(std::chrono::duration<double>(delay));
    tank ? run_tank(in, files[1]) : run_buoy(in, files[1]);
    return 0;
  } catch (const buoy::TooLow& e) {
    std::cerr << "error: " << e.what() << '\n';
    return 2;
  } catch (const buoy::NotConverged& e) {
    std::cerr << "error: " << e.what() << '\n';
    return 3;
  } catch (const std::exception& e) {
    std::cerr << "error: " << e.what() << '\n';
    return 1;
  }
}
