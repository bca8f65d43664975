"""From a sheet's blades to the surfaces of a row."""
import numpy as np

from . import mean_line
from .blades import BladeRow, SectionShape
from .coordinates import ShapeError

# Of the contours along the axis.
STATIONS = 33


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


def section_values(shape, digits=4):
    """A blade's sections as they are built, as values of a sheet; angles in degrees with so many digits."""
    return [{
        "radius": round(r, 6),
        "chord": round(s.chord, 6),
        "stagger": round(float(np.degrees(s.stagger)), digits),
        "camber": round(float(np.degrees(s.camber)), digits),
        "front": round(s.front, 4),
        "thickness": round(s.thickness, 5),
        "edge": s.edge,
        "sweep": s.shift[0],
        "lean": s.shift[1]
    } for r, s in sections_of(shape)]


def build_row(shape, domain):
    """The blades of a sheet.

    Parameters
    ----------
    shape : RowShape
    domain : RowDomain

    Returns
    -------
    row : BladeRow
    scale : float
        Metres per unit of its length: the chord half-way along the blade.

    Raises
    ------
    ShapeError
        Where the blades cannot be built.
    """
    placed, is_open = sections_of(shape), shape.setting == "open"
    tip = shape.tip_radius if is_open else shape.casing_radius
    scale = float(
        np.interp(0.5 * (shape.hub_radius + tip), [r for r, _ in placed], [s.chord for _, s in placed]))
    reach = [_reach(s) for _, s in placed]
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
    _check_room(row, scale)
    return row, scale


def _reach(section):
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


def _check_room(row, scale):
    """Raise ShapeError where neighbouring blades touch."""
    for share in np.linspace(0, row.tip, 5):
        section = row.section(share)
        pitch = row.pitch(share)
        upper, lower = section.upper, section.lower
        at = np.linspace(max(upper[:, 0].min(), lower[:, 0].min()), min(upper[:, 0].max(), lower[:, 0].max()),
                         101)
        side = [_height(curve, at) for curve in (upper, lower)]
        room = pitch - np.abs(side[0] - side[1])
        # Only blades that do not lie nearly in the plane of rotation have one height at a station.
        if abs(section.stagger) < np.radians(80) and room.min() < 0.02 * pitch:
            raise ShapeError(
                f"shape.blades = {row.blades}: at {100 * share:.0f} % of the span neighbouring blades touch "
                f"(their pitch is {pitch * scale:.4g} m). Take fewer blades, shorter chords or less "
                "thickness there")


def _height(curve, at):
    order = np.argsort(curve[:, 0], kind="stable")
    return np.interp(at, curve[order, 0], curve[order, 1])
