"""From a sheet's parts and edits to one surface, placed and named."""
import functools
from dataclasses import dataclass, replace

import numpy as np
from scipy.spatial.transform import Rotation

from . import bodies, wings
from .body_edits import edited, is_copy
from .build import build
from .coordinates import ShapeError
from .frontal import frontal_area
from .library import library
from .naming import with_names
from .surface import Surface, SurfaceError, inspect, joined
from .voids import without_voids


# Points on each side of a wing's section: of its surface, and of the form that grids are made from.
WING_POINTS, FORM_POINTS, STATION_POINTS = 70, 600, 4000
UPSIDE_DOWN = np.diag([1.0, 1.0, -1.0])


@dataclass(frozen=True)
class Assembly:
    """A body as it will be run.

    Attributes
    ----------
    surface : Surface
        Parts under the sheet's names (imported ones with the file's names behind); metres.
    wheels : dict of str to (centre, axis)
        Rolling parts.
    notes : tuple of str
        What was done to the surface on the way.
    wings : tuple of str
        Parts that are wings.
    """

    surface: Surface
    wheels: dict
    notes: tuple = ()
    wings: tuple = ()

    @functools.cached_property
    def condition(self):
        found = inspect(self.surface)
        return replace(found, notes=[*found.notes, *self.notes])

    @functools.cached_property
    def shadow(self):
        """Frontal area along x."""
        return frontal_area(self.surface.corners)

    @functools.cached_property
    def planform(self):
        """Shadow of the wings along the mean normal of their upper sides (so that their own incidence takes
        nothing off), or of the whole body from above where no part is a wing."""
        own = np.isin(self.surface.part, [self.surface.parts.index(name) for name in self.wings])
        if not own.any():
            return frontal_area(self.surface.corners, (0.0, 0.0, 1.0))
        return frontal_area(self.surface.corners[own],
                            self.surface.vectors[own & (self.surface.vectors[:, 2] > 0)].sum(axis=0))

    @functools.cached_property
    def mean_chord(self):
        """Planform area over the span of what it was measured on, metres."""
        own = np.isin(self.surface.part, [self.surface.parts.index(name) for name in self.wings])
        corners = self.surface.corners[own] if own.any() else self.surface.corners
        span = float(np.ptp(corners[..., 1]))
        return self.planform.area / span if span > 0 else 0.0

    @functools.cached_property
    def is_wing(self):
        """Whether the wings are most of what is seen from above, so that coefficients are meant on their
        planform."""
        return bool(self.wings) and self.planform.area > 0.5 * frontal_area(self.surface.corners,
                                                                            (0.0, 0.0, 1.0)).area

    @property
    def length(self):
        return float(self.surface.size[0])


def assemble(shape):
    """Make every part that is used, put it in its place, and apply the edits.

    Parameters
    ----------
    shape : sheet BodyShape

    Raises
    ------
    SurfaceError, ShapeError
    """
    # The same file name may stand for another surface later.
    sources = tuple(
        id(library.surface(p.source)) for p in shape.parts if p.kind == "surface" and p.used == "yes")
    key = shape.model_dump_json(), sources
    if key not in _kept:
        while len(_kept) >= 12:
            _kept.pop(next(iter(_kept)))
        _kept[key] = _assembled(shape)
    return _kept[key]


_kept = {}


def _assembled(shape):
    made, wheels, lifting = [], [], []
    for part in shape.parts:
        if part.used == "no":
            continue
        surface = _placed(_named(_make(part, shape), part), part)
        made.append(surface)
        if part.kind == "wing":
            lifting += surface.parts
        if part.wheel == "yes":
            wheels += surface.parts
    surface = with_names(_merged(joined(made), shape.parts), shape.regions)
    before = surface.parts
    for edit in shape.edits:
        surface = edited(surface, edit)
    if not len(surface.triangles):
        raise SurfaceError("shape.parts: the body has no triangles.")
    surface, notes = without_voids(surface)
    wheels = {name: _axle(surface, name) for name in _with_copies(wheels, before, surface.parts)}
    return Assembly(surface, wheels, tuple(notes), tuple(_with_copies(lifting, before, surface.parts)))


def _with_copies(names, before, after):
    """The parts after the edits that have one of the names, or are copies of such a part; `before` are the
    names that were there."""
    def is_one(own):
        return own in names if own in before else any(is_copy(own, name) for name in names)

    return [own for own in after if is_one(own)]


def _merged(surface, parts):
    """Parts that belong together under the name of the one they are merged into; their named surfaces
    stay."""
    into = {p.name: p.merge for p in parts if p.merge and p.used == "yes"}
    if not into:
        return surface
    names = [
        next((into[own] for own in into if name == own or name.startswith(f"{own} ")), name)
        for name in surface.parts
    ]
    kept = tuple(dict.fromkeys(names))
    return replace(surface, part=np.array([kept.index(name) for name in names])[surface.part], parts=kept)


def _make(part, shape):
    if part.kind == "vehicle":
        return bodies.vehicle(part.length, part.width, part.height, part.corner, part.nose_length,
                              part.nose_side, part.nose_roof, part.nose_floor, part.tail_length,
                              part.tail_side, part.tail_roof, part.tail_floor, part.tail_kind)
    if part.kind == "box":
        return bodies.box(part.length, part.width, part.height)
    if part.kind == "ellipsoid":
        return bodies.ellipsoid(part.length, part.width, part.height)
    if part.kind == "frustum":
        return bodies.frustum(part.length, part.front_diameter, part.rear_diameter, part.wall)
    if part.kind == "revolution":
        return bodies.revolution(part.length, part.diameter, part.nose, part.nose_length, part.tail_length,
                                 part.rear_diameter, part.fins, part.fin_chord, part.fin_span,
                                 part.fin_thickness, np.radians(part.fin_sweep))
    if part.kind == "wing":
        return _wing(part, shape.stations_of(part.name))
    from ..formats.surfaces import placed, split_at_edges
    surface = placed(library.surface(part.source), part.unit, part.downstream, part.up)
    if part.mirror == "yes":
        surface = surface.mirrored()
    return split_at_edges(surface) if part.split == "yes" else surface


def _wing(part, stations):
    if stations:
        return wings.station_wing(_station_form(part, stations)).moved(_pitched(part.incidence))
    outlines = {name: _clustered(outline, WING_POINTS) * part.chord for name, outline in _wing_outlines(part)}
    surface = wings.straight_wing(outlines, part.span, part.tip_share, part.sweep, part.dihedral, part.twist)
    if part.camber < 0:
        surface = surface.moved(UPSIDE_DOWN)
        # What was the upper side looks down now.
        turned = {"upper": "lower", "lower": "upper"}
        names = tuple(" ".join(turned.get(word, word) for word in name.split(" "))
                      for name in surface.patches)
        surface = replace(surface, patches=names)
    return surface.moved(_pitched(part.incidence))


def _station_form(part, stations):
    """The form of a wing of stations, before it is put in its place."""
    return wings.station_form([_section_at(part, s) for s in stations], [(s.x, s.y, s.z) for s in stations],
                              [s.chord for s in stations], [s.twist for s in stations])


def _section_at(part, station):
    """Outline of a wing's section at a station, chord 1, from the tail over the upper side."""
    from ..sheet.model import Shape
    if station.form == "coordinates":
        values, camber = {"kind": "coordinates", "points": station.points}, 0.0
    else:
        given = station if station.form == "four-digit" else part
        camber = given.camber
        values = {
            "kind": "four-digit", "thickness": given.thickness, "camber": abs(camber), "trailing_edge": "open"
        }
    try:
        outline = build(Shape.model_validate(values)).outlines(0.0)[0]
    except ShapeError as error:
        raise SurfaceError(f"shape.stations: the section at y = {station.y:g} m: {error}") from None
    end = next((piece.start for piece in outline.stretches if piece.name.endswith("base")), outline.length)
    points = outline.at(np.linspace(0, end, STATION_POINTS))
    return points if camber >= 0 else points[::-1] * [1.0, -1.0]


def _wing_outlines(part):
    """(name, outline) of every element of a wing's section, chord 1."""
    from ..sheet.model import Shape
    values = {
        "kind": "four-digit", "thickness": part.thickness, "camber": abs(part.camber), "trailing_edge": "open"
    }
    if part.flap_chord > 0:
        values["elements"] = [{
            "name": "flap", "chord": max(part.flap_chord, 0.01), "thickness": part.thickness, "camber": 0.0,
            "deflection": part.flap_deflection, "gap": part.flap_gap, "overlap": part.flap_overlap
        }]
    section = build(Shape.model_validate(values))
    return [(outline.name or "main", outline) for outline in section.outlines(0.0)]


def _clustered(outline, count):
    """Points round an outline, denser at its nose and tail, shape (n, 2)."""
    end = next((piece.start for piece in outline.stretches if piece.name.endswith("base")), outline.length)
    fine = np.linspace(0, end, 4000)
    nose = fine[np.argmin(outline.at(fine)[:, 0])]
    spread = 0.5 * (1 - np.cos(np.linspace(0, np.pi, count)))
    share = np.concatenate([nose * spread, nose + (end - nose) * spread[1:]])
    own = [outline.corners, [piece.start for piece in outline.stretches]]
    share = np.unique(np.concatenate([share, *own]))
    points = outline.at(share[share < outline.length * (1 - 1e-9)])
    points = points[np.concatenate([[True], np.linalg.norm(np.diff(points, axis=0), axis=1) > 1e-9])]
    return points[:-1] if np.linalg.norm(points[0] - points[-1]) < 1e-9 else points


def wing_form(shape):
    """The rules of a body that is one wing of one element and nothing else, as it is placed; None of any
    other body."""
    used = [part for part in shape.parts if part.used == "yes"]
    if len(used) != 1 or used[0].kind != "wing" or used[0].flap_chord > 0 or shape.edits:
        return None
    part = used[0]
    stations = shape.stations_of(part.name)
    form = _station_form(part, stations) if stations else _straight_form(part)
    return form.placed(_pitched(part.incidence)).placed(_turn(part), (part.x, part.y, part.z))


def _straight_form(part):
    """The form of a wing of one section, before it is put in its place."""
    outline = _clustered(_wing_outlines(part)[0][1], FORM_POINTS) * part.chord
    form = wings.straight_form(outline, part.span, part.tip_share, part.sweep, part.dihedral, part.twist)
    return form.placed(UPSIDE_DOWN) if part.camber < 0 else form


def _pitched(degrees):
    """Nose up (the nose lies at smaller x)."""
    return Rotation.from_euler("y", degrees, degrees=True).as_matrix()


def _named(surface, part):
    """The sheet's name before the part's own."""
    def names(own):
        return tuple(part.name if len(own) == 1 else f"{part.name} {n}" for n in own)

    return replace(surface, parts=names(surface.parts), patches=names(surface.patches))


def _placed(surface, part):
    return surface.moved(_turn(part), (part.x, part.y, part.z))


def _turn(part):
    return Rotation.from_euler("xyz", [part.roll, part.pitch, part.yaw],
                               degrees=True).as_matrix() * part.scale


def _axle(surface, name):
    inside = surface.vertices[np.unique(surface.triangles[surface.part == surface.parts.index(name)])]
    return 0.5 * (inside.min(axis=0) + inside.max(axis=0))
