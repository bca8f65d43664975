"""What is shown round a body, asked for by plain values and made from a field: cut planes, streamlines and
iso-surfaces."""
import math
from dataclasses import dataclass

import numpy as np

from .body_field import SPACE_QUANTITIES
from .body_lines import AXES, cut_plane, iso_surface, over_part, rake as rake_seeds, spot, streamlines
from .fields import Quantity
from .spans import span_in_air

LARGEST, MOST_LINES = 1e9, 400
RAKES = ("line", "upright", "disc", "grid", "inflow", "spot", "part")
# Streamlines are coloured by this where no field is named; its ends.
OVER_STREAM = Quantity("over_stream", "velocity over the stream's", "")
OVER_STREAM_SPAN = (0.0, 1.4)
VORTEX = "q"


class SceneError(ValueError):
    """What cannot be shown; the message names the value and what is accepted."""


def number(found, name, default=None, low=-LARGEST, high=LARGEST):
    """A finite number of plain values, or of their text; the default where it is empty."""
    value = found.get(name)
    if value is None or value == "":
        return default
    try:
        value = float(str(value).replace("−", "-"))
    except ValueError:
        raise SceneError(f"{name} = {str(value)[:40]}: give a number.") from None
    if not math.isfinite(value) or not low <= value <= high:
        raise SceneError(f"{name} = {value:g}: accepted: {low:g} to {high:g}.")
    return value


@dataclass(frozen=True)
class CutPlane:
    """A plane across an axis, in metres and degrees; `reach` is how far it goes beyond the body, in body
    lengths."""

    q: str = "speed"
    normal: str = "y"
    at: float = 0.0
    turn: float = 0.0
    tilt: float = 0.0
    reach: float = 0.6
    vectors: bool = False
    open: bool = False
    iso: bool = False
    sonic: bool = False
    low: float | None = None
    high: float | None = None

    @classmethod
    def from_dict(cls, found):
        """From plain values; raises SceneError."""
        if found.get("q", "speed") not in SPACE_QUANTITIES:
            raise SceneError(f"q: “{str(found.get('q'))[:40]}” is no field of a flow in space.")
        if found.get("normal", "y") not in AXES:
            raise SceneError("normal: x, y or z.")
        return cls(found.get("q", "speed"), found.get("normal", "y"), number(found, "at", 0.0),
                   number(found, "turn", 0.0), number(found, "tilt", 0.0),
                   min(max(number(found, "reach", 0.6), 0.05), 50.0),
                   *(bool(found.get(name)) for name in ("vectors", "open", "iso", "sonic")),
                   number(found, "low"), number(found, "high"))

    def direction(self):
        """Its normal, shape (3,)."""
        cos, sin = np.cos(np.radians(self.turn)), np.sin(np.radians(self.turn))
        turned = np.array([[cos, -sin, 0], [sin, cos, 0], [0, 0, 1]]) @ np.array(AXES[self.normal])
        cos, sin = np.cos(np.radians(self.tilt)), np.sin(np.radians(self.tilt))
        return np.array([[cos, 0, sin], [0, 1, 0], [-sin, 0, cos]]) @ turned

    def cut(self, field, drawn, columns=280):
        """(points, triangles, values, velocities, Mach numbers) of it, in the field's unit."""
        middle = 0.5 * (drawn.points.min(axis=0) + drawn.points.max(axis=0))
        point = np.where(np.array(AXES[self.normal]) > 0, self.at / field.scale, middle)
        points, triangles, values = cut_plane(field, point, self.direction(),
                                              (self.q, "vx", "vy", "vz", "mach"),
                                              *window(field, drawn, self.reach), columns)
        return points, triangles, values[:, 0], values[:, 1:4], values[:, 4]

    def span(self, field, triangles, values):
        """Ends of its colours: as asked, or such that they hold most of its values."""
        if None not in (self.low, self.high) and self.high > self.low:
            return self.low, self.high
        return span_in_air(field.quantities[self.q],
                           values[np.unique(triangles)] if len(triangles) else np.zeros(1))


@dataclass(frozen=True)
class Rake:
    """What streamlines start from, in metres; place and width by the body's where None.

    Attributes
    ----------
    kind : one of `RAKES`
        A "spot" is a disc that lies across `normal`, a "part" a named part of the body.
    """

    kind: str = "grid"
    count: int = 60
    centre: tuple | None = None
    size: float | None = None
    by: str = ""
    normal: tuple = (1.0, 0.0, 0.0)
    part: str = ""

    @classmethod
    def from_dict(cls, found):
        """From plain values; raises SceneError."""
        if found.get("kind", "grid") not in RAKES:
            raise SceneError(f"kind: {', '.join(RAKES[:-1])} or {RAKES[-1]}.")
        by = found.get("by") or ""
        if by and by not in SPACE_QUANTITIES:
            raise SceneError(f"by: “{str(by)[:40]}” is no field of a flow in space.")
        size = number(found, "size", None)
        if size is not None and not size > 0:
            raise SceneError(f"size = {size:g}: accepted: more than 0 m.")
        return cls(found.get("kind", "grid"), int(min(max(number(found, "count", 60), 1), MOST_LINES)),
                   _place(found, "centre"), size, by, _place(found, "normal") or (1.0, 0.0, 0.0),
                   str(found.get("part") or ""))

    def placed(self, field, drawn):
        """(centre, width) in metres, as they are where not given: ahead of the body."""
        low, high = drawn.points.min(axis=0) * field.scale, drawn.points.max(axis=0) * field.scale
        middle, size = 0.5 * (low + high), high - low
        if self.kind == "inflow":
            box = domain(field) * field.scale
            return (box[0, 0] + 1e-3 * size.max(), *0.5 * (box[0, 1:] + box[1, 1:])), 0.98 * float(
                (box[1] - box[0])[1:].min())
        ahead = (low[0] - 0.3 * size.max(), middle[1], middle[2])
        return self.centre or ahead, self.size or 1.2 * float(max(size[1], size[2]))

    def seeds(self, field, drawn):
        """Where streamlines start, in the field's unit, shape (n, 3)."""
        centre, width = self.placed(field, drawn)
        if self.kind == "part":
            if self.part not in drawn.parts:
                raise SceneError(f"part: “{self.part[:40]}” is no part of the body; there are "
                                 f"{', '.join(drawn.parts)}.")
            return over_part(drawn, self.part, self.count, 0.6 * field.wall_size)
        if self.kind == "spot":
            return spot(np.array(centre) / field.scale, self.normal, width / field.scale, self.count)
        kind = "grid" if self.kind == "inflow" else self.kind
        return rake_seeds(kind, np.array(centre) / field.scale, width / field.scale, self.count)

    def lines(self, field, drawn):
        """[(points, values)] of the streamlines, in the field's unit."""
        traced = [line for line in streamlines(field, self.seeds(field, drawn)) if len(line[0]) > 1]
        if not self.by or not traced:
            return traced
        values = sampled(field, np.concatenate([points for points, _ in traced]), self.by)
        breaks = np.cumsum([len(points) for points, _ in traced])[:-1]
        return [(points, own) for (points, _), own in zip(traced, np.split(values, breaks))]

    def colours(self, field, lines):
        """(quantity, its ends) that colour the lines."""
        if not self.by or not lines:
            return OVER_STREAM, OVER_STREAM_SPAN
        q = field.quantities[self.by]
        return q, span_in_air(q, np.concatenate([values for _, values in lines]))


@dataclass(frozen=True)
class Iso:
    """An iso-surface of a field, coloured by another."""

    key: str = "loss"
    value: float = 0.5
    by: str = "speed"

    @classmethod
    def from_dict(cls, found):
        """From plain values; raises SceneError."""
        key, by = found.get("key") or "loss", found.get("by") or "speed"
        if key != VORTEX and key not in SPACE_QUANTITIES or by not in SPACE_QUANTITIES:
            raise SceneError(f"“{str(key)[:40]}” by “{str(by)[:40]}”: no field of a flow in space.")
        return cls(key, number(found, "value", 0.5), by)

    def made(self, field, drawn, reach=0.6):
        """(DrawnSurface, values) of it in the field's unit, or None where the flow does not reach it."""
        found = iso_surface(field, self.key, self.value, *window(field, drawn, reach))
        return found and (found, sampled(field, found.points, self.by))


def domain(field):
    """Corners of the air that was computed, of both halves, shape (2, 3), in the field's unit."""
    box = field.box.copy()
    if field.half:
        box[0, 1] = -box[1, 1]
    return box


def window(field, drawn, reach=0.6):
    """(low, high) of the box in which planes and iso-surfaces are drawn: round the body, longer behind."""
    low, high = drawn.points.min(axis=0), drawn.points.max(axis=0)
    size, box = float((high - low).max()), domain(field)
    return np.maximum(low - reach * size, box[0]), np.minimum(high + reach * size * np.array([2.5, 1.0, 1.0]),
                                                              box[1])


def sampled(field, points, key):
    """A field at places, nothing where there is no air."""
    return np.nan_to_num(field.sample(points, (key, ))[:, 0]) if len(points) else np.zeros(0)


def _place(found, name):
    """Three finite numbers, or None where nothing is given."""
    place = found.get(name)
    if place is None:
        return None
    if len(place) != 3:
        raise SceneError(f"{name}: give three numbers.")
    return tuple(number({name: v}, name) or 0.0 for v in place)
