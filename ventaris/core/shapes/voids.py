"""Enclosed spaces of a surface: inner shells that no air from outside can reach."""
import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from .triangle_tree import build_tree

# Inner shells looked at in one surface, points looked at on each, and the share of them that must lie inside
# the rest.
MOST_SHELLS, POINTS, SURE = 400, 24, 0.9
INSIDE = 0.5


def shells_of(surface):
    """Number of the connected piece of each triangle, shape (m,): triangles that share a corner are one
    piece."""
    m = len(surface.triangles)
    rows = np.repeat(np.arange(m), 3)
    graph = coo_matrix((np.ones(3 * m, dtype=np.int8), (rows, m + surface.triangles.ravel())),
                       shape=(m + len(surface.vertices), ) * 2)
    return connected_components(graph, directed=False)[1][:m]


def void_triangles(surface):
    """Triangles that bound an enclosed space, shape (m,) of bool.

    A shell bounds one when it lies inside the rest of its part and is turned the other way: its body is on
    its outer side.
    """
    out = np.zeros(len(surface.triangles), dtype=bool)
    shell = shells_of(surface)
    if shell.max() == 0:
        return out
    volume = np.bincount(shell, surface.spanned_volumes)
    part_of = np.zeros(shell.max() + 1, dtype=np.int64)
    part_of[shell] = surface.part
    inverted = np.nonzero((volume * surface.volume[part_of] < 0)
                          & (np.bincount(part_of, minlength=len(surface.parts))[part_of] > 1))[0]
    for number in inverted[np.argsort(-np.abs(volume[inverted]))][:MOST_SHELLS]:
        own = shell == number
        rest = (surface.part == part_of[number]) & ~own
        chosen = np.nonzero(own)[0]
        points = surface.corners[chosen[::max(len(chosen) // POINTS, 1)]].mean(axis=1)
        around = build_tree(surface.corners[rest]).winding(points)[:, 0]
        if (np.abs(around) > INSIDE).mean() >= SURE and np.median(around) * volume[number] < 0:
            out |= own
    return out


def without_voids(surface):
    """The surface with its enclosed spaces solid, and a note that says so (or none)."""
    void = void_triangles(surface)
    if not void.any():
        return surface, []
    parts = [f"“{surface.parts[p]}”" for p in np.unique(surface.part[void])]
    volume = abs(float(surface.spanned_volumes[void].sum()))
    listed = ", ".join(parts[:4]) + (f" and {len(parts) - 4} more" if len(parts) > 4 else "")
    return surface.only(~void), [
        f"{listed}: an enclosed space of {volume:.3g} m³ is kept solid; no air from outside can reach it."
    ]
