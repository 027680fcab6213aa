"""What the Python package says of studies: a function as solver, and the same documents as the tool's."""

import json
import math
import os
import pathlib
import subprocess
import tempfile

import numpy as np

import renth

RENTH = os.environ["RENTH_BINARY"]
scratch = pathlib.Path(tempfile.mkdtemp())
TEXT = """[study]
name = "python"
seed = 3
[[parameter]]
name = "radius"
span = [3, 8]
unit = "m"
[[parameter]]
name = "hull"
choices = ["steel", "composite"]
[[parameter]]
name = "depth"
fixed = 50
[[axis]]
name = "period"
points = [5, 7, 9]
[[response]]
name = "power"
goal = "maximise"
[[response]]
name = "absorbed"
along = "period"
[[response]]
name = "peak"
derive = "max(absorbed)"
"""


def tool(*words):
    said = subprocess.run([RENTH, "-s", str(scratch / "a b"), *words, "--json"], capture_output=True, text=True)
    return json.loads(said.stdout)


def refused(call, *words):
    try:
        call()
    except renth.Error as e:
        for word in words:
            assert word in str(e), (word, str(e))
        return e
    raise AssertionError("it was not refused")


study = renth.Study.init(scratch / "a b", TEXT)
refused(lambda: renth.Study.init(scratch / "a b", TEXT), "there is a study already")
assert refused(lambda: renth.Study(scratch / "nowhere"), "there is no study here").status == 2
planned = study.plan(runs=16)
assert len(planned["runs"]) == 16 and planned.status == 0
seen, steps = [], []


def solver(settings):
    seen.append(settings)
    assert settings["depth"] == 50 and settings["hull"] in ("steel", "composite")
    if settings["radius"] > 7.7:
        raise ValueError("mesh too coarse")
    power = math.sin(settings["radius"]) * (2 if settings["hull"] == "steel" else 1)
    return {"power": power, "absorbed": np.array([1, 2, 1.5]) * settings["radius"]}


refused(lambda: study.run(solver), "no name")
done = study.run(solver, "first", progress=lambda *step: steps.append(step))
assert done["done"] == 15 and done["failed"] == 1 and done["left"] == 0
assert len(seen) == 16 and steps[-1] == (15, 1, 16)
assert "ValueError: mesh too coarse" in done["failures"][0]["message"]
assert study.run(solver, "first")["done"] == 0 and len(seen) == 16  # nothing twice
assert study.run(solver, "first", retry=True)["failed"] == 1 and len(seen) == 17
runs = {run["id"]: run for run in tool("runs")["runs"]}
for run in runs.values():
    if run["status"] == "done":
        radius, hull = run["point"]["radius"], run["point"]["hull"]
        assert run["responses"]["power"] == math.sin(radius) * (2 if hull == "steel" else 1)

# Killed half-way, nothing that is done is lost.
study.plan("random", runs=5)
count = 0


def dies(settings):
    global count
    count += 1
    if count == 3:
        raise KeyboardInterrupt
    return {**solver({**settings, "radius": min(settings["radius"], 7.5)})}


try:
    study.run(dies, "first")
    raise AssertionError("it went on")
except KeyboardInterrupt:
    pass
assert study.run(lambda s: solver({**s, "radius": min(s["radius"], 7.5)}), "first")["done"] == 3

# Answers that are none make the run fail, and say why.
study.plan("random", runs=6)
answers = iter([None, {"powr": 1}, {"absorbed": [1, 2]}, "text", {"power": float("nan")}, {"power": 1.0, "peak": 2}])
bad = study.run(lambda settings: next(answers), "first")
assert bad["done"] == 0 and bad["failed"] == 6
for failure, word in zip(bad["failures"], ("None", "powr", "2 values of absorbed", "no mapping", "no response", "derived")):
    assert word in failure["message"], (word, failure)

# The tool's documents, to all digits.
fitted = study.fit()
assert {m["response"]: m["verdict"] for m in fitted["models"]} == {m["response"]: m["verdict"] for m in tool("trust")["responses"]}
assert not any("another" in note for note in fitted.notes), fitted.notes
for verb, words, options in (("trust", [], {}), ("rank", [], {"response": "power"}), ("extremes", [], {}),
                             ("seek", ["--maximise", "power", "--keep", "peak <= 12"], {"maximise": "power", "keep": ["peak <= 12"]}),
                             ("predict", ["--at", "radius=4.25,hull=composite"], {"at": {"radius": 4.25, "hull": "composite"}})):
    theirs, mine = tool(verb, *words, *(["--response", "power"] if options.get("response") else [])), study(verb, **options)
    assert theirs == dict(mine), verb
model = study.model()
at = {"radius": 4.25, "hull": "composite"}
told = tool("predict", "--at", "radius=4.25,hull=composite")["predictions"][0]["responses"]
for name in ("power", "peak"):
    assert told[name]["mean"] == model.predict(at)[name].mean[0] and told[name]["sd"] == model.predict(at)[name].sd[0]
assert np.array_equal(study.predict(at)["absorbed"].mean[0], told["absorbed"]["mean"])
refused(lambda: study.seek(maximise="nobody"), "unknown response nobody")
refused(lambda: study("frobnicate"), "frobnicate")
refused(lambda: study.fit(kernel="cubic"), "cubic")
refused(lambda: study.run(), "no solver")
study.mark("here", at=at)
study.report(scratch / "r.html")
study.export("c", scratch / "m.c")
study.draw("slices", scratch / "s.svg")
assert all((scratch / name).stat().st_size > 1000 for name in ("r.html", "m.c", "s.svg"))
assert any("mark here" in command["command"] for command in study.log()["commands"])

# Another function gives other values: they are not fitted together unless that is wanted.
study.plan("random", runs=4)
study.run(lambda settings: {"power": 1.0, "absorbed": [1, 1, 2]}, "second")
refused(lambda: study.fit(response="power"), "not computed alike")
assert study.fit(response="power", mixed=True)["models"][0]["runs"] > 16
renewed = study.run(lambda s: solver({**s, "radius": min(s["radius"], 7.5)}), "second", renew=True)
assert renewed["done"] >= 18, renewed
assert not any("another" in note for note in study.fit(response="power").notes)

# The demonstration, with a solver of its own, which lies beside the tool.
os.environ["PATH"] += os.pathsep + os.path.dirname(RENTH)
buoy = renth.Study.init(scratch / "tank", demo="tank")
buoy.plan()
assert buoy.run()["done"] > 5
refused(lambda: buoy.run(solver, "mine"), "has a solver of its own")
print("all well")
