"""What of a sheet's drawing can be moved by hand, and what that sets in the sheet."""
import json
from dataclasses import dataclass

from markupsafe import escape

# Radius of a handle over the width of its drawing.
SHARE = 0.011


@dataclass(frozen=True)
class Sets:
    """A field that follows a handle: its value is base + along · x + up · y of the handle's place, in the
    drawing's own unit and upright.

    Attributes
    ----------
    field : str
        Its name in the form; rows are told apart by their number.
    row : int or None
    unit : str
        In which the value is; "" for pure numbers.
    """

    field: str
    along: float = 0.0
    up: float = 0.0
    base: float = 0.0
    unit: str = ""
    row: int | None = None

    def plain(self):
        """As the page's script takes it."""
        return [self.field, self.row, self.along, self.up, self.base, self.unit]


def handle(at, width, words, *sets, css=""):
    """SVG of a handle.

    Parameters
    ----------
    at : (x, y)
        Upright, in the drawing's unit.
    width : float
        Of the whole drawing.
    words : str
        What it is; shown where the cursor rests.
    sets : Sets
    css : str
        A class besides.
    """
    data = escape(json.dumps([one.plain() for one in sets]))
    return (f'<circle class="handle {css}" cx="{at[0]:.5f}" cy="{-at[1]:.5f}" r="{SHARE * width:.5f}" '
            f'data-sets="{data}"><title>{escape(words)}: drag it</title></circle>')


def place(path, row, unit="", x="x", y="y", scale=1.0, shift=0.0):
    """The two `Sets` of a point in a row of the form; drawing units times `scale`, less `shift`."""
    return (Sets(f"{path}[].{x}", scale, 0.0, -shift, unit, row),
            Sets(f"{path}[].{y}", 0.0, scale, 0.0, unit, row))
