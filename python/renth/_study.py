"""Studies on disk: the same folder, store and results as the tool's."""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from . import _core
from ._error import Error
from ._model import Model, Predictions


class Result(dict[str, Any]):
    """The document of a verb, as the tool prints it with --json.

    Attributes:
        status: 0 done; 1 done, but the answer needs a human.
    """

    def __init__(self, document: Mapping, status: int):
        super().__init__(document)
        self.status = status

    @property
    def notes(self) -> list[str]:
        """What is to be known of the answer, in sentences."""
        return [note["text"] if isinstance(note, Mapping) else note for note in self.get("notes", [])]


def _text(value: Any) -> str:
    if isinstance(value, Mapping):
        return ",".join(f"{name}={_text(v)}" for name, v in value.items())
    if isinstance(value, (bool, np.bool_)):
        return "true" if value else "false"
    if isinstance(value, (float, np.floating)):
        return repr(float(value))
    return str(value)


def _words(options: Mapping[str, Any]) -> list[str]:
    """Options as they are typed: runs=30 → --runs 30, front=True → --front, keep=[…] → one each."""
    out: list[str] = []
    for name, value in options.items():
        word = "--" + name.rstrip("_").replace("_", "-")
        if value is None or value is False:
            continue
        if value is True:
            out.append(word)
        elif name in ("target", "weight") and isinstance(value, Mapping):
            for pair in value.items():
                out += [word, f"{pair[0]}={_text(pair[1])}"]
        elif isinstance(value, (list, tuple)):
            for one in value:
                out += [word, _text(one)]
        else:
            out += [word, _text(value)]
    return out


class Study:
    """A folder with study.toml.

    Every verb of the tool is a method with the tool's options as keywords (`renth VERB --help` lists them): what is
    --keep-as there is keep_as here. Each returns a Result, which is also kept for `renth log`.

    Args:
        folder: of the study.

    Raises:
        Error: there is no study, or its file is wrong.
    """

    def __init__(self, folder: str | os.PathLike = "."):
        self.folder = os.fspath(folder)
        self("check")

    @classmethod
    def init(cls, folder: str | os.PathLike, text: str | None = None, **options: Any) -> Study:
        """A new study: of the text of a study.toml, or as `renth init` makes it (demo="buoy", from_="table.csv")."""
        if text is not None:
            os.makedirs(folder, exist_ok=True)
            file = os.path.join(folder, "study.toml")
            if os.path.exists(file):
                raise Error("there is a study already", file, "take another folder, or change that file")
            with open(file, "w", encoding="utf-8") as out:
                out.write(text)
        else:
            _command(["init", os.fspath(folder), *_words(options)])
        return cls(folder)

    def __call__(self, verb: str, *words: Any, **options: Any) -> Result:
        """Any verb, with its words and options."""
        return _command(["-s", self.folder, verb, *map(_text, words), *_words(options)])

    def __repr__(self):
        return f"Study({self.folder!r})"

    def check(self, **options: Any) -> Result:
        """What the study is, in numbers, and what is wrong with it."""
        return self("check", **options)

    def plan(self, method: str | None = None, *words: Any, **options: Any) -> Result:
        """Plans runs; without a method, by the one that suits."""
        return self("plan", *([method] if method else []), *words, **options)

    def assess(self, batch: str | None = None, **options: Any) -> Result:
        """Judges a plan before any response exists."""
        return self("assess", *([batch] if batch else []), **options)

    def run(self, function: Callable[[dict], Any] | None = None, name: str | None = None, *,
            progress: Callable[[int, int, int], Any] | None = None, retry: bool = False, renew: bool = False,
            batch: str = "", **options: Any) -> Result:
        """Computes what is planned.

        Args:
            function: the solver of a study of kind manual: called with the settings of a run by name (fixed parameters
                too), returns the responses by name, numbers or of curves sequences. What it raises makes the run fail;
                KeyboardInterrupt ends all, and what is done is kept.
            name: of the function; another name, other values: it is kept with every run, as a solver's hash is.
            progress: called with (done, failed, total) after each run.
            retry: failed runs again. renew: runs by another function again; the older ones are set aside.
            batch: only this one.
        """
        if function is None:
            return self("run", retry_failed=retry, renew=renew, batch=batch or None, quiet=True, **options)
        if not name:
            raise Error("the function has no name", "run", "give it one: another name says that it gives other values")
        return Result(_core.run_function(self.folder, name, function, progress, bool(retry), bool(renew), batch), 0)

    def runs(self, **options: Any) -> Result:
        """The table of runs."""
        return self("runs", **options)

    def import_(self, file: str | os.PathLike, **options: Any) -> Result:
        """Runs from a table."""
        return self("import", os.fspath(file), **options)

    def fit(self, kind: str | None = None, **options: Any) -> Result:
        """Fits a surrogate for each response."""
        return self("fit", *([kind] if kind else []), **options)

    def trust(self, **options: Any) -> Result:
        """How far each surrogate can be believed."""
        return self("trust", **options)

    def rank(self, method: str | None = None, **options: Any) -> Result:
        """Parameter importance."""
        return self("rank", *([method] if method else []), **options)

    def extremes(self, **options: Any) -> Result:
        """Smallest and largest value of each response over the region."""
        return self("extremes", **options)

    def seek(self, **options: Any) -> Result:
        """Searches the surrogates for the settings wanted."""
        return self("seek", **options)

    def confirm(self, **options: Any) -> Result:
        """Runs the solver at settings found, and compares."""
        return self("confirm", **options)

    def refine(self, **options: Any) -> Result:
        """Plans, runs and refits where it helps most."""
        return self("refine", **options)

    def tolerance(self, **options: Any) -> Result:
        """Yield under scatter, and which parameter costs it."""
        return self("tolerance", **options)

    def window(self, **options: Any) -> Result:
        """The operating window."""
        return self("window", **options)

    def mark(self, name: str, **options: Any) -> Result:
        """Keeps a setting by name."""
        return self("mark", name, **options)

    def log(self) -> Result:
        """What was done, as it is typed."""
        return self("log")

    def draw(self, figure: str, file: str | os.PathLike, **options: Any) -> Result:
        """Draws a figure."""
        return self("draw", figure, output=os.fspath(file), **options)

    def report(self, file: str | os.PathLike, **options: Any) -> Result:
        """The whole study as a document."""
        return self("report", output=os.fspath(file), **options)

    def explore(self, file: str | os.PathLike, **options: Any) -> Result:
        """The study as a page that works offline."""
        return self("explore", output=os.fspath(file), **options)

    def export(self, form: str, file: str | os.PathLike, **options: Any) -> Result:
        """Surrogates as something other programs run: model, c, onnx or fmu."""
        return self("export", form, output=os.fspath(file), **options)

    def model(self, *responses: str) -> Model:
        """The current surrogates, ready to be asked. responses: which; default all that have one."""
        return Model(_core.study_model(self.folder, list(responses)))

    def predict(self, settings: Any, *, level: float = 0.95) -> Predictions:
        """Predictions of all responses; see Model.predict()."""
        return self.model().predict(settings, level=level)


def _command(words: list[str]) -> Result:
    status, out, said = _core.command([*words, "--json"])
    document = json.loads(out) if out.strip() else {}
    if "error" in document:
        error = document["error"]
        raise Error(error["what"], error["where"], error["remedy"], error["status"])
    if status > 1 and not document:
        raise Error(said.strip() or f"renth {words[0]} ended with {status}", "", "", status)
    return Result(document, status)
