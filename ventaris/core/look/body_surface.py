"""The body's surface ready to be drawn: fine enough for what is mapped on it, with smooth normals that break
at edges."""
from dataclasses import dataclass

import numpy as np
from trimesh.remesh import subdivide

from ..shapes.naming import smooth_pieces

# Degrees by which the surface may turn and still be drawn smooth.
SMOOTH = 30.0
MOST_TRIANGLES = 260_000


@dataclass(frozen=True)
class DrawnSurface:
    """Triangles in the order of their parts.

    Attributes
    ----------
    points, normals : ndarray, shape (n, 3)
        Outward normals.
    triangles : ndarray of int, shape (m, 3)
    part : ndarray of int, shape (m,)
    parts : tuple of str
    """

    points: np.ndarray
    normals: np.ndarray
    triangles: np.ndarray
    part: np.ndarray
    parts: tuple

    def groups(self):
        """[(name, first triangle, number of triangles)]."""
        first = np.searchsorted(self.part, np.arange(len(self.parts) + 1))
        return [(name, int(first[k]), int(first[k + 1] - first[k])) for k, name in enumerate(self.parts)]


def drawn_surface(surface, size):
    """Divide a surface until its edges are no longer than a size (or there are too many triangles) and smooth
    its normals.

    Parameters
    ----------
    surface : Surface
    size : float
        Wanted edge length.

    Returns
    -------
    DrawnSurface
    """
    groups = smooth_pieces(surface, SMOOTH, across_parts=True)
    corners, owner = surface.vertices, np.arange(len(surface.triangles))
    triangles = surface.triangles
    while True:
        edge = np.linalg.norm(corners[triangles] - corners[np.roll(triangles, 1, axis=1)], axis=2).max(axis=1)
        long = np.nonzero(edge > size)[0]
        if not len(long) or len(triangles) + 3 * len(long) > MOST_TRIANGLES:
            break
        chosen = np.zeros(len(triangles), dtype=bool)
        chosen[long] = True
        corners, triangles = subdivide(corners, triangles, face_index=long)
        # The quarters of the divided triangles come behind those that stay.
        owner = np.concatenate([owner[~chosen], np.repeat(owner[chosen], 4)])
    part = surface.part[owner]
    order = np.argsort(part, kind="stable")
    triangles, part, owner = triangles[order], part[order], owner[order]
    vector = np.cross(corners[triangles[:, 1]] - corners[triangles[:, 0]],
                      corners[triangles[:, 2]] - corners[triangles[:, 0]])
    group = groups[owner]
    key = triangles.ravel().astype(np.int64) * (int(group.max()) + 1) + np.repeat(group, 3)
    unique, first, inverse = np.unique(key, return_index=True, return_inverse=True)
    inverse = inverse.ravel()
    normals = np.stack(
        [np.bincount(inverse, np.repeat(vector[:, a], 3), minlength=len(unique)) for a in range(3)], axis=1)
    normals /= np.maximum(np.linalg.norm(normals, axis=1), 1e-300)[:, None]
    return DrawnSurface(corners[triangles.ravel()[first]], normals, inverse.reshape(-1, 3), part,
                        surface.parts)


def drawn_for(field, surface):
    """The drawn surface that carries a field's readings: in the field's unit, as fine as its cells on the
    body."""
    return drawn_surface(surface.moved(np.eye(3) / field.scale), 1.2 * field.wall_size)
