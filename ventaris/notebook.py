"""The Python door: read or build a sheet, run it, and read the answer as numbers, arrays and pictures.

What it offers is offered by ``import ventaris``; see `docs/python.md`.
"""
import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from .core.formats.tables import read_columns
from .core.look.picture import field_picture
from .core.shapes.library import library
from .core.sheet import SECTIONS_OF, SheetError, default_setup, read_sheet, read_toml, write_toml
from .core.study.checks import estimate, examine
from .core.study.cores import cores_at_most
from .core.study.execute import execute
from .core.study.comparison import difference_of, paired_error
from .core.study.kinds.registry import kind_of
from .core.study.progress import Checkpoint, RunFailed

__all__ = [
    "Answer", "Number", "RunFailed", "SheetError", "change", "check", "cost", "difference", "read", "run",
    "sheet", "text"
]


@dataclass(frozen=True)
class Number:
    """A value with its error bar.

    Attributes
    ----------
    value : float
    error : float or None
        Half-width; None where it is not known.
    words : str
        What the error bar rests on.
    """

    value: float
    error: float | None = None
    words: str = ""

    def __float__(self):
        return self.value

    def __str__(self):
        return f"{self.value:.6g}" + ("" if self.error is None else f" ± {self.error:.2g}")

    @property
    def is_resolved(self):
        """Whether it differs from nothing by more than its error bar."""
        return self.error is not None and abs(self.value) > self.error


def read(source, settings=None, folder=None):
    """Read a run sheet.

    Parameters
    ----------
    source : path or str
        A file, or the sheet's text itself.
    settings : dict, optional
        What shall be different: {"air.incidence": 4}.
    folder : path, optional
        Where imported surfaces lie; beside the file by itself.

    Returns
    -------
    Sheet, BodySheet, NozzleSheet or RowSheet

    Raises
    ------
    SheetError
        Naming the field, what was given and what is accepted.
    """
    if isinstance(source, Path) or "\n" not in str(source):
        path = Path(source)
        folder, source = folder or path.resolve().parent, path.read_bytes()
    if folder is not None:
        library.folder = Path(folder)
    return read_toml(source, _overrides(settings or {}))


def sheet(space="section", folder=None, **sections):
    """Build a run sheet from the defaults of a kind of campaign.

    Parameters
    ----------
    space : {"section", "body", "nozzle", "row"}
    folder : path, optional
        Where imported surfaces lie.
    sections : dict
        ``title``, ``shape``, ``air``, ``domain``, ``grid``, ``flow``, ``instruments``, ``run`` with the
        fields that shall not be at their defaults; numbers may carry units ("35 mm").

    Returns
    -------
    Sheet, BodySheet, NozzleSheet or RowSheet

    Raises
    ------
    SheetError
    """
    if folder is not None:
        library.folder = Path(folder)
    whole = {"format": 1, "space": space, **(default_setup(space) if space in SECTIONS_OF else {})}
    for name, values in sections.items():
        whole[name] = {**whole.get(name, {}), **values} if isinstance(values, dict) else values
    return read_sheet(whole)


def change(start, settings):
    """A sheet like another but for some fields: ``change(one, {"air.incidence": 6})``; the first stays as it
    is."""
    return read_toml(write_toml(start), _overrides(settings))


def text(of):
    """A sheet as the text of its file, every field in its unit."""
    return write_toml(of)


def check(of):
    """What the preflight finds: a list of `Finding` with ``grade`` ("stop", "warn", "note"), ``path`` and
    ``message``."""
    return examine(of)[1]


def cost(of):
    """What a run will take: {"cells", "seconds", …}, or None where nothing can be run."""
    setup, _ = examine(of)
    return None if setup is None else estimate(setup)


def run(of, progress=None, start_from=None):
    """Run a sheet to its end.

    Parameters
    ----------
    of : sheet
    progress : callable, optional
        Called with a `Progress` after every step; where it returns False the run stops there.
    start_from : Answer or bytes, optional
        A checkpoint to go on from, as `Answer.checkpoint` gives it.

    Returns
    -------
    Answer

    Raises
    ------
    SheetError
        Before anything is computed: what the preflight stops at.
    RunFailed
        When the flow cannot be computed; says which cells blew up and what to try.
    """
    stops = [f for f in check(of) if f.grade == "stop"]
    if stops:
        raise SheetError([(f.path, f.message) for f in stops])
    kept = start_from.checkpoint() if isinstance(start_from, Answer) else start_from
    course, stopped = execute(of, Checkpoint.from_bytes(kept) if kept else None), False
    with cores_at_most(of.run.cores):
        for step in course:
            if progress is not None and progress(step) is False:
                stopped = True
                break
    return Answer(course, course.conclude(stopped=True) if stopped else course.result)


def difference(one, base, channel="drag"):
    """By how much one answer differs from another, with the error bar of the difference: what the grid does
    to both alike falls out of it.

    Parameters
    ----------
    one, base : Answer
    channel : str
        Or a quantity of the kind, or a formula: "lift / drag".

    Returns
    -------
    Number
    """
    found = difference_of(one.result, base.result, channel)
    if found is None:
        raise KeyError(f"{channel}: not a number of both answers. There are: {', '.join(one.channels)}")
    paired = paired_error(one.result, base.result, channel)
    return Number(found.value, found.bar, "from the trend of the difference"
                  if paired is not None and paired == found.bar else "")


class Answer:
    """What a run found.

    Attributes
    ----------
    result : dict
        The whole of it, as in ``result.json`` (`docs/formats.md`).
    sheet : the sheet that was run
    """
    def __init__(self, course, result):
        self._course, self.result, self.sheet = course, result, course.sheet

    def __getitem__(self, channel):
        """A channel's `Number`; KeyError with the names that there are."""
        found = self.result["coefficients"].get(channel)
        if not isinstance(found, (int, float)):
            raise KeyError(f"{channel}: not a channel with a value. There are: {', '.join(self.channels)}")
        trend = self.result["trends"].get(channel) or {}
        return Number(float(found), trend.get("error"), trend.get("words", ""))

    def __repr__(self):
        rows = ", ".join(f"{label} {value:.5g}" for label, value, *_ in self._course.report_rows())
        return f"<{self.result['title'] or 'untitled'}: {rows}; {'' if self.settled else 'not '}settled>"

    @property
    def channels(self):
        """Names of the channels that have a value."""
        return [n for n, v in self.result["coefficients"].items() if isinstance(v, (int, float))]

    @property
    def settled(self):
        """Whether the verdict is that it has."""
        return self.result["verdict"]["settled"]

    @property
    def verdict(self):
        """What is to be said of the run, with its warnings, as lines of text."""
        found = self.result["verdict"]
        return "\n".join([found["words"], *found["warnings"]])

    @property
    def history(self):
        """{channel: ndarray}, one value a step; NaN where a step has none."""
        entries = self._course.history
        names = dict.fromkeys(name for entry in entries for name, value in entry.items()
                              if isinstance(value, (int, float)))
        return {
            name: np.array([np.nan if entry.get(name) is None else entry[name]
                            for entry in entries], dtype=float)
            for name in names
        }

    def files(self):
        """{name: bytes} of everything that ``ventaris run --out`` leaves: results, fields in VTU, curves,
        pictures."""
        return kind_of(self.sheet).files(self._course)

    def save(self, folder):
        """Write `files` into a folder, which is made."""
        folder = Path(folder)
        folder.mkdir(parents=True, exist_ok=True)
        for name, data in self.files().items():
            (folder / name).write_bytes(data)
        return folder

    def table(self, name):
        """{column: array} of one of its files: "taps.csv" (walls of a section), "lines.csv" (nozzles and
        rows), "surface.csv" (bodies), "history.csv"; columns of words are arrays of str."""
        files = self.files()
        if name not in files or not name.endswith(".csv"):
            raise KeyError(
                f"{name}: not a table. There are: {', '.join(f for f in files if f.endswith('.csv'))}")
        return read_columns(files[name].decode())

    def field(self):
        """What is drawn of a plane's flow: a `Drawable` with ``points`` in chords, ``triangles`` and
        ``values`` {quantity: array}; of a body a `BodyField`."""
        kind, setup = kind_of(self.sheet), self._course.setup
        kept = self._course.kept_field()
        return kept if kind.drawable is None else kind.drawable(setup, *kept[1:])

    def picture(self, quantity="mach", **how):
        """A picture of a plane's flow as PNG, or as SVG with ``form="svg"``: bytes."""
        drawn = self.field()
        if not hasattr(drawn, "triangles"):
            raise TypeError("Pictures of bodies are among their files: answer.files()[\"speed.png\"].")
        return field_picture(drawn, quantity, title=self.sheet.title, **how)

    def checkpoint(self):
        """Bytes from which the run can go on."""
        return self._course.checkpoint().to_bytes()


def _overrides(settings):
    """Settings as the command line gives them."""
    return [f"{path}={json.dumps(value, default=float)}" for path, value in settings.items()]
