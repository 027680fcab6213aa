"""What the Python package says of models, against formulas, against itself, and against the tool."""

import json
import os
import subprocess
import sys
import tempfile
import threading
import time

import numpy as np

import renth

RENTH = os.environ["RENTH_BINARY"]
scratch = tempfile.mkdtemp()
space = renth.Space([renth.continuous("radius", 3, 8, unit="m", scatter=("normal", 0.05)), renth.continuous("draft", 1, 6, step=0.25),
                     renth.levels("plates", [0, 2, 5]), renth.choice("hull", ["steel", "composite"])],
                    limits=["draft <= 1.5 * radius"])
assert space.names == ["radius", "draft", "plates", "hull"] and len(space) == 4
assert space.parameters[3].choices == ["steel", "composite"] and space.parameters[0].unit == "m"


def truth(x):
    return np.sin(x[:, 0]) * x[:, 1] + x[:, 2] * 0.3 + np.where(x[:, 3] == 1, x[:, 0], 0)


def refused(call, *words):
    try:
        call()
    except renth.Error as e:
        for word in words:
            assert word in str(e), (word, str(e))
        assert e.what and e.status in (2, 3, 4)
        return e
    raise AssertionError("it was not refused")


# Settings in every form are the same array; one of doubles is taken as it is, in either order.
plain = np.array([[5.0, 3, 2, 1], [6.0, 3, 2, 0]])
for form in (plain, np.asfortranarray(plain), [[5, 3, 2, 1], [6, 3, 2, 0]],
             {"radius": [5, 6], "draft": 3, "plates": 2, "hull": ["composite", "steel"]},
             [{"radius": 5, "draft": 3, "plates": 2, "hull": "composite"}, {"radius": 6, "draft": 3, "plates": 2, "hull": "steel"}]):
    assert np.array_equal(space.points(form), plain), form
assert space.points(plain) is plain
assert list(space.columns(plain)["hull"]) == ["composite", "steel"]
assert np.array_equal(space.points(space.columns(plain)), plain)
assert np.array_equal(space.points({}), [space.nominal()])
assert list(space.allows([[4.0, 6.5, 0, 0], [8.0, 6.0, 0, 0]])) == [False, True]
try:
    import pandas
    assert np.array_equal(space.points(pandas.DataFrame(space.columns(plain))), plain)
except ImportError:
    print("no pandas here")

# Plans: every method that takes these parameters, the same for a seed.
for method in ("latin_hypercube", "sobol", "halton", "hammersley", "random", "spread", "optimal"):
    plan = getattr(renth.plan, method)(space, runs=24, seed=5)
    assert plan.points.shape == (24, 4) and np.array_equal(plan.points, getattr(renth.plan, method)(space, runs=24, seed=5).points)
    assert space.allows(plan.points).all() and set(plan.points[:, 2]) <= {0, 2, 5}
assert renth.plan.make(space).notes[0].startswith("latin-hypercube: ")
assert len(renth.plan.spread(space, runs=4, existing=plain)) == 4
two = renth.Space([renth.continuous("a", -1, 1), renth.continuous("b", -1, 1)])
assert sorted(map(tuple, renth.plan.full_factorial(two, levels=2).points)) == [(-1, -1), (-1, 1), (1, -1), (1, 1)]
refused(lambda: renth.plan.sobol(space, runs=4, centre=2), "sobol takes no centre")
refused(lambda: renth.plan.make(space, "sobel"), "unknown plan method", "sobol")
refused(lambda: renth.plan.sobol(space, runs="many"), "runs")
refused(lambda: renth.plan.sobol(space, size=3), "unknown option size")
kiln = renth.Space([renth.continuous("heat", 140, 180, hard=True), renth.continuous("draft", 1, 3)])
assert kiln.parameters[0].hard and not kiln.parameters[1].hard
plots = renth.plan.optimal(kiln, runs=12, whole_plots=4, model="linear; quadratic")
assert all(len(set(plots.points[plots.blocks == b, 0])) == 1 for b in range(4)) and plots.blocks.max() == 3
refused(lambda: renth.plan.optimal(kiln, runs=12, blocks=2), "whole plots are blocks")
even = renth.plan.latin_hypercube(kiln, runs=12, criterion="projection", effort=0.5)
assert len(even) == 12

plan = renth.plan.latin_hypercube(space, runs=60, seed=1)
axis = np.array([5.0, 7, 9])
curve = truth(plan.points)[:, None] + plan.points[:, :1] * np.array([1.0, 2, 1.5])
missing = truth(plan.points) * 2
missing[7] = np.nan
model = renth.fit(space, plan.points, {"power": truth(plan.points), "absorbed": curve, "mass": missing},
                  derive={"ratio": "twice / 2", "twice": "power * 2", "peak": "max(absorbed)"}, axes={"absorbed": ("period", axis)},
                  units={"power": "kW"}, seed=3)
assert model.responses == ["power", "absorbed", "mass", "twice", "peak", "ratio"], model.responses
assert model.quality("mass")["runs"] == 59 and model.quality("power")["q2"] > 0.95
assert model.verdict("power") in ("good", "usable")
fresh = space.sample(400, seed=9)
said = model.predict(fresh)
assert np.array_equal(said["power"].mean, model(fresh, "power")) and np.array_equal(said["power"].mean, model(fresh))
assert np.sqrt(np.mean((said["power"].mean - truth(fresh)) ** 2)) < 0.25 * np.std(truth(fresh))
assert said["absorbed"].mean.shape == (400, 3) and said["absorbed"].confidence[0].shape == (400, 3)
assert np.allclose(said["ratio"].mean, said["power"].mean, rtol=1e-14)
assert np.array_equal(said["peak"].mean, said["absorbed"].mean.max(axis=1))
assert np.all(said["power"].prediction[0] <= said["power"].mean) and said.inside.dtype == bool and said.inside.mean() > 0.5
covered = np.mean((said["power"].calibrated[0] <= truth(fresh)) & (truth(fresh) <= said["power"].calibrated[1]))
assert covered > 0.85, covered
assert model.predict(np.asfortranarray(fresh))["power"].mean.tobytes() == said["power"].mean.tobytes()

# The same answers from a file, from the tool, and on any number of threads.
model.save(scratch + "/m.model")
again = renth.Model.load(scratch + "/m.model")
assert again.predict(fresh)["power"].mean.tobytes() == said["power"].mean.tobytes()
assert again.predict(fresh)["peak"].sd.tobytes() == said["peak"].sd.tobytes()
refused(lambda: again.quality("power"), "the runs that power was fitted to are not here")
renth.set_threads(1)
assert model.predict(fresh)["absorbed"].mean.tobytes() == said["absorbed"].mean.tobytes()
renth.set_threads()
for row in fresh[:5]:
    setting = {name: column[0] for name, column in space.columns(row[None]).items()}
    at = ",".join(f"{name}={v if isinstance(v, str) else repr(float(v))}" for name, v in setting.items())
    told = json.loads(subprocess.run([RENTH, "predict", "--from-model", scratch + "/m.model", "--at", at, "--json"],
                                     capture_output=True, text=True, check=True).stdout)["predictions"][0]
    one = model.predict(setting)
    for name in ("power", "mass", "peak"):
        of, mine = told["responses"][name], one[name]
        assert of["mean"] == mine.mean[0] and of["sd"] == mine.sd[0] and of["inside"] == bool(one.inside[0])
        assert of["confidence"] == [mine.confidence[0][0], mine.confidence[1][0]]
        if mine.calibrated:
            assert of["calibrated"] == [mine.calibrated[0][0], mine.calibrated[1][0]]
    assert told["responses"]["absorbed"]["mean"] == list(one["absorbed"].mean[0])
for form in ("c", "onnx", "fmu"):
    model.export(form, f"{scratch}/m.{form}", responses=["power"]) if form == "onnx" else model.export(form, f"{scratch}/m.{form}")
    assert os.path.getsize(f"{scratch}/m.{form}") > 1000
refused(lambda: model.export("sheet", scratch + "/m"), "unknown form", "onnx")
assert refused(lambda: model.save("/nowhere/m"), "cannot write").status == 4

# Ranking, searching, tolerances.
ranking = model.rank("power")
assert {p.parameter for p in ranking} == set(space.names) and ranking[0].share >= ranking[1].share
assert all(p.low <= p.share <= p.high for p in ranking)
best = model.seek(maximise="power", keep="mass <= 14", hold={"hull": "steel"})[0]
assert best.feasible and best.point["hull"] == "steel" and best.responses["mass"] <= 14 + 1e-6
grid = space.sample(20000, seed=2, settable=True)
grid[:, 3] = 0
allowed = (model(grid, "mass") <= 14) & space.allows(grid)
assert best.responses["power"] >= model(grid, "power")[allowed].max() - 1e-3 * np.ptp(model(grid, "power"))
assert not model.seek(maximise="power", keep="mass <= -1e6")[0].feasible
refused(lambda: model.seek(), "nothing to aim at")
refused(lambda: model.seek(maximise="nobody"), "unknown response nobody")
made = model.tolerance(best.point, accept=["power >= 0"], scatter={"draft": ("normal", 0.02, True)})
assert 0 <= made.low <= made.value <= made.high <= 1 and set(made.costs) == {"radius", "draft"}
line = renth.fit(two, [[-1, -1], [1, -1], [-1, 1], [1, 1], [0, 0]], [0.0, 2, 0, 2, 1], terms="linear")
half = line.tolerance({"a": 0, "b": 0}, accept="y >= 1", scatter={"a": ("normal", 0.1)})
assert abs(half.value - 0.5) < 0.01, half
coefficients = {c["term"]: c["coefficient"] for c in line.coefficients()}
assert abs(coefficients["a"] - 1) < 1e-12 and abs(coefficients["b"]) < 1e-12
refused(lambda: model.coefficients("peak"), "no polynomial")
x, mean, low, high = model.slices("power", points=9)["radius"]
assert x[0] == 3 and x[-1] == 8 and np.array_equal(mean, model({"radius": x}, "power"))
assert list(model.slices("power")["hull"][0]) == ["steel", "composite"] and list(model.slices("power")["plates"][0]) == [0, 2, 5]

# Bad input is refused with what, where and remedy.
refused(lambda: model.predict({"radus": 4}), "unknown parameter radus", "radius")
refused(lambda: model.predict({"hull": "gold"}), "hull", "steel, composite")
refused(lambda: model.predict(np.zeros((3, 2))), "(3, 2)")
refused(lambda: model.predict([[5, 3, 2, 7]]), "hull")
refused(lambda: model.predict([[np.nan, 3, 2, 0]]), "radius")
refused(lambda: model.predict({}, responses="nobody"), "unknown response nobody")
refused(lambda: model.predict({}, level=2), "level")
refused(lambda: renth.Space([]), "nothing varies")
refused(lambda: renth.Space([renth.continuous("a", 1, 0)]), "a")
refused(lambda: renth.Space([renth.continuous("a", 0, 1)], "a <= b"), "b")
refused(lambda: renth.fit(space, plan.points, {"y": [1, 2]}), "outputs of shape (2,) for 60 runs")
refused(lambda: renth.fit(space, plan.points, {"y": curve}), "curve without an axis")
refused(lambda: renth.fit(space, plan.points, truth(plan.points), kind="kriging", terms="linear"), "for polynomials")
refused(lambda: renth.fit(space, plan.points, truth(plan.points), kind="spline"), "spline", "kriging")
refused(lambda: renth.fit(space, plan.points, truth(plan.points), derive={"z": "y +"}), "derive")
refused(lambda: renth.fit(space, plan.points, truth(plan.points), derive={"z": "w", "w": "z"}), "derive")
refused(lambda: renth.Model.load(scratch + "/m.c"), "this is not a model")
with tempfile.NamedTemporaryFile() as nothing:
    refused(lambda: renth.Model.load(nothing.name), "this is not a model")

# Others run while it works.
ticks = []
stop = threading.Event()


def tick():
    while not stop.is_set():
        ticks.append(time.perf_counter())
        time.sleep(0.002)


thread = threading.Thread(target=tick)
thread.start()
model.predict(space.sample(20000, seed=4), calibrated=False)
model.rank("power")
stop.set()
thread.join()
assert max(np.diff(ticks)) < 0.5, max(np.diff(ticks))

# As a pickle an error keeps what it says.
import pickle
error = pickle.loads(pickle.dumps(refused(lambda: model.predict({"radus": 4}))))
assert error.where == "settings" and "use one of" in error.remedy
print("all well")
