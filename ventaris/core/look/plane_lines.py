"""Lines that are drawn over a plane field: streamlines from a rake and through points, and arrows."""
import math
from dataclasses import dataclass

import numpy as np
from matplotlib.collections import LineCollection

from .colours import colour_map, map_for
from .drawable import default_range
from .fields import QUANTITIES
from .lines import FlowSampler, rake, streamlines, vectors

MOST_LINES, MOST_THROUGH, LARGEST = 120, 40, 1e6
WIDTHS, OPACITIES, ARROWS = (0.4, 6.0), (0.1, 1.0), (1 / 3, 3.0)
COLUMNS, INK = 34, "#1B2A2F"
# Points of a line for a pixel of the page's picture: both are about a thousand pixels wide.
POINTS_PER_PIXEL = 0.65


@dataclass(frozen=True)
class PlaneLines:
    """What lines are drawn.

    Attributes
    ----------
    count : int
        Streamlines from the rake; 0 for none.
    x, low, high : float or None
        The rake, upright at x from low to high; the window's left edge and its ends where None.
    through : tuple of (float, float)
        Points with a streamline each.
    by : str
        A key of `QUANTITIES` that colours streamlines; none leaves them white.
    width : float
        Of streamlines, in pixels of a picture that is a thousand wide.
    opacity : float
    arrows : float
        Length of the arrows over their usual one; 0 for none.
    """

    count: int = 0
    x: float | None = None
    low: float | None = None
    high: float | None = None
    through: tuple = ()
    by: str = ""
    width: float = 1.2
    opacity: float = 0.9
    arrows: float = 0.0

    @classmethod
    def from_dict(cls, found):
        """From plain values; raises ValueError, which names what is wrong and what is accepted."""
        if not isinstance(found, dict):
            raise ValueError("lines: accepted: an object with count, by, width, opacity, through and arrows.")
        count, by = found.get("count", 0), found.get("by") or ""
        if not isinstance(count, int) or not 0 <= count <= MOST_LINES:
            raise ValueError(f"streams: accepted: 0 to {MOST_LINES} streamlines.")
        if by and by not in QUANTITIES:
            raise ValueError(f"by: “{str(by)[:40]}” is no field of a plane flow.")
        through = found.get("through") or ()
        if len(through) > MOST_THROUGH or not all(len(point) == 2 and _finite(*point) for point in through):
            raise ValueError(f"through: accepted: up to {MOST_THROUGH} points, x and y each.")
        place = [found.get(name) for name in ("x", "low", "high")]
        if not _finite(*(value for value in place if value is not None)):
            raise ValueError("rake: x, low and high are numbers, or empty.")
        return cls(count, *place, tuple(map(tuple, through)), by,
                   _within("width", found.get("width", cls.width), WIDTHS),
                   _within("opacity", found.get("opacity", cls.opacity), OPACITIES),
                   _within("arrows", found["arrows"], ARROWS) if found.get("arrows") else 0.0)

    @property
    def any(self):
        """Whether there are streamlines at all."""
        return bool(self.count or self.through)

    def query(self):
        """As the flow page's address has it, a dict of str."""
        out = {"stream": str(int(bool(self.count))), "vectors": str(int(bool(self.arrows)))}
        if self.any:
            given = {"count": self.count or None, "x": self.x, "lo": self.low, "hi": self.high, "by": self.by,
                     "width": self.width, "opacity": self.opacity}
            out |= {name: f"{value:g}" if not isinstance(value, str) else value
                    for name, value in given.items() if value not in (None, "")}
        if self.through:
            out["at"] = ",".join(f"{v:.6g}" for point in self.through for v in point)
        return out | ({"arrows": f"{math.log(self.arrows, 3):.3g}"} if self.arrows else {})

    def seeds(self, box):
        """Points from which streamlines start, in a window, shape (n, 2)."""
        out = [np.array(self.through, dtype=float).reshape(-1, 2)]
        if self.count:
            out.append(rake(*self.rake(box), self.count))
        return np.concatenate(out)

    def rake(self, box):
        """(x, low, high) of the rake in a window."""
        x = box[0] + 0.01 * (box[1] - box[0]) if self.x is None else self.x
        return x, box[2] if self.low is None else self.low, box[3] if self.high is None else self.high

    def words(self):
        """What is drawn, in a few words; empty for nothing."""
        words = (("streamlines", self.any), ("arrows", self.arrows))
        return ", ".join(word for word, there in words if there)


def where_air_is(picture, box):
    """A window from where the air begins on."""
    return max(box[0], float(picture.points[:, 0].min())), *box[1:]


def trace(lines, sampler, box):
    """The streamlines of a window, list of ndarray (k, 2)."""
    return streamlines(sampler, lines.seeds(box), (box[1] - box[0]) / 220, 500) if lines.any else []


def draw_lines(axes, picture, box, lines):
    """Draw lines over a field.

    Parameters
    ----------
    axes : matplotlib Axes
    picture : Drawable
    box : (left, right, bottom, top)
    lines : PlaneLines

    Returns
    -------
    str
        What a title has to say of their colours and lengths.
    """
    sampler, said = FlowSampler(picture, box), ""
    traced = trace(lines, sampler, where_air_is(picture, box))
    if traced:
        said += _streams(axes, picture, sampler, traced, lines)
    if lines.arrows:
        said += _arrows(axes, sampler, lines.arrows)
    return said


def _streams(axes, picture, sampler, traced, lines):
    style = {"linewidths": POINTS_PER_PIXEL * lines.width, "alpha": lines.opacity}
    if lines.by not in picture.values:
        axes.add_collection(LineCollection(traced, colors="white", **style))
        return ""
    quantity = QUANTITIES[lines.by]
    span = default_range(picture.values[lines.by], lines.by, picture.points, picture.home, picture.window)
    for line, values in zip(traced, sampler.along(traced, lines.by)):
        pieces = LineCollection(np.stack([line[:-1], line[1:]], axis=1), cmap=colour_map(map_for(quantity)),
                                **style)
        pieces.set_array(0.5 * (values[1:] + values[:-1]))
        pieces.set_clim(*span)
        axes.add_collection(pieces)
    unit = f", {quantity.unit}" if quantity.unit else ""
    return f"; lines by {quantity.label}{unit}, map {map_for(quantity)}, {span[0]:.4g} … {span[1]:.4g}"


def _arrows(axes, sampler, over_usual):
    """Arrows on a raster, the longest as long as the raster is wide where `over_usual` is 1."""
    start, velocity = vectors(sampler, COLUMNS)
    if not len(start):
        return ""
    left, right, *_ = sampler.box
    fastest = max(float(np.linalg.norm(velocity, axis=1).max()), 1e-9)
    way = velocity * (over_usual * (right - left) / COLUMNS / fastest)
    tip, across = start + way, way[:, ::-1] * [-1.0, 1.0]
    barbs = [tip - 0.28 * way + side * 0.13 * across for side in (1.0, -1.0)]
    axes.add_collection(
        LineCollection(np.concatenate([np.stack([start, tip], axis=1),
                                       *(np.stack([tip, barb], axis=1) for barb in barbs)]),
                       colors=INK, linewidths=POINTS_PER_PIXEL))
    return f"; longest arrow {fastest:.4g} m/s"


def _finite(*values):
    return all(isinstance(v, (int, float)) and math.isfinite(v) and abs(v) <= LARGEST for v in values)


def _within(name, value, ends):
    if not _finite(value) or not ends[0] <= value * (1 + 1e-9) or not value <= ends[1] * (1 + 1e-9):
        raise ValueError(f"{name}: accepted: {ends[0]:.3g} to {ends[1]:.3g}.")
    return float(value)
