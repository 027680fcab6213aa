#include <renth/base/error.hpp>
#include <renth/table/whole_file.hpp>
#include <renth/workflow/importing.hpp>
#include <renth/workflow/new_folder.hpp>

namespace renth {
namespace {

constexpr const char* starter_study =
    R"toml(# A new study: put your own parameters, responses and solver in place of these, then renth check.
[study]
name = "new study"
seed = 1

[[parameter]]
name = "radius"                # letters, digits, underscore
label = "float radius"
unit = "m"
span = [3.0, 8.0]              # continuous; or levels = [0, 2, 4], choices = ["steel", "composite"], fixed = 50.0

[[parameter]]
name = "draft"
unit = "m"
span = [1.0, 6.0]
step = 0.25                    # only these can be made

[[limit]]
keep = "draft <= radius"       # every run and every proposal obeys it

[[response]]
name = "displaced"
unit = "t"
goal = "maximise"              # or "minimise", { target = 300.0 }, "none"
accept = { max = 900.0 }       # a hard limit when searching

[solver]
kind = "formula"               # or "process" with a command, or "manual"
[solver.formula]
displaced = "1.025 * 3.14159265 * radius^2 * draft"
)toml";

constexpr const char* buoy_study = R"toml(# A heaving wave-energy buoy, made up for demonstration.
[study]
name = "heaving buoy"
seed = 2026

[[parameter]]
name = "radius"
label = "float radius"
unit = "m"
span = [3.0, 8.0]
nominal = 5.0
scatter = { normal = 0.05 }

[[parameter]]
name = "draft"
unit = "m"
span = [1.5, 6.0]
step = 0.25                      # the yard builds in quarters of a metre
nominal = 3.5
scatter = { normal = "2%" }

[[parameter]]
name = "damping"
label = "generator damping"
unit = "kN s/m"
span = [20.0, 400.0]
nominal = 120.0
scatter = { uniform = "10%" }

[[parameter]]
name = "mooring"
label = "mooring stiffness"
unit = "kN/m"
span = [5.0, 150.0]
nominal = 40.0
scatter = { lognormal = "15%" }

[[parameter]]
name = "plates"
label = "ballast plates"
levels = [0, 1, 2, 3, 4, 5, 6]   # half a plate does not exist
nominal = 2

[[parameter]]
name = "hull"
label = "hull material"
choices = ["steel", "composite"]

[[parameter]]
name = "depth"
label = "water depth"
unit = "m"
fixed = 50.0

[[limit]]
keep = "2 * plates <= 5 * draft - 2"   # the hull must have freeboard

[[axis]]
name = "period"
unit = "s"
points = [5, 6, 7, 8, 9, 10, 12]

[[response]]
name = "power"
label = "annual mean power"
unit = "kW"
goal = "maximise"
weight = 2.0
accept = { min = 20.0 }

[[response]]
name = "load"
label = "peak mooring load"
unit = "kN"
goal = "minimise"
accept = { max = 350.0 }

[[response]]
name = "mass"
label = "steel mass"
unit = "t"
goal = "minimise"
accept = { max = 150.0 }

[[response]]
name = "absorbed"
label = "absorbed power"
unit = "kW"
along = "period"

[[response]]
name = "power_per_tonne"
label = "power per tonne of steel"
unit = "kW/t"
derive = "power / mass"

[[response]]
name = "best_period"
label = "period of most absorption"
unit = "s"
derive = "argmax(absorbed)"

[[scenario]]
name = "sheltered"
goals = { power = "maximise", load = "minimise" }
keep = ["mass <= 120"]
hold = { hull = "steel" }

[solver]
kind = "process"
command = ["buoy-solver", "{input}", "{output}"]
input = "buoy.in.template"
output = "json"
repeatable = true
timeout = "1 min"
retries = 0
jobs = 2
)toml";

constexpr const char* buoy_template = R"(# input of the buoy solver, run {{run}}
radius  = {{radius}}
draft   = {{draft}}
damping = {{damping}}
mooring = {{mooring}}
plates  = {{plates}}
hull    = {{hull}}
depth   = {{depth}}
)";

constexpr const char* tank_study =
    R"toml(# Model tests of the buoy at 1:20 in a wave tank, made up for demonstration.
[study]
name = "tank tests"
seed = 7

[[parameter]]
name = "damping"
label = "model damping"
unit = "N s/m"
span = [50.0, 110.0]

[[parameter]]
name = "draft"
unit = "m"
span = [0.16, 0.22]

[[parameter]]
name = "period"
label = "wave period"
unit = "s"
span = [1.20, 1.45]

[[response]]
name = "heave"
label = "heave over wave amplitude"
goal = "maximise"
accept = { min = 1.0 }

[[response]]
name = "force"
label = "line force"
unit = "N"
goal = "minimise"
accept = { max = 340.0 }

[solver]
kind = "process"
command = ["buoy-solver", "--tank", "{input}", "{output}"]
input = "tank.in.template"
output = "json"
repeatable = false               # measured: the same setting scatters
)toml";

constexpr const char* tank_template = R"(# tank test {{run}}
test    = {{run}}
damping = {{damping}}
draft   = {{draft}}
period  = {{period}}
)";

}  // namespace

void make_starter_study(const std::filesystem::path& folder) {
  new_folder(folder);
  write_whole_file(folder / "study.toml", starter_study);
}

void make_demo_study(const std::filesystem::path& folder, const std::string& which) {
  if (which != "buoy" && which != "tank") throw Error("unknown demo " + which, "--demo", "use buoy or tank");
  new_folder(folder);
  const bool buoy = which == "buoy";
  write_whole_file(folder / (buoy ? "buoy.in.template" : "tank.in.template"),
                   buoy ? buoy_template : tank_template);
  write_whole_file(folder / "study.toml", buoy ? buoy_study : tank_study);
}

}  // namespace renth
