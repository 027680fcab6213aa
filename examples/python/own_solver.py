"""A study on disk whose solver is a function: runs are kept as they come, what fails is told, and the tool goes on with
the same folder (renth -s FOLDER trust, explore, report)."""

import math
import sys
import tempfile

import renth

STUDY = """
[study]
name = "buoy by a function"
seed = 3

[solver]
kind = "manual"

[[parameter]]
name = "radius"
unit = "m"
span = [3, 8]

[[parameter]]
name = "draft"
unit = "m"
span = [1.5, 6]

[[axis]]
name = "period"
unit = "s"
points = [5, 7, 9, 11]

[[response]]
name = "power"
unit = "kW"
goal = "maximise"

[[response]]
name = "absorbed"
unit = "kW"
along = "period"

[[response]]
name = "best_period"
unit = "s"
derive = "argmax(absorbed)"
"""


def solver(settings):
    """Takes the settings of a run by name, returns the responses by name."""
    radius, draft = settings["radius"], settings["draft"]
    if draft > 1.1 * radius:
        raise ValueError("it floats upside down")
    own = 4.5 + 0.6 * draft
    absorbed = [9 * radius * math.exp(-((period - own) / 1.8) ** 2) for period in (5, 7, 9, 11)]
    return {"power": sum(absorbed) / 4, "absorbed": absorbed}


folder = sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp() + "/buoy"
study = renth.Study.init(folder, STUDY)
study.plan(runs=24)
done = study.run(solver, "buoy 1", progress=lambda done, failed, total: print(f"\r{done + failed} of {total}", end=""))
print(f"\n{done['done']} runs, {done['failed']} failed:", done["failures"][0]["message"] if done["failures"] else "")
for fitted in study.fit()["models"]:
    print(f"{fitted['response']}: {fitted['kind']}, {fitted['verdict']}")
best = study.seek()["proposals"][0]
print("most power at", best["point"])

# As many of them as one likes, much faster than by the tool.
model = study.model()
print(model.predict({"radius": [4.0, 6.0], "draft": 3.0})["absorbed"].mean.round(2))
