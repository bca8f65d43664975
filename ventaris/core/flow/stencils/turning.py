"""The stencil of a gradient on a mesh with turning zones: weights turn with their cells, and the cells at a
seam are given others across it."""
import numpy as np

from ...grids.turning_zone import ACROSS, turning
from .plane import least_squares_weights


class TurningStencil:
    """Follows zones in one stencil, in place.

    Parameters
    ----------
    mesh : Mesh
    stencil : tuple (start, neighbour, weight)
        As it is where the zones stand now.
    """
    def __init__(self, mesh, stencil):
        self.mesh, (self.start, self.neighbour, self.weight) = mesh, stencil
        owner = np.repeat(np.arange(mesh.n_cells), np.diff(self.start))
        self.parts = [_Part(mesh, zone, self.start, self.neighbour, self.weight, owner)
                      for zone in mesh.zones]

    def follow(self):
        """Follow the zones to where they stand."""
        for part in self.parts:
            self.weight[part.turned] = part.first @ turning(part.zone.angle - part.begun).T
            inner, outer = part.zone.across()
            self.neighbour[part.across[0]] = outer.T
            # Every cell of the outer ring is seen by as many of the inner one.
            order = np.argsort(outer, axis=None, kind="stable").reshape(-1, ACROSS)
            self.neighbour[part.across[1]] = inner.ravel()[order]
            member = self.neighbour[part.entries]
            self.weight[part.entries] = least_squares_weights(self.mesh, part.rows, self._places(member),
                                                              cells=part.cells)

    def _places(self, member):
        """Where members of a stencil are: centres of cells, or feet on walls."""
        mesh = self.mesh
        at = mesh.centre[np.maximum(member, 0)]
        feet = np.nonzero(member < 0)[0]
        if len(feet):
            face = mesh.n_interior - 1 - member[feet]
            cell, normal = mesh.left[face], mesh.normal[face]
            gap = ((mesh.face_centre[face] - mesh.centre[cell]) * normal).sum(axis=1)
            at[feet] = mesh.centre[cell] + gap[:, None] * normal
        return at


class _Part:
    """One zone's share of a stencil: entries that only turn, and those of the cells at its seam."""
    def __init__(self, mesh, zone, start, neighbour, weight, owner):
        self.zone, self.begun, self.cells = zone, zone.angle, zone.rings.ravel()
        at_seam, inside = np.zeros(mesh.n_cells, bool), np.zeros(mesh.n_cells, bool)
        at_seam[self.cells], inside[zone.cells] = True, True
        self.turned = np.nonzero((inside & ~at_seam)[owner])[0]
        self.first = weight[self.turned].copy()
        lengths = np.diff(start)[self.cells]
        self.rows = np.concatenate([[0], np.cumsum(lengths)])
        self.entries = np.repeat(start[self.cells] - self.rows[:-1], lengths) + np.arange(self.rows[-1])
        other = at_seam[np.maximum(neighbour[self.entries], 0)] & (neighbour[self.entries] >= 0)
        other &= inside[np.maximum(neighbour[self.entries], 0)] != np.repeat(inside[self.cells], lengths)
        self.across = self.entries[other].reshape(2, -1, ACROSS)
