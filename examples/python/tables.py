"""Runs that are in a table already: from a data frame to a polynomial with its coefficients, and back."""

import numpy as np

import renth

try:
    import pandas
except ImportError:
    pandas = None

generator = np.random.default_rng(7)
space = renth.Space([renth.continuous("draft", 0.1, 0.3, unit="m"), renth.levels("plates", [0, 1, 2, 4])])
settings = space.sample(40, seed=1)
columns = space.columns(settings)
columns["force"] = 300 - 900 * (columns["draft"] - 0.2) ** 2 + 6 * columns["plates"] + generator.normal(0, 0.5, 40)
table = pandas.DataFrame(columns) if pandas else columns

runs = {name: table[name] for name in space.names}
model = renth.fit(space, runs, {"force": table["force"]}, kind="polynomial", terms="quadratic", noisy=True)
print(model.verdict(), model.quality()["reasons"][0])
for c in model.coefficients():
    print(f"{c['term']:14s} {c['coefficient']:8.3f} ± {c['std_error']:.3f}   p {c['p']:.4f}")

said = model.predict(runs)["force"]
low, high = said.prediction
inside = np.mean((low <= table["force"]) & (table["force"] <= high))
print(f"{100 * inside:.0f} % of the runs lie within the 95 % interval of a run")
