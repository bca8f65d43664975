"""A way of looking at a flow that is kept, and drawn for any run of a campaign."""
import math
from dataclasses import asdict, dataclass, replace

import numpy as np

from .colours import OFFERED
from .drawable import default_range
from .fields import QUANTITIES
from .picture import field_picture
from .plane_lines import PlaneLines

LONGEST_NAME, MOST_VIEWS = 60, 24


class ViewError(ValueError):
    """What is no view; the message says which part and what is accepted."""


@dataclass(frozen=True)
class SavedView:
    """A view.

    Attributes
    ----------
    name : str
    quantity : str
        A key of `QUANTITIES`.
    box : tuple of 4 floats
        Left, right, bottom, top in chords, or metres for nozzles.
    span : tuple of 2 floats, or None
        Of the colours; each run's own where None.
    map : str or None
    bands, iso, sonic : bool
    lines : PlaneLines
    """

    name: str
    quantity: str
    box: tuple
    span: tuple | None = None
    map: str | None = None
    bands: bool = True
    iso: bool = False
    sonic: bool = True
    lines: PlaneLines = PlaneLines()

    @classmethod
    def from_dict(cls, found):
        """From what `as_dict` made, or a page; raises `ViewError`."""
        name = name_of(found)
        if found.get("quantity") not in QUANTITIES:
            raise ViewError(f"quantity: “{str(found.get('quantity'))[:40]}” is no field of a plane flow.")
        box, span = _numbers(found.get("box"), 4), _numbers(found.get("span"), 2)
        if box is None or not (box[0] < box[1] and box[2] < box[3]):
            raise ViewError("box: accepted: left, right, bottom, top, each pair in rising order.")
        if span is not None and not span[0] < span[1]:
            raise ViewError("span: the range of colours needs a lower and a higher end.")
        try:
            # Views of before have no more than a number of streamlines.
            lines = PlaneLines.from_dict(found.get("lines", {"count": found.get("streams", 0)}))
        except (ValueError, TypeError) as error:
            raise ViewError(str(error)) from None
        return cls(name, found["quantity"], box, span, found["map"] if found.get("map") in OFFERED else None,
                   *(bool(found.get(key, default)) for key, default in (("bands", True), ("iso", False),
                                                                        ("sonic", True))), lines)

    def as_dict(self):
        """As plain values."""
        return asdict(self)

    def words(self):
        """What it shows, in a few words."""
        return ", ".join(filter(None, (QUANTITIES[self.quantity].label, self.lines.words())))

    def query(self):
        """As the flow page's address and its picture's have it, a dict."""
        flags = {"bands": self.bands, "iso": self.iso, "sonic": self.sonic}
        left, right, bottom, top = self.box
        out = {
            "q": self.quantity, **{key: str(int(value)) for key, value in flags.items()},
            **self.lines.query(),
            "box": ",".join(f"{v:.6g}" for v in self.box),
            "view": ",".join(f"{v:.6g}" for v in ((left + right) / 2, (bottom + top) / 2, right - left))
        }
        if self.span:
            out["low"], out["high"] = (f"{v:.6g}" for v in self.span)
        return out | ({"map": self.map} if self.map else {})

    def draw(self, picture, width=5.4):
        """PNG of a plane field (`Drawable`), or None where it has no such quantity or nothing lies there."""
        if self.quantity not in picture.values:
            return None
        (left, bottom), (right, top) = picture.points.min(axis=0), picture.points.max(axis=0)
        box = np.clip(self.box, [left, left, bottom, bottom], [right, right, top, top])
        if box[1] - box[0] < 1e-9 * (right - left) or box[3] - box[2] < 1e-9 * (top - bottom):
            return None
        return field_picture(picture, self.quantity, "png", tuple(box), self.span, self.map, self.bands,
                             self.iso, self.sonic, self.lines, width)


def name_of(found):
    """The name of a view given as plain values; raises `ViewError`."""
    name = " ".join(str(found.get("name", "")).split())
    if not name or len(name) > LONGEST_NAME:
        raise ViewError(f"name: {len(name)} characters; a view needs a name of 1 to {LONGEST_NAME}.")
    return name


def draw_alike(view, pictures):
    """PNGs of a view of several plane fields, with one range of colours for all; None where one cannot be
    drawn."""
    if view.span is None:
        ranges = [
            default_range(p.values[view.quantity], view.quantity, p.points, p.home, p.window)
            for p in pictures
            if view.quantity in p.values
        ]
        if ranges:
            view = replace(view, span=(min(r[0] for r in ranges), max(r[1] for r in ranges)))
    return [view.draw(p) for p in pictures]


def _numbers(found, count):
    """So many finite numbers as a tuple, or None."""
    if not isinstance(found, (list, tuple)) or len(found) != count:
        return None
    if not all(isinstance(v, (int, float)) and math.isfinite(v) for v in found):
        return None
    return tuple(map(float, found))
