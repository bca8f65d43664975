"""A field as points, triangles and values, ready to be drawn."""
from dataclasses import dataclass

import numpy as np

from ..shapes.nozzles import port_spans, wall_pieces
from .fields import QUANTITIES, derive


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
    """

    points: np.ndarray
    triangles: np.ndarray
    edges: np.ndarray
    wall: list
    values: dict
    home: tuple | None = None


def drawable(mesh, state, air):
    """Turn a state on a mesh into a `Drawable`."""
    cells = derive(state, air)
    names = list(cells)
    at_points = mesh.point_values(np.stack([cells[name] for name in names], axis=1))
    return Drawable(mesh.points, triangles_of(mesh), mesh.face_nodes, wall_outlines(mesh),
                    {name: at_points[:, k] for k, name in enumerate(names)})


def section_drawable(setup, mesh, state):
    """A section's field in chords; that of a round body with its mirror image below the axis."""
    picture = drawable(mesh, state, setup.air)
    return mirrored(picture) if setup.is_round else picture


def mirrored(picture):
    """A half plane's picture with its mirror image below y = 0."""
    # Points on the axis are their own image: two of them would make triangles that cannot be searched.
    off = np.abs(picture.points[:, 1]) > 1e-12
    image = np.where(off, len(off) + np.cumsum(off) - 1, np.arange(len(off)))
    values = {name: np.concatenate([v, (-v if name == "v" else v)[off]]) for name, v in picture.values.items()}
    # A wall that begins and ends on the axis closes with its image; others have an image of their own.
    walls = []
    for loop in picture.wall:
        below = loop[::-1] * [1, -1]
        walls += [np.concatenate([loop, below])] if abs(loop[0, 1]) < 1e-9 or abs(loop[-1, 1]) < 1e-9 else [loop, below]
    return Drawable(np.concatenate([picture.points, picture.points[off] * [1, -1]]), np.concatenate([picture.triangles, image[picture.triangles[:, ::-1]]]),
                    np.concatenate([picture.edges, image[picture.edges]]), walls, values, picture.home)


def nozzle_drawable(setup, mesh, state):
    """A nozzle's field in metres with its mirror image below the axis, pressure coefficients left out.

    Parameters
    ----------
    setup : NozzleSetup
    """
    half = drawable(mesh, state, setup.air)
    c = setup.contour
    tall = 1.35 * max(c.r.max(), 1.2 * c.exit_radius)
    reach = c.length if not setup.has_jet else c.length + min(setup.plan.reach, 9.0) * setup.scale
    home = (-0.04 * reach, 1.04 * reach, -tall, tall)
    values = {name: v for name, v in half.values.items() if name != "cp"}
    shape = setup.sheet.shape
    walls = wall_pieces(c, shape.lip, port_spans(shape))
    if setup.plan.plate:
        at, top = c.length + setup.plan.reach * setup.scale, half.points[:, 1].max() * setup.scale
        walls.append(np.array([[at, -top], [at + 0.04 * setup.scale, -top], [at + 0.04 * setup.scale, top], [at, top]]))
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


def default_range(values, key, points, box=(-0.5, 1.5, -0.8, 0.8), home=None):
    """A range that shows the neighbourhood of the section well: (low, high)."""
    box = home or box
    near = (points[:, 0] > box[0]) & (points[:, 0] < box[1]) & (points[:, 1] > box[2]) & (points[:, 1] < box[3])
    seen = values[near] if near.any() else values
    quantity = QUANTITIES[key]
    if quantity.diverging:
        reach = max(float(np.percentile(np.abs(seen - quantity.centre), 99.3)), 1e-6)
        return quantity.centre - reach, quantity.centre + reach
    if key in ("loss", "eddy"):
        return 0.0, max(float(np.percentile(seen, 99.7)), 0.01)
    low, high = np.percentile(seen, [0.3, 99.8])
    if home and key in ("mach", "speed") and low < 0.05 * high:
        # The air around a jet hardly moves.
        low = 0.0
    return (float(low), float(high)) if high > low else (float(low), float(low) + max(abs(low), 1.0) * 1e-3)
