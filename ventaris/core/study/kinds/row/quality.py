"""How good are the cells of a passage?"""
from dataclasses import asdict, dataclass

import numpy as np


@dataclass
class RowQuality:
    """Summary of a passage's cells.

    Attributes
    ----------
    cells, wall_faces : int
    worst_non_orthogonality : float
        Largest angle between a face's normal and the line between its two cells, degrees.
    worst_aspect_ratio : float
        Longest over shortest extent of a cell.
    least_volume : float
        In cubes of the chord of mid-span.
    worst_at_x, worst_at_span : float
        Where the largest angle is: chords from the stacking line, share of the span.
    """

    cells: int
    wall_faces: int
    worst_non_orthogonality: float
    worst_aspect_ratio: float
    least_volume: float
    worst_at_x: float
    worst_at_span: float

    def as_dict(self):
        return asdict(self)


def row_quality(mesh):
    """Measure a passage's cells."""
    inner = mesh.n_interior
    way = mesh.centre[mesh.right[:inner]] - mesh.centre[mesh.left[:inner]]
    cosine = np.einsum("ij,ij->i", way, mesh.normal[:inner]) / np.linalg.norm(way, axis=1)
    worst = int(np.argmin(cosine))
    cell = mesh.left[worst]
    middle = 0.5 * (mesh.span[1:] + mesh.span[:-1])
    longest = np.linalg.norm(mesh.points[mesh.corners[:, 0]] - mesh.points[mesh.corners[:, 1]], axis=1)
    for a, b in ((1, 2), (0, 4)):
        longest = np.maximum(
            longest, np.linalg.norm(mesh.points[mesh.corners[:, a]] - mesh.points[mesh.corners[:, b]],
                                    axis=1))
    return RowQuality(mesh.n_own, len(mesh.wall_faces()),
                      float(np.degrees(np.arccos(np.clip(cosine[worst], -1, 1)))),
                      float((longest / mesh.size[:mesh.n_own]).max()), float(mesh.volume.min()),
                      float(mesh.centre[cell, 0]), float(middle[mesh.level[cell]]))
