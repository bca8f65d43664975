"""From the sheet's shape section to outlines: one section, or several elements set to each other."""
import functools
from dataclasses import dataclass

import numpy as np
from scipy.optimize import brentq
from scipy.spatial import cKDTree

from . import families
from .coordinates import ShapeError
from .edits import deflect_rear, scale_thickness_and_camber
from .outline import Outline, crossing, holds
from .section import Section, section_from_points

DENSE = 1200


@dataclass(frozen=True)
class Placed:
    """An element where it stands in the arrangement's own (upright) frame.

    Attributes
    ----------
    name : str
        "" for a single section.
    section : Section
    scale : float
        Its chord over the main element's.
    turn : float
        Radians, positive nose up.
    offset : tuple
    """

    name: str
    section: Section
    scale: float = 1.0
    turn: float = 0.0
    offset: tuple = (0.0, 0.0)

    def outline(self):
        return Outline(self.section, self.name, self.scale, self.turn, self.offset)

    def turned(self, angle, centre=(0.0, 0.0), name=None):
        """The same, turned about a centre (radians, nose up), under its own or another name."""
        c, s = np.cos(angle), np.sin(angle)
        x, y = self.offset[0] - centre[0], self.offset[1] - centre[1]
        return Placed(self.name if name is None else name, self.section, self.scale, self.turn + angle,
                      (centre[0] + c * x + s * y, centre[1] + c * y - s * x))


@dataclass(frozen=True)
class BuiltSection:
    """Sections ready to be gridded.

    Attributes
    ----------
    section : Section
        The main one, in chord units.
    chord : float
        In metres.
    turned : float
        Degrees by which imported coordinates were turned to lay their chord line level.
    placed : tuple of Placed
        Every element, the main one first.
    inverted : bool
    surfaces : tuple of sheet NamedSurface
    """

    section: Section
    chord: float
    turned: float
    placed: tuple = ()
    inverted: bool = False
    surfaces: tuple = ()

    @property
    def is_single(self):
        return len(self.placed) == 1

    @property
    def element_names(self):
        return [p.name for p in self.placed]

    def outlines(self, turn=0.0):
        """The elements' `Outline`s, named surfaces cut out.

        Parameters
        ----------
        turn : float
            Radians by which the whole arrangement is turned nose up (nose down when inverted).
        """
        out = []
        for placed in self.placed:
            p = placed.turned(turn) if turn else placed
            outline = Outline(p.section, p.name, p.scale, p.turn, p.offset, self.inverted)
            for surface in self.surfaces:
                if (surface.element or "main") == (p.name or "main"):
                    _cut(outline, surface)
            out.append(outline)
        return out


def _cut(outline, surface):
    if surface.side == "angle":
        start, end = outline.arc_of_angle(surface.start), outline.arc_of_angle(surface.end)
    else:
        start, end = sorted(
            (outline.arc_of_station(surface.side,
                                    surface.start), outline.arc_of_station(surface.side, surface.end)))
    outline.cut_out(surface.name, start, end)


def build(shape):
    """Build the outlines of a sheet's `Shape`, edits applied; raises `ShapeError`."""
    return _build(type(shape), shape.model_dump_json())


@functools.lru_cache(maxsize=128)
def _build(model, text):
    shape, turned = model.model_validate_json(text), 0.0
    if shape.kind == "four-digit":
        loop = families.four_digit(shape.thickness, shape.camber, shape.camber_position, shape.trailing_edge)
    elif shape.kind == "ellipse":
        loop = families.ellipse(shape.thickness)
    elif shape.kind == "double wedge":
        loop = families.double_wedge(shape.thickness, shape.ridge_position)
    elif shape.kind == "revolution":
        loop = families.revolution_body(shape.thickness, shape.nose, shape.nose_length, shape.tail_length,
                                        shape.base if shape.tail_length else 1.0)
    else:
        section, _, turned = section_from_points(np.array(shape.points))
        loop = section.loop
    edits = shape.edits
    loop = scale_thickness_and_camber(loop, edits.thickness_scale, edits.camber_scale,
                                      edits.trailing_edge_gap)
    loop = deflect_rear(loop, edits.flap_hinge, np.radians(edits.flap_deflection), edits.flap_blend)
    section = Section(loop)
    x = np.linspace(0.02, 0.98, 97)
    if edits.flap_deflection == 0:
        upper, lower = section.sides(x)
        if np.any(upper <= lower):
            where = x[np.argmax(upper <= lower)]
            raise ShapeError(f"shape.edits: the section has no thickness left at x = {where:.2f} chords. "
                             "Raise the thickness scale or the trailing-edge gap.")
    placed = [Placed("main" if shape.elements or shape.blades > 1 else "", section)]
    behind = placed[0]
    for element in shape.elements:
        placed.append(_place(element, placed[0], behind))
        behind = behind if element.role == "slat" else placed[-1]
    if shape.blades:
        # Nose out is nose down where the wheel's centre lies above.
        out = -np.sign(shape.wheel_y) * np.radians(shape.wheel_turn)
        placed[0] = placed[0].turned(out, (shape.wheel_x, 0.0))
    placed[1:1] = [
        placed[0].turned(2 * np.pi * n / shape.blades, (shape.wheel_x, shape.wheel_y), f"blade {n + 1}")
        for n in range(1, shape.blades)
    ]
    _check_apart(placed)
    return BuiltSection(section, shape.chord, turned, tuple(placed), shape.attitude == "inverted",
                        tuple(shape.surfaces))


def _section_of(element):
    if element.kind == "four-digit":
        return Section(
            families.four_digit(element.thickness, element.camber, element.camber_position, "closed"))
    if element.kind == "ellipse":
        return Section(families.ellipse(element.thickness))
    return section_from_points(np.array(element.points))[0]


def _place(element, main, ahead):
    """Set an element to the main one (a slat) or to the one ahead of it (a flap), so that its slot has the
    gap and overlap asked for."""
    section = _section_of(element)
    turn = np.radians(element.deflection) * (-1 if element.role == "slat" else 1)
    here = Placed(element.name, section, element.chord, turn, (element.x, element.y))
    if element.role == "free":
        return here
    neighbour = (main if element.role == "slat" else ahead).outline()
    own = Placed(element.name, section, element.chord, turn).outline()
    shape, reference = own.polygon(DENSE), neighbour.polygon(DENSE)
    if element.role == "flap":
        edge = neighbour.trailing_edge
        dx = edge[0] - element.overlap - shape[:, 0].min()
        moving, fixed, sign = shape + [dx, 0.0], edge[None], -1.0
    else:
        dx = reference[:, 0].min() + element.overlap - own.trailing_edge[0]
        moving, fixed, sign = (own.trailing_edge + [dx, 0.0])[None], reference, 1.0
    offset = _settle(moving, fixed, element.gap, sign)
    if offset is None:
        raise ShapeError(
            f"shape.elements: “{element.name}” cannot have a gap of {element.gap:g} with an overlap of "
            f"{element.overlap:g} chords: "
            "at that overlap the edges are farther apart than that. Give an overlap nearer to 0, or a "
            "larger gap."
        )
    return Placed(element.name, section, element.chord, turn, (dx, offset))


def _settle(moving, fixed, gap, sign):
    """Height at which two point sets are `gap` apart, coming from far on one side; None where they never
    are."""
    tree = cKDTree(fixed)

    def excess(y):
        return float(tree.query(moving + [0.0, y])[0].min()) - gap

    reach = 2.0 + np.abs(fixed[:, 1]).max() + np.abs(moving[:, 1]).max()
    heights = sign * np.linspace(reach, -reach, 2400)
    values = [excess(y) for y in heights[::8]]
    for k in range(1, len(values)):
        if values[k] <= 0:
            return float(brentq(excess, heights[8 * (k - 1)], heights[8 * k], xtol=1e-10))
    closest = int(np.argmin(values))
    low, high = heights[8 * max(closest - 1, 0)], heights[8 * min(closest + 1, len(values) - 1)]
    fine = np.linspace(low, high, 200)
    found = [excess(y) for y in fine]
    for k in range(1, len(found)):
        if found[k] <= 0:
            return float(brentq(excess, fine[k - 1], fine[k], xtol=1e-10))
    return None


def _check_apart(placed):
    polygons = [p.outline().polygon(500) for p in placed]
    for i in range(len(placed)):
        for j in range(i):
            where = crossing(polygons[i], polygons[j])
            if where is None:
                # One inside the other, perhaps touching it from within at some of its points.
                swallowed = [
                    part[holds(whole, part)]
                    for whole, part in ((polygons[j], polygons[i]), (polygons[i], polygons[j]))
                ]
                where = next((points[len(points) // 2] for points in swallowed if len(points)), None)
            if where is not None:
                raise ShapeError(
                    f"shape.elements: “{placed[i].name}” runs into “{placed[j].name}” near x = "
                    f"{where[0]:.3f}, y = {where[1]:.3f} chords. "
                    "Raise its gap, change its overlap, or move it.")
