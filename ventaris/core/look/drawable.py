"""A field as points, triangles and values, ready to be drawn."""
from dataclasses import dataclass, replace

import numpy as np

from ..grids.turning_zone import points_turned, sewn_triangles
from ..shapes.nozzles import port_spans, wall_pieces
from .fields import QUANTITIES, derive

# Arrangements of so many chords are seen whole at first; each way in so many parts for the range of colours.
WIDE, PARTS = 2.5, 64


@dataclass
class Drawable:
    """What a picture is made from; lengths in chords.

    Attributes
    ----------
    points : ndarray, shape (n, 2)
    triangles : ndarray of int, shape (m, 3)
    edges : ndarray of int, shape (k, 2)
        Cell edges, for the grid overlay.
    wall : list of ndarray, shape (w, 2)
        Closed outlines of the body.
    values : dict of ndarray, shape (n,)
        Point values of every quantity, and ``u``, ``v``.
    home : tuple or None
        (left, right, bottom, top) of the view to begin with; None is that of a section.
    circles : tuple of DrawnCircle
        What turns in the rest.
    turnable : tuple (points, triangles) or None
        The same where circles turn, as it can be drawn at any moment of theirs: what is outside reaches a
        little into them.
    """

    points: np.ndarray
    triangles: np.ndarray
    edges: np.ndarray
    wall: list
    values: dict
    home: tuple | None = None
    circles: tuple = ()
    turnable: tuple | None = None

    @property
    def window(self):
        """The view of sections to begin with, (left, right, bottom, top): of a wheel or a wide arrangement
        all of it; None where it is that of one section."""
        corners = ([c.centre - c.radius, c.centre + c.radius] for c in self.circles)
        reach = np.concatenate([*self.wall, *corners])
        low, high = reach.min(axis=0), reach.max(axis=0)
        if self.home or max(high - low) < WIDE:
            return None
        middle, half = 0.5 * (low + high), 0.5 * (high - low) + 0.35 * max(high - low)
        return tuple(float(v) for v in (middle[0] - half[0], middle[0] + half[0], middle[1] - half[1],
                                        middle[1] + half[1]))


@dataclass(frozen=True)
class DrawnCircle:
    """A circle of a grid that turns in the rest.

    Attributes
    ----------
    centre : ndarray, shape (2,)
    radius : float
    angle : float
        By which it has turned, radians counter-clockwise.
    points : ndarray of int
        What turns with it.
    loops : list of int
        Numbers of the outlines in it.
    """

    centre: np.ndarray
    radius: float
    angle: float
    points: np.ndarray
    loops: list


def _circles(mesh, walls):
    return tuple(
        DrawnCircle(zone.circle.centre, zone.circle.radius, zone.angle, zone.points,
                    [k for k, loop in enumerate(walls) if zone.circle.holds(loop[:1])[0]])
        for zone in mesh.zones)


def drawable(mesh, state, air, mean=None):
    """Turn a state on a mesh, with its mean over time if there is one, into a `Drawable`."""
    triangles, walls = triangles_of(mesh), wall_outlines(mesh)
    values = point_fields(mesh, state, air, mean, triangles=triangles)
    if not mesh.zones:
        return Drawable(mesh.points, triangles, mesh.face_nodes, walls, values)
    return Drawable(mesh.points, sewn_triangles(mesh, triangles), mesh.face_nodes, walls, values,
                    circles=_circles(mesh, walls), turnable=(_overlapping(mesh), triangles))


def _overlapping(mesh):
    """Points of a mesh whose seams leave no slivers when they turn: those outside reach a little into the
    circles."""
    points = mesh.points.copy()
    for zone in mesh.zones:
        share = np.cos(np.pi / zone.count) - 0.002
        points[zone.nodes[1]] = zone.circle.centre + share * (points[zone.nodes[1]] - zone.circle.centre)
    return points


def point_fields(mesh, state, air, mean=None, only=None, triangles=None, at=None):
    """Values at the mesh's points of every quantity (or of those named), and ``u``, ``v``: {name: ndarray,
    shape (n_points,)}. `at` is where the points are at that moment, if elsewhere."""
    cells = derive(state, air, mean)
    names = [
        name for name in cells if only is None or name in only
        or name == "density" and "density_gradient" in only or name in ("u", "v") and "vorticity" in only
    ]
    at_points = mesh.point_values(np.stack([cells[name] for name in names], axis=1))
    points = mesh.points if at is None else at
    _join_at_seams(mesh, points, at_points)
    out = {name: at_points[:, k] for k, name in enumerate(names)}
    faces = triangles_of(mesh) if triangles is None else triangles

    def slopes_of(name):
        found = np.stack(slopes(points * air.chord, faces, out[name]), axis=1)
        _join_at_seams(mesh, points, found)
        return found.T

    if only is None or "density_gradient" in only:
        out["density_gradient"] = np.hypot(*slopes_of("density"))
    if only is None or "vorticity" in only:
        out["vorticity"] = slopes_of("v")[0] - slopes_of("u")[1]
    return out


def _join_at_seams(mesh, points, values):
    """Give the points on a seam, whose values come from one side of it, the mean of both sides; in place.

    Parameters
    ----------
    points : ndarray, shape (n_points, 2)
    values : ndarray, shape (n_points, columns)
    """
    for zone in mesh.zones:
        angle = [np.arctan2(*(points[side] - zone.circle.centre).T[::-1]) for side in zone.nodes]
        own = [values[side].copy() for side in zone.nodes]
        for k, side in enumerate(zone.nodes):
            order = np.argsort(angle[1 - k])
            for column in range(values.shape[1]):
                there = np.interp(angle[k], angle[1 - k][order], own[1 - k][order, column], period=2 * np.pi)
                values[side, column] = 0.5 * (own[k][:, column] + there)


def slopes(points, triangles, values):
    """Gradient of point values by its components, each of shape (n_points,): that of the triangles round each
    point, weighted with their areas."""
    a, b, c = (points[triangles[:, k]] for k in range(3))
    twice = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (c[:, 0] - a[:, 0]) * (b[:, 1] - a[:, 1])
    va, vb, vc = (values[triangles[:, k]] for k in range(3))
    # Gradient times twice the area, which is the weight as well.
    x = va * (b[:, 1] - c[:, 1]) + vb * (c[:, 1] - a[:, 1]) + vc * (a[:, 1] - b[:, 1])
    y = va * (c[:, 0] - b[:, 0]) + vb * (a[:, 0] - c[:, 0]) + vc * (b[:, 0] - a[:, 0])
    turn, corner = np.sign(twice), triangles.ravel()
    total = [np.bincount(corner, np.repeat(turn * part, 3), len(points)) for part in (x, y, twice)]
    whole = np.maximum(total[2], 1e-300)
    return total[0] / whole, total[1] / whole


def section_drawable(setup, mesh, state, mean=None):
    """A section's field in chords; that of a round body with its mirror image below the axis."""
    picture = drawable(mesh, state, setup.air, mean)
    return mirrored(picture) if setup.is_round else picture


def placed(picture, motion, time):
    """A picture in a moving grid's axes as it stands at a time, along axes at rest.

    Parameters
    ----------
    picture : Drawable
    motion : Motion
    time : float
        In the solver's scale.
    """
    back = motion.place(np.array([[1.0, 0.0], [0.0, 1.0]]), time) - motion.place(np.zeros((1, 2)), time)
    u, v = (np.stack([picture.values["u"], picture.values["v"]], axis=1) @ back).T
    return replace(picture, points=motion.place(picture.points, time),
                   wall=[motion.place(loop, time) for loop in picture.wall],
                   values={**picture.values, "u": u, "v": v})


def moment(setup, mesh, state, mean, only, turned=()):
    """Point values of another moment, in the order of the points of the same mesh's `Drawable`; `turned` are
    the angles of its circles then."""
    at = points_turned(mesh, turned) if len(turned) else None
    values = point_fields(mesh, state, setup.air, mean, only, at=at)
    if not mesh.is_revolved:
        return values
    off = _off_axis(mesh.points)
    return {name: _both(name, v, off) for name, v in values.items()}


def _off_axis(points):
    # Points on the axis are their own image: two of them would make triangles that cannot be searched.
    return np.abs(points[:, 1]) > 1e-12


def _both(name, values, off):
    return np.concatenate([values, (-values if name in ("v", "vorticity") else values)[off]])


def mirrored(picture):
    """A half plane's picture with its mirror image below y = 0."""
    off = _off_axis(picture.points)
    image = np.where(off, len(off) + np.cumsum(off) - 1, np.arange(len(off)))
    values = {name: _both(name, v, off) for name, v in picture.values.items()}
    # A wall that begins and ends on the axis closes with its image; others have an image of their own.
    walls = []
    for loop in picture.wall:
        below = loop[::-1] * [1, -1]
        walls += [np.concatenate([loop, below])
                  ] if abs(loop[0, 1]) < 1e-9 or abs(loop[-1, 1]) < 1e-9 else [loop, below]
    return Drawable(np.concatenate([picture.points, picture.points[off] * [1, -1]]),
                    np.concatenate([picture.triangles, image[picture.triangles[:, ::-1]]]),
                    np.concatenate([picture.edges, image[picture.edges]]), walls, values, picture.home)


def nozzle_drawable(setup, mesh, state, mean=None):
    """A nozzle's field in metres with its mirror image below the axis, pressure coefficients left out.

    Parameters
    ----------
    setup : NozzleSetup
    """
    half = drawable(mesh, state, setup.air, mean)
    c = setup.contour
    tall = 1.35 * max(c.r.max(), 1.2 * c.exit_radius)
    reach = c.length if not setup.has_jet else c.length + min(setup.plan.reach, 9.0) * setup.scale
    home = (-0.04 * reach, 1.04 * reach, -tall, tall)
    if setup.sheet.flow.model == "noise":
        # The waves are what one looks at.
        home = (c.length - 3 * setup.scale, c.length + 9 * setup.scale, -4 * setup.scale, 4 * setup.scale)
    values = {name: v for name, v in half.values.items() if name != "cp"}
    shape = setup.sheet.shape
    walls = wall_pieces(c, shape.lip, port_spans(shape))
    if setup.plan.plate:
        at, top = c.length + setup.plan.reach * setup.scale, half.points[:, 1].max() * setup.scale
        walls.append(
            np.array([[at, -top], [at + 0.04 * setup.scale, -top], [at + 0.04 * setup.scale, top], [at,
                                                                                                    top]]))
    return mirrored(Drawable(half.points * setup.scale, half.triangles, half.edges, walls, values, home))


def triangles_of(mesh):
    """Two triangles of every quadrilateral and the one of every triangle, shape (n, 3)."""
    c = mesh.cell_nodes
    both = np.concatenate([c[:, [0, 1, 2]], c[:, [0, 2, 3]]])
    return both[(both != np.roll(both, -1, axis=1)).all(axis=1)]


def wall_outlines(mesh):
    """Points of each body's outline in order, list of ndarray, shape (n, 2)."""
    pairs = mesh.face_nodes[mesh.wall_faces()]
    following = dict(zip(pairs[:, 0].tolist(), pairs[:, 1].tolist()))
    heads = sorted(set(following) - set(following.values()))
    loops = []
    while following:
        here = heads.pop() if heads else next(iter(following))
        loop = [here]
        while here in following:
            here = following.pop(here)
            loop.append(here)
        loops.append(mesh.points[np.array(loop[:-1] if loop[-1] == loop[0] else loop)])
    return loops


def _spread_over(points, near, box):
    """One of the points near for each part of a box, so that the many at small things do not outweigh the few
    of all that is round them; indices."""
    found = np.nonzero(near)[0]
    left, right, bottom, top = box
    column = ((points[found, 0] - left) / (right - left) * PARTS).astype(int)
    row = ((points[found, 1] - bottom) / (top - bottom) * PARTS).astype(int)
    return found[np.unique(PARTS * row + column, return_index=True)[1]]


def default_range(values, key, points, home=None, window=None):
    """A range that shows the neighbourhood of the section, or what a picture shows first, well: (low,
    high)."""
    box = home or window or (-0.5, 1.5, -0.8, 0.8)
    near = (points[:, 0] > box[0]) & (points[:, 0] < box[1]) & (points[:, 1] > box[2]) & (points[:, 1]
                                                                                          < box[3])
    wide = window and not home
    if wide:
        near = _spread_over(points, near, box)
    seen = values[near] if len(values[near]) else values
    quantity = QUANTITIES[key]
    if key == "fluctuation":
        # Waves outside are a hundred times weaker than what passes by inside a jet or wake: they shall be
        # seen.
        reach = max(float(np.percentile(np.abs(seen), 60)), 1e-6)
        return -reach, reach
    if key == "vorticity":
        # Wall layers are a hundred times stronger than what is shed from them, which shall be seen.
        reach = max(float(np.percentile(np.abs(seen), 90)), 1e-9)
        return -reach, reach
    if quantity.diverging:
        reach = max(float(np.percentile(np.abs(seen - quantity.centre), 99.3)), 1e-6)
        return quantity.centre - reach, quantity.centre + reach
    if key == "density_gradient":
        return 0.0, max(float(np.percentile(seen, 98)), 1e-9)
    if key in ("loss", "eddy"):
        return 0.0, max(float(np.percentile(seen, 99.7)), 0.01)
    low, high = np.percentile(seen, [0.3, 98.5 if wide else 99.8])
    if home and key in ("mach", "speed") and low < 0.05 * high:
        # The air around a jet hardly moves.
        low = 0.0
    return (float(low), float(high)) if high > low else (float(low), float(low) + max(abs(low), 1.0) * 1e-3)
