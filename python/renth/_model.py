"""Surrogates of all responses of a problem, and what they are asked."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from . import _core
from ._error import Error
from ._space import Space


@dataclass
class Prediction:
    """What is predicted of one response at m settings; of a curve every array has a column an axis point (m × q).

    Attributes:
        mean: in the response's unit (m).
        sd: standard deviation of the mean (m).
        confidence: bounds of the mean, (low, high).
        prediction: bounds of one more run.
        calibrated: bounds of one more run by what cross-validation got wrong; None if there are too few runs.
    """

    mean: np.ndarray
    sd: np.ndarray
    confidence: tuple
    prediction: tuple
    calibrated: tuple | None


class Predictions(dict[str, Prediction]):
    """Predictions by response.

    Attributes:
        points: the settings (m × d).
        inside: is each within the region that the runs cover? Beyond it surrogates guess. (m booleans)
        failure_risk: the chance that the solver fails (m); None if none was learned.
    """

    def __init__(self, said: Mapping[str, Any]):
        super().__init__({name: Prediction(**of) for name, of in said["responses"].items()})
        self.points, self.inside, self.failure_risk = said["points"], said["inside"], said["failure_risk"]


@dataclass
class RankedParameter:
    """How much of a response's variance a parameter is behind: share with its bounds; Sobol' first-order and total
    indices, NaN where limits cut the region and shares are Shapley effects."""

    parameter: str
    share: float
    low: float
    high: float
    first: float
    total: float


@dataclass
class Proposal:
    """A setting that was found.

    Attributes:
        point: by parameter, choices by name. row: the same as an array (d).
        responses: means by response.
        desirability: from 0 at the limits of what is accepted to 1.
        feasible: does it hold every limit? limited_by: what binds.
        free: parameters that make no difference there.
    """

    point: dict
    row: np.ndarray
    responses: dict
    desirability: float
    feasible: bool
    limited_by: list
    free: list


@dataclass
class Yield:
    """The share in specification under scatter, from 0 to 1, with its bounds; by response and by parameter.

    Attributes:
        with_surrogate: (value, low, high) with the surrogates' errors; None without an error estimate.
        responses: by response mean, sd, p05, p50, p95, yield.
        costs: by parameter the yield regained if it alone were held exactly.
        outside: the share outside the region that the runs cover.
    """

    value: float
    low: float
    high: float
    samples: int
    with_surrogate: tuple | None
    responses: dict = field(default_factory=dict)
    costs: dict = field(default_factory=dict)
    outside: float = 0.0


class Model:
    """A surrogate for each response of a problem; made by fit(), Model.load() or Study.model()."""

    def __init__(self, handle: Any):
        self._model = handle
        self.space = Space._of(handle.problem())

    @classmethod
    def load(cls, file: str | os.PathLike) -> Model:
        """A model from a file that save() or `renth export model` wrote."""
        return cls(_core.load_model(str(file)))

    def save(self, file: str | os.PathLike) -> None:
        """Everything that predicting needs, in one file that the tool and C++ programs read too."""
        self.export("model", file)

    def export(self, form: str, file: str | os.PathLike, *, responses: Iterable[str] = ()) -> None:
        """Writes the model in a form that other programs run: model, c, onnx or fmu."""
        self._model.export(form, str(file), list(responses))

    @property
    def responses(self) -> list[str]:
        """Names of the responses that can be predicted."""
        return self._model.responses()

    def __repr__(self) -> str:
        return f"Model({', '.join(self.responses)})"

    def predict(self, settings: Any, *, level: float = 0.95, responses: str | Iterable[str] = (),
                calibrated: bool = True) -> Predictions:
        """Means, deviations and intervals at m settings.

        Args:
            settings: as Space.points() takes them.
            level: of the intervals. responses: which; default all.
            calibrated: also bounds from cross-validation, which ask the surrogates of all folds.

        Raises:
            Error: settings that are none; a response that there is not.
        """
        names = [responses] if isinstance(responses, str) else list(responses)
        return Predictions(self._model.predict(self.space.points(settings), float(level), names, bool(calibrated)))

    def __call__(self, settings: Any, response: str | None = None) -> np.ndarray:
        """Means of one response alone, the first by default (m, of a curve m × q): the fastest answer."""
        return self._model.means(self.space.points(settings), self._response(response))

    def _response(self, response: str | None) -> str:
        return self.responses[0] if response is None else response

    def verdict(self, response: str | None = None) -> str:
        """How far a surrogate can be believed: good, usable, weak or unfit; "" if nobody judged it."""
        return self._model.verdict(self._response(response))

    def quality(self, response: str | None = None) -> dict[str, Any]:
        """What a fit's quality is: kind, why it was chosen, r2, q2, rmse, rmse_cv, reasons and what to do next.

        Raises:
            Error: the model was not fitted here: its runs are not known.
        """
        return self._model.quality(self._response(response))

    def coefficients(self, response: str | None = None, *, level: float = 0.95) -> list[dict[str, Any]]:
        """Of a polynomial its terms in coded units: term, coefficient, std_error, t, p, low, high, vif.

        Raises:
            Error: the surrogate is no polynomial.
        """
        return self._model.coefficients(self._response(response), float(level))

    def rank(self, response: str | None = None, *, level: float = 0.95, seed: int = 1) -> list[RankedParameter]:
        """Parameters by their share of the response's variance over the region, the largest first."""
        return [RankedParameter(**p) for p in self._model.rank(self._response(response), float(level), int(seed))]

    def seek(self, *, maximise: str | Iterable[str] = (), minimise: str | Iterable[str] = (),
             target: Mapping[str, float] | None = None, keep: str | Iterable[str] = (),
             hold: Mapping[str, Any] | None = None, weight: Mapping[str, float] | None = None, proposals: int = 3,
             seed: int = 1) -> list[Proposal]:
        """The settings wanted, best first.

        Args:
            maximise, minimise: responses. target: values by response.
            keep: conditions such as "mass <= 30" or "load < 350 && radius >= 4".
            hold: values of parameters that stay. weight: of goals, by response.

        Returns:
            Proposals; if nothing holds every limit, those that break them least, feasible False.
        """
        def listed(names: str | Iterable[str]) -> list[str]:
            return [names] if isinstance(names, str) else list(names)

        found = self._model.seek(listed(maximise), listed(minimise), dict(target or {}), listed(keep), dict(hold or {}),
                                 dict(weight or {}), int(proposals), int(seed))
        return [Proposal(**p) for p in found]

    def tolerance(self, at: Any, *, accept: str | Iterable[str] = (), scatter: Mapping[str, Any] | None = None,
                  samples: int = 0, level: float = 0.95, seed: int = 1) -> Yield:
        """What share of what is made at a setting is in specification.

        Args:
            at: the setting. accept: limits such as "power >= 40".
            scatter: by parameter a Scatter or (shape, size[, relative]), in place of the parameters' own.
            samples: 0: as many as an interval of ±0.25 % needs.
        """
        drift = {name: (s.shape, s.size, s.relative) if hasattr(s, "shape") else (*s, False)[:3]
                 for name, s in (scatter or {}).items()}
        limits = [accept] if isinstance(accept, str) else list(accept)
        return Yield(**self._model.tolerance(self.space.points(at)[0], limits, drift, int(samples), float(level), int(seed)))

    def slices(self, response: str | None = None, *, at: Any = None, points: int = 50,
               level: float = 0.95) -> dict[str, tuple]:
        """How a response goes along each parameter through a setting (default the nominal one).

        Returns:
            By parameter (x, mean, low, high): values or names of choices, the mean and the bounds of the mean.
        """
        name = self._response(response)
        base = self.space.points({} if at is None else at)[0]
        out = {}
        for j, p in enumerate(self.space.parameters):
            x = np.arange(len(p.choices), dtype=float) if p.choices else p.levels(points)
            settings = np.tile(base, (len(x), 1))
            settings[:, j] = x
            said = self.predict(settings, level=level, responses=name, calibrated=False)[name]
            out[p.name] = (np.array(p.choices, dtype=object) if p.choices else x, said.mean, *said.confidence)
        return out


def fit(space: Space, settings: Any, outputs: Any, *, kind: str = "", terms: str = "", noisy: bool = False,
        derive: Mapping[str, str] | None = None, axes: Mapping[str, Any] | None = None,
        units: Mapping[str, str] | None = None, seed: int = 1, **options: Any) -> Model:
    """A surrogate for each response, of the kind that predicts best, judged by cross-validation.

    Args:
        settings: those that were run, as Space.points() takes them (n).
        outputs: an array (n) for one response called y; or by name, also as a data frame: an array (n), or of a curve
            (n × q). NaN is missing.
        kind: polynomial, kriging, chaos, rbf, moving or blend; default all are tried.
        terms: of a polynomial, such as "quadratic" or "1 + radius + radius*draft".
        noisy: the same setting need not give the same output.
        derive: responses worked out from others, by name: {"ratio": "power / mass"}.
        axes: of curves, by response (name, points) or points alone. units: by response.
        options: transform (a power; 0 the logarithm), kernel, trend, nugget (a variance), basis, choose (forward,
            backward, both, best-subset), repeats, candidates.

    Raises:
        Error: options that contradict each other; runs that carry no surrogate.
    """
    points = space.points(settings)
    if hasattr(outputs, "columns") and not isinstance(outputs, Mapping):
        outputs = {str(name): outputs[name] for name in outputs.columns}
    if not isinstance(outputs, Mapping):
        outputs = {"y": outputs}
    arrays = {}
    for name, values in outputs.items():
        array = np.asarray(values, dtype=float)
        arrays[str(name)] = array.reshape(-1, 1) if array.ndim == 1 else array
        if array.ndim not in (1, 2) or array.shape[0] != points.shape[0]:
            raise Error(f"{name} has outputs of shape {array.shape} for {points.shape[0]} runs", "outputs",
                        "give a row a run, in the order of the settings")
    given = {}
    for name, axis in (axes or {}).items():
        named = len(axis) == 2 and isinstance(axis[0], str)
        given[str(name)] = (axis[0] if named else name + "_axis", [float(v) for v in (axis[1] if named else axis)])
    return Model(_core.fit(space._problem, points, list(arrays.items()), given, list((derive or {}).items()), dict(units or {}), bool(noisy),
                           {"kind": kind, "terms": terms, **options}, int(seed)))
