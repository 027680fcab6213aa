"""A heaving buoy from plan to optimum: two responses of numbers and a choice, fitted, ranked, searched under a limit,
and looked at under tolerances."""

import numpy as np

import renth


def power(x):
    """Stands for a solver: kW of the settings (m × 4)."""
    tuned = np.exp(-(((x[:, 1] - 0.55 * x[:, 0]) / 1.6) ** 2))
    return 9 * x[:, 0] * tuned * x[:, 2] / (80 + x[:, 2]) * np.where(x[:, 3] == 1, 1.08, 1)


def mass(x):
    """Tonnes."""
    return np.pi * x[:, 0] ** 2 * x[:, 1] * 0.2 * np.where(x[:, 3] == 1, 0.6, 1)


space = renth.Space([
    renth.continuous("radius", 3, 8, unit="m", scatter=("normal", 0.05)),
    renth.continuous("draft", 1.5, 6, unit="m", scatter=("uniform", 0.1)),
    renth.continuous("damping", 20, 400, unit="kN s/m"),
    renth.choice("hull", ["steel", "composite"]),
])
plan = renth.plan.latin_hypercube(space, runs=50, seed=1)
model = renth.fit(space, plan.points, {"power": power(plan.points), "mass": mass(plan.points)},
                  derive={"power_per_tonne": "power / mass"})
for name in ("power", "mass"):
    print(f"{name}: {model.quality(name)['why']}: {model.verdict(name)}")

for p in model.rank("power"):
    print(f"{p.parameter:8s} is behind {100 * p.total:5.1f} % of the variance of power")

best = model.seek(maximise="power", keep="mass <= 30")[0]
print(f"most power with mass <= 30: {best.responses['power']:.2f} kW at {best.point}")
row = best.row[np.newaxis]
print(f"the solver says {power(row)[0]:.2f} kW, {mass(row)[0]:.2f} t")

made = model.tolerance(best.point, accept=f"power >= {0.99 * power(row)[0]}")
print(f"{100 * made.value:.1f} % of what is made there keep 99 % of that power ({100 * made.low:.1f} to {100 * made.high:.1f})")

for name, (x, mean, low, high) in model.slices("power", at=best.point, points=3).items():
    print(name, x, np.round(mean, 2))
