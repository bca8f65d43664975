"""What a report is made from: a campaign with its runs, as plain values and pictures on demand."""
import functools
from collections.abc import Callable
from dataclasses import dataclass, field

from ..look.body_picture import body_grid_picture, body_thumbnail
from ..look.picture import field_picture, grid_picture, thumbnail_box

# Words that an author may add, and under which heading they come to stand.
AUTHOR = {"answer": "The answer in the author's words", "method": "About the method", "remarks": "Remarks"}
LONGEST_WORDS = 8000


@dataclass
class Cell:
    """The newest run of a variant at an operating point.

    Attributes
    ----------
    run, variant, point : int
    state, error, created : str
    sheet : Sheet
    text : str
        The sheet as it was run.
    result : dict or None
    history : callable
        history() gives a list of dict.
    look : callable
        look() gives `Looks`, or None where no field is kept.
    lines : callable
        lines() gives {key: list of (x, y)} of what was read along walls and lines.
    field : callable
        field() gives the flow that is drawn: of a plane a `Drawable`, of a body (`BodyField`,
        `DrawnSurface`); None where there is none.
    """

    run: int
    variant: int
    point: int
    state: str
    error: str
    created: str
    sheet: object
    text: str
    result: dict | None
    history: Callable
    look: Callable
    lines: Callable
    field: Callable = lambda: None

    @functools.cached_property
    def looks(self):
        """`Looks`, made once."""
        return self.look()


@dataclass(frozen=True)
class Looks:
    """Pictures of a run: of the flow and of its cells, as PNG, and what they show."""

    flow: bytes
    flow_words: str
    grid: bytes
    grid_words: str


@dataclass
class Material:
    """A campaign.

    Attributes
    ----------
    name, question, space : str
    aim : Aim or None
    variants, points : list of dict
        With ``id``, ``name`` and ``shape`` or ``air``; the first variant is the baseline.
    cells : dict of (int, int) to Cell
    measured : list of dict
        With ``name``, ``columns`` and ``about``.
    words : dict of str to str
        The author's, see `AUTHOR`.
    views : list of SavedView or BodyView
    version, machine, date : str
    """

    name: str
    question: str
    space: str
    aim: object
    variants: list
    points: list
    cells: dict
    measured: list
    words: dict = field(default_factory=dict)
    views: list = field(default_factory=list)
    version: str = ""
    machine: str = ""
    date: str = ""

    def results(self):
        """{(variant, point): result} of settled runs."""
        return {key: c.result for key, c in self.cells.items() if c.state == "settled" and c.result}


def plane_looks(drawn):
    """`Looks` of a plane field (`Drawable`)."""
    box = thumbnail_box(drawn)
    fast = drawn.values["mach"].max() > 0.7 or "cp" not in drawn.values
    key, words = ("mach", "Mach number") if fast else ("cp", "Pressure coefficient Cp")
    return Looks(field_picture(drawn, key, box=box, width=5.4), words, grid_picture(drawn, box, 5.4),
                 "Cells of the finest grid that was reached")


def space_looks(field_, drawn):
    """`Looks` of a flow in space (`BodyField`, `DrawnSurface`)."""
    return Looks(body_thumbnail(field_, drawn, 8.0),
                 "Speed over that of the stream on the plane through the middle, 0 to 1.35",
                 body_grid_picture(field_, drawn, 8.0),
                 "Cells that the plane through the middle cuts, without those of wall layers")
