"""What varies, and settings of it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np

from . import _core
from ._core import Parameter
from ._error import Error


class Scatter:
    """How the real value drifts round its setting.

    Args:
        shape: normal, uniform, triangular, lognormal.
        size: standard deviation (normal), half-width (uniform, triangular) or coefficient of variation (lognormal), in
            the parameter's unit.
        relative: size is a fraction of the setting.
    """

    def __init__(self, shape: str, size: float, relative: bool = False):
        self.shape, self.size, self.relative = shape, float(size), bool(relative)


def _parameter(made: Any, unit: str, label: str, nominal: float | None, scatter: Any, step: float = 0.0,
               values: Sequence[float] = (), hard: bool = False) -> Parameter:
    if scatter is not None and not isinstance(scatter, Scatter):
        scatter = Scatter(*scatter)
    return _core.finish_parameter(
        made, unit, label, nominal, float(step), [float(v) for v in values],
        None if scatter is None else (scatter.shape, scatter.size, scatter.relative), bool(hard))


def continuous(name: str, low: float, high: float, *, unit: str = "", label: str = "", nominal: float | None = None,
               step: float = 0.0, values: Sequence[float] = (), scatter: Scatter | tuple | None = None,
               hard: bool = False) -> Parameter:
    """A parameter of a span, in `unit`.

    Args:
        nominal: the baseline; default the middle.
        step: above 0, only low, low + step, … can be made. values: the sizes that can be made.
        scatter: a Scatter, or (shape, size[, relative]).
        hard: hard to set anew; optimal plans keep it the same for whole plots of runs.
    """
    return _parameter(_core.continuous(name, float(low), float(high)), unit, label, nominal, scatter, step, values, hard)


def levels(name: str, values: Iterable[float], *, unit: str = "", label: str = "", nominal: float | None = None,
           scatter: Scatter | tuple | None = None, hard: bool = False) -> Parameter:
    """Ordered numbers with nothing between them. hard: as of continuous()."""
    return _parameter(_core.levels(name, [float(v) for v in values]), unit, label, nominal, scatter, hard=hard)


def choice(name: str, choices: Sequence[str], *, label: str = "", nominal: str | None = None,
           hard: bool = False) -> Parameter:
    """Names without an order, at least two. nominal: one of them; default the first. hard: as of continuous()."""
    index = None if nominal is None else float(list(choices).index(nominal))
    return _parameter(_core.choice(name, list(choices)), "", label, index, None, hard=hard)


class Space:
    """An ordered list of parameters and the limits between them, such as "draft <= 1.2 * radius".

    Raises:
        Error: names that stand twice, empty spans, a limit that does not parse.
    """

    def __init__(self, parameters: Iterable[Parameter], limits: str | Iterable[str] = ()):
        parameters = list(parameters)
        if not parameters:
            raise Error("nothing varies", "space", "give one parameter or more")
        self._problem = _core.Problem(parameters, [limits] if isinstance(limits, str) else list(limits))

    @classmethod
    def _of(cls, problem: Any) -> Space:
        out = cls.__new__(cls)
        out._problem = problem
        return out

    @property
    def parameters(self) -> list[Parameter]:
        """What varies, in its order."""
        return self._problem.parameters

    @property
    def names(self) -> list[str]:
        """Names of the parameters, in their order."""
        return [p.name for p in self.parameters]

    def __len__(self) -> int:
        return len(self.parameters)

    def __repr__(self) -> str:
        return f"Space({', '.join(map(repr, self.parameters))})"

    def nominal(self) -> np.ndarray:
        """The baseline (d)."""
        return self._problem.nominal()

    def points(self, settings: Any) -> np.ndarray:
        """Settings as an array (m × d): a row a setting, choices as indices.

        Args:
            settings: such an array already (given back as it is if it is of doubles); one setting (d); a mapping of
                names to values or columns; a data frame; a list of mappings. What is not named is nominal.
        """
        names = self.names
        if hasattr(settings, "columns") and not isinstance(settings, Mapping):  # a data frame
            settings = {name: np.asarray(settings[name]) for name in settings.columns}
        elif isinstance(settings, (list, tuple)) and settings and all(isinstance(s, Mapping) for s in settings):
            rows = [self.points(s) for s in settings]
            return np.vstack(rows)
        if isinstance(settings, Mapping):
            for name in settings:
                if name not in names:
                    raise Error(f"unknown parameter {name}", "settings", f"use one of {', '.join(names)}")
            given = {name: np.asarray(column) for name, column in settings.items()}
            length = max([column.shape[0] for column in given.values() if column.ndim > 0], default=1)
            out = np.empty((length, len(names)), order="F")
            out[:] = self.nominal()
            for name, column in given.items():
                if column.ndim > 1 or (column.ndim == 1 and column.shape[0] not in (1, length)):
                    raise Error(f"{name} has {column.shape} values for {length} settings", "settings",
                                "give one value, or one a setting")
                out[:, names.index(name)] = self._numbers(name, column)
            return out
        array = np.asarray(settings, dtype=float)
        if array.ndim == 1:
            array = array.reshape(1, -1)
        if array.ndim != 2 or array.shape[1] != len(names):
            raise Error(f"an array of shape {np.asarray(settings).shape} for {len(names)} parameters", "settings",
                        "give a row a setting and a column a parameter, in their order")
        return array

    def _numbers(self, name: str, column: np.ndarray) -> np.ndarray:
        choices = self.parameters[self.names.index(name)].choices
        if not choices or column.dtype.kind in "fiu":
            return column.astype(float)
        try:
            return np.vectorize(lambda word: float(choices.index(str(word))), otypes=[float])(column)
        except ValueError:
            raise Error(f"{name} has another value than {', '.join(choices)}", "settings", "use one of them") from None

    def columns(self, points: Any) -> dict[str, np.ndarray]:
        """The other way round: a column a name, choices by name; what a data frame is made from."""
        points = self.points(points)
        out = {}
        for j, p in enumerate(self.parameters):
            column = np.array(points[:, j])
            out[p.name] = np.array(p.choices, dtype=object)[column.astype(int)] if p.choices else column
        return out

    def allows(self, points: Any) -> np.ndarray:
        """Do the limits hold? (m booleans)"""
        return self._problem.allows(self.points(points))

    def sample(self, count: int, *, seed: int = 1, settable: bool = False) -> np.ndarray:
        """Independent points, uniform over the region (count × d); settable: only what can be set."""
        return self._problem.sample(int(count), int(seed), bool(settable))
