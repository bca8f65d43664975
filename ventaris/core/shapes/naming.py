"""Surfaces named by what was picked: the smooth piece at a point, or what lies in a box."""
from dataclasses import replace

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from .surface import SurfaceError

# A picked point may lie off the surface by this share of the body's longest side.
NEAR = 0.05


def smooth_pieces(surface, angle, across_parts=False):
    """Number of the smooth piece that each triangle belongs to, shape (m,): pieces end where the surface
    turns by more than an angle (degrees), and at the ends of parts unless told otherwise."""
    _, one, two, count = surface.edges
    turn = (surface.normals[one] * surface.normals[two]).sum(axis=1)
    same = (count == 2) & (turn > np.cos(np.radians(angle))) & (across_parts |
                                                                (surface.part[one] == surface.part[two]))
    n = len(surface.triangles)
    return connected_components(coo_matrix((np.ones(same.sum()), (one[same], two[same])), shape=(n, n)),
                                directed=False)[1]


def with_names(surface, regions):
    """The surface with further named surfaces, one region after another; a later one takes from an earlier.

    Parameters
    ----------
    surface : Surface
        As it is placed, before edits: names are kept by those.
    regions : sequence of sheet Region

    Raises
    ------
    SurfaceError
        When a region names nothing.
    """
    for region in regions:
        chosen = _in_box(surface, region) if region.kind == "box" else _piece_at(surface, region)
        if region.name in surface.patches:
            number, patches = surface.patches.index(region.name), surface.patches
        else:
            number, patches = len(surface.patches), (*surface.patches, region.name)
        patch = np.where(chosen, number, surface.patch)
        left, patch = np.unique(patch, return_inverse=True)
        surface = replace(surface, patch=patch, patches=tuple(patches[k] for k in left))
    return surface


def _in_box(surface, region):
    half = 0.5 * np.array([region.length, region.width, region.height])
    middle = surface.corners.mean(axis=1)
    inside = (np.abs(middle - [region.x, region.y, region.z]) <= half).all(axis=1)
    if not inside.any():
        low, high = surface.box
        raise SurfaceError(
            f"shape.regions: the box of “{region.name}” holds no triangle (their middles count). The body "
            f"reaches from ({_place(low)}) to ({_place(high)}) m: move or enlarge the box."
        )
    return inside


def _piece_at(surface, region):
    distance, triangle = surface.tree.nearest(np.array([[region.x, region.y, region.z]]))
    if distance[0] > NEAR * float(surface.size.max()):
        raise SurfaceError(
            f"shape.regions: the point of “{region.name}” lies {distance[0]:.3g} m off the body. Pick it "
            "again, or name by a box."
        )
    pieces = smooth_pieces(surface, region.angle)
    return pieces == pieces[triangle[0]]


def _place(point):
    return ", ".join(f"{v:.4g}" for v in point)
