"""Renth: sample a solver's parameter space, fit surrogates, say how far to trust them, and act on them.

    import numpy as np, renth

    space = renth.Space([renth.continuous("radius", 3, 8, unit="m"), renth.choice("hull", ["steel", "composite"])])
    plan = renth.plan.latin_hypercube(space, runs=30, seed=1)
    model = renth.fit(space, plan.points, {"power": power_of(plan.points)})
    print(model.verdict("power"))
    model.predict({"radius": 5.0, "hull": "steel"})["power"].mean

Settings are arrays of m rows and a column a parameter, natural units, a choice as its index from 0; or tables by name:
a mapping of columns, a data frame, or a list of mappings, with choices by name. What is left out is nominal.
"""

import os as _os

from . import _core
from ._error import Error
from ._space import Parameter, Scatter, Space, choice, continuous, levels
from . import plan
from ._model import Model, Prediction, Proposal, RankedParameter, Yield, fit
from ._study import Result, Study

_core.set_module_folder(_os.path.dirname(_os.path.abspath(__file__)))

__version__ = _core.version
rank = Model.rank
seek = Model.seek
tolerance = Model.tolerance


def set_threads(count: int = 0) -> None:
    """Uses at most so many threads from now on (0: as many as there are cores). No result depends on it."""
    _core.set_threads(count)


__all__ = [
    "Error", "Model", "Parameter", "Prediction", "Proposal", "RankedParameter", "Result", "Scatter", "Space", "Study",
    "Yield", "choice", "continuous", "fit", "levels", "plan", "rank", "seek", "set_threads", "tolerance",
]
