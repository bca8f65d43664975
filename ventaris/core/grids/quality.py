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


def skewness(mesh):
    """Equiangle skewness of every quadrilateral, shape (n_cells,)."""
    corner = mesh.points[mesh.cell_nodes]
    ahead = np.roll(corner, -1, axis=1) - corner
    behind = np.roll(corner, 1, axis=1) - corner
    cosine = (ahead * behind).sum(-1) / (np.linalg.norm(ahead, axis=-1) * np.linalg.norm(behind, axis=-1))
    angle = np.degrees(np.arccos(np.clip(cosine, -1, 1)))
    return np.maximum((angle.max(axis=1) - 90) / 90, (90 - angle.min(axis=1)) / 90)


def aspect_ratio(mesh):
    """Longest over shortest mean width of every quadrilateral, shape (n_cells,)."""
    corner = mesh.points[mesh.cell_nodes]
    edge = np.linalg.norm(np.roll(corner, -1, axis=1) - corner, axis=-1)
    one, other = edge[:, 0] + edge[:, 2], edge[:, 1] + edge[:, 3]
    return np.maximum(one, other) / np.minimum(one, other)


def non_orthogonality(mesh):
    """Angle in degrees between each interior face's normal and its cells' centre line."""
    inner = mesh.right >= 0
    line = mesh.centre[mesh.right[inner]] - mesh.centre[mesh.left[inner]]
    cosine = (line * mesh.normal[inner]).sum(1) / np.linalg.norm(line, axis=1)
    return np.degrees(np.arccos(np.clip(cosine, -1, 1)))


def measure_quality(mesh):
    """Measure a mesh; returns a `Quality`."""
    skew = skewness(mesh)
    return Quality(mesh.n_cells, len(mesh.wall_faces()), float(skew.max()), float(skew.mean()),
                   float(aspect_ratio(mesh).max()), float(mesh.volume.min()), float(non_orthogonality(mesh).max()))
