"""How good are the cells?  Measures a practitioner reads before a run."""
from dataclasses import asdict, dataclass

import numpy as np


@dataclass
class Quality:
    """Summary of a mesh's cells.

    Attributes
    ----------
    cells, wall_faces : int
    worst_skewness, mean_skewness : float
        Equiangle skewness, 0 for a rectangle, 1 for a collapsed cell.
    worst_aspect_ratio : float
    least_volume : float
        In chords squared per unit depth.
    worst_non_orthogonality : float
        Largest angle between a face normal and the line between the two cell centres, degrees.
    """

    cells: int
    wall_faces: int
    worst_skewness: float
    mean_skewness: float
    worst_aspect_ratio: float
    least_volume: float
    worst_non_orthogonality: float

    def as_dict(self):
        return asdict(self)


def triangles_of(mesh):
    """Which cells are triangles (a corner repeated), and their three corners, shape (k, 3)."""
    nodes = mesh.cell_nodes
    repeated = nodes == np.roll(nodes, -1, axis=1)
    is_triangle = repeated.any(axis=1)
    keep = ~repeated[is_triangle]
    return is_triangle, nodes[is_triangle][keep].reshape(-1, 3)


def _corner_angles(corner):
    ahead = np.roll(corner, -1, axis=1) - corner
    behind = np.roll(corner, 1, axis=1) - corner
    cosine = (ahead * behind).sum(-1) / (np.linalg.norm(ahead, axis=-1) * np.linalg.norm(behind, axis=-1))
    return np.degrees(np.arccos(np.clip(cosine, -1, 1)))


def skewness(mesh):
    """Equiangle skewness of every cell, shape (n_cells,)."""
    out = np.empty(mesh.n_cells)
    is_triangle, corners = triangles_of(mesh)
    for pick, nodes, ideal in ((~is_triangle, mesh.cell_nodes[~is_triangle], 90.0), (is_triangle, corners,
                                                                                     60.0)):
        if len(nodes):
            angle = _corner_angles(mesh.points[nodes])
            out[pick] = np.maximum((angle.max(axis=1) - ideal) / (180 - ideal),
                                   (ideal - angle.min(axis=1)) / ideal)
    return out


def aspect_ratio(mesh):
    """Longest over shortest mean width of every quadrilateral, longest edge over its height in a triangle,
    shape (n_cells,)."""
    out = np.empty(mesh.n_cells)
    is_triangle, corners = triangles_of(mesh)
    corner = mesh.points[mesh.cell_nodes[~is_triangle]]
    edge = np.linalg.norm(np.roll(corner, -1, axis=1) - corner, axis=-1)
    one, other = edge[:, 0] + edge[:, 2], edge[:, 1] + edge[:, 3]
    out[~is_triangle] = np.maximum(one, other) / np.minimum(one, other)
    if len(corners):
        corner = mesh.points[corners]
        longest = np.linalg.norm(np.roll(corner, -1, axis=1) - corner, axis=-1).max(axis=1)
        out[is_triangle] = 0.5 * 3**0.5 * longest**2 / (2 * mesh.cell_area[is_triangle])
    return out


def non_orthogonality(mesh):
    """Angle in degrees between each interior face's normal and its cells' centre line."""
    # Faces of a seam may have come to nothing where they stand.
    inner = (mesh.right >= 0) & (mesh.area > 1e-12)
    line = mesh.centre[mesh.right[inner]] - mesh.centre[mesh.left[inner]]
    cosine = (line * mesh.normal[inner]).sum(1) / np.linalg.norm(line, axis=1)
    return np.degrees(np.arccos(np.clip(cosine, -1, 1)))


def measure_quality(mesh):
    """Measure a mesh; returns a `Quality`."""
    skew = skewness(mesh)
    return Quality(mesh.n_cells, len(mesh.wall_faces()), float(skew.max()), float(skew.mean()),
                   float(aspect_ratio(mesh).max()), float(mesh.cell_area.min()),
                   float(non_orthogonality(mesh).max()))
