"""From a sheet's blades to the surfaces of a row."""
import numpy as np

from . import mean_line
from .blades import BladeRow, SectionShape
from .coordinates import ShapeError

# Stations of the contours; what is left of the axis below the innermost point of a blade, in chords.
STATIONS = 33
# Solidity from which on neighbouring blades are looked at for overlap.
CLOSE = 0.98


def sections_of(shape):
    """(radius, SectionShape) of a sheet's blade in metres, from the hub outwards; raises ShapeError."""
    if shape.setting == "duct" and shape.made == "plan":
        return [(p.radius,
                 SectionShape(p.chord,
                              p.stagger,
                              p.camber,
                              p.front,
                              p.thickness,
                              mean_line.EDGE,
                              shape.form if shape.form != "coordinates" else "circular arc",
                              stacked_at=shape.stacked_at)) for p in planned(shape)]
    points = np.array(shape.outline) if shape.form == "coordinates" else None
    return [(s.radius,
             SectionShape(s.chord, np.radians(s.stagger), np.radians(s.camber), s.front, s.thickness, s.edge,
                          shape.form, (s.sweep, s.lean), points, shape.stacked_at)) for s in shape.sections]


def planned(shape):
    """The plan's sections."""
    return mean_line.plan_row(shape.plan_mass_flow, shape.plan_speed * 2 * np.pi / 60, shape.plan_ratio,
                              shape.plan_efficiency, shape.hub_radius, shape.casing_radius, shape.blades,
                              shape.plan_solidity)


def mid_chord(shape):
    """Chord half-way along the blade, metres."""
    placed = sections_of(shape)
    outer = shape.tip_radius if shape.setting == "open" else shape.casing_radius
    return float(
        np.interp(0.5 * (shape.hub_radius + outer), [r for r, _ in placed], [s.chord for _, s in placed]))


def build_row(shape, domain, scale=None):
    """The `BladeRow` of a sheet.

    Parameters
    ----------
    shape : RowShape
    domain : RowDomain
    scale : float or None
        Metres per unit of length of the row; None is the chord half-way along the blade.

    Raises
    ------
    ShapeError
        Where the blades cannot be built.
    """
    placed, is_open = sections_of(shape), shape.setting == "open"
    scale = scale or mid_chord(shape)
    tip = shape.tip_radius if is_open else shape.casing_radius
    reach = [_reach(s, shape.stacked_at) for _, s in placed]
    front, rear = min(r[0] for r in reach), max(r[1] for r in reach)
    if is_open:
        x = np.linspace(-domain.reach * tip, domain.reach * tip, STATIONS)
        hub, casing = np.full(STATIONS, shape.hub_radius), np.full(STATIONS, domain.reach * tip)
    else:
        depth = rear - front
        x = np.linspace(front - domain.ahead * depth, rear + domain.behind * depth, STATIONS)
        hub, casing = _contours(shape, x)
    hub_at, casing_at = (float(np.interp(0.0, x, r)) for r in (hub, casing))
    spans = np.array([(r - hub_at) / (casing_at - hub_at) for r, _ in placed])
    end = (tip - hub_at) / (casing_at - hub_at) if is_open else 1 - shape.tip_gap / (casing_at - hub_at)
    sections = tuple(_scaled(s, scale) for _, s in placed)
    row = BladeRow(shape.blades, x / scale, hub / scale, casing / scale, spans, sections, float(end), is_open)
    _check_room(shape, row, scale)
    return row


def _reach(section, stacked_at):
    """How far a section reaches along the axis, metres."""
    outline = section.outline()
    both = np.concatenate([outline.upper, outline.lower])
    return float(both[:, 0].min()), float(both[:, 0].max())


def _contours(shape, x):
    """Radii of hub and casing at stations."""
    if not shape.walls:
        return np.full(len(x), shape.hub_radius), np.full(len(x), shape.casing_radius)
    at = [w.x for w in shape.walls]
    return np.interp(x, at, [w.hub for w in shape.walls]), np.interp(x, at, [w.casing for w in shape.walls])


def _scaled(s, scale):
    return SectionShape(s.chord / scale, s.stagger, s.camber, s.front, s.thickness, s.edge, s.form,
                        (s.shift[0] / scale, s.shift[1] / scale), s.points, s.stacked_at)


def _check_room(shape, row, scale):
    """Raise ShapeError where neighbouring blades touch."""
    for share in np.linspace(0, row.tip, 5):
        section = row.section(share)
        pitch = 2 * np.pi / row.blades * float(row.radius(np.zeros(1), share)[0])
        upper, lower = section.upper, section.lower
        at = np.linspace(max(upper[:, 0].min(), lower[:, 0].min()), min(upper[:, 0].max(), lower[:, 0].max()),
                         101)
        side = [_height(curve, at) for curve in (upper, lower)]
        room = pitch - np.abs(side[0] - side[1])
        # Only blades that do not lie nearly in the plane of rotation have one height at a station.
        if abs(section.stagger) < np.radians(80) and room.min() < 0.02 * pitch:
            raise ShapeError(
                f"shape.blades = {shape.blades}: at {100 * share:.0f} % of the span neighbouring blades "
                f"touch (their "
                f"pitch is {pitch * scale:.4g} m). Take fewer blades, shorter chords or less thickness there")


def _height(curve, at):
    order = np.argsort(curve[:, 0], kind="stable")
    return np.interp(at, curve[order, 0], curve[order, 1])
