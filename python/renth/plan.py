"""Plans: which settings to run.

Every function takes a Space, the options of the method by name and a seed, and returns a Plan.
"""

from . import _core as _core_
from ._space import Space as _Space


class Plan:
    """Points to run, and what is to be known of them.

    Attributes:
        points: settings (n × d), all of them settable and allowed.
        origins: what each is: corner, axial, centre, fill, …
        blocks: block numbers from 0 (n).
        notes: what the analyst should know, in sentences.
    """

    def __init__(self, space, made):
        self.space, self.points, self.origins, self.blocks = space, made["points"], made["origins"], made["blocks"]
        self.method, self.notes, self.seed = made["method"], made["notes"], made["seed"]

    def __len__(self):
        return len(self.points)

    def columns(self):
        """The points as columns by name, choices by name."""
        return self.space.columns(self.points)

    def __repr__(self):
        return f"Plan({self.method}, {len(self)} runs)"


def make(space: _Space, method: str = "", *, seed: int = 1, existing=None, candidates=None, at=None, noisy=False,
         **options) -> Plan:
    """A plan by the name of its method; without one, the method that suits (its reason is the first note).

    Args:
        runs: how many; default a suggestion of the method's.
        existing: settings that were run already: optimal plans count them, spread keeps away from them.
        options: criterion, model, levels, replicates, resolution, generators, axial, centre, blocks, stage, restarts,
            random_order, pure_error, whole_plots, variance_ratio, effort. An optimal plan for several models, of which one
            may hold, takes them in one text: "linear; quadratic".

    Raises:
        Error: an option that the method does not take; what the method refuses.
    """
    arrays = {name: space.points(value) for name, value in
              (("existing", existing), ("candidates", candidates), ("at", at)) if value is not None}
    return Plan(space, _core_.make_plan(space._problem, method, {**options, **arrays}, int(seed), bool(noisy)))


def _method(name, summary):
    def plan_of(space: _Space, *, seed: int = 1, **options) -> Plan:
        return make(space, name, seed=seed, **options)

    plan_of.__name__ = plan_of.__qualname__ = name.replace("-", "_")
    plan_of.__doc__ = f"{summary[0].upper()}{summary[1:]}.\n\nOptions as those of make()."
    return plan_of


methods = {}
for _name, _summary in _core_.plan_methods():
    methods[_name] = globals()[_name.replace("-", "_")] = _method(_name, _summary)
