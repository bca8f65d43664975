"""Zones of a plane's grid that turn in the rest of it, which stands still.

The flow is written along axes at rest everywhere. What turns are centres, normals and the weights of
gradients; cells keep their volumes, so a step in time needs nothing else: the levels before are those of the
same cells. Faces of a zone move, and the air passes what is left against them; the seam is a circle that
turns in itself, so nothing of it moves along its normal (see `grids.turning_zone`).
"""
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from ..grids.turning_zone import turning
from .boundaries.registry import NO_SLIP
from .motion import Still
from .stencils.turning import TurningStencil


@dataclass(frozen=True)
class TurningZones:
    """How the zones of a grid turn, in the solver's scales.

    Attributes
    ----------
    laws : tuple of law
        Of each zone, radians nose up (clockwise) over time.
    """

    laws: tuple = (Still(), )

    def on(self, flow):
        """What turns the zones of a discretisation."""
        return Turned(flow, self)

    def angles(self, t):
        """Angles of the zones counter-clockwise, shape (n_zones,)."""
        return np.array([-law.value(t) for law in self.laws])


class Turned:
    """A discretisation whose grid has turning zones.

    Parameters
    ----------
    flow : Discretisation
    motion : TurningZones
    """
    def __init__(self, flow, motion):
        self.flow, self.motion, self.time = flow, motion, 0.0
        mesh, self.zones = flow.mesh, flow.mesh.zones
        stencils = [flow.scalar] + ([] if flow.velocity is flow.scalar else [flow.velocity])
        self.stencils = [TurningStencil(mesh, stencil) for stencil in stencils]
        self.offsets = [(zone.faces, flow.faces.offset[zone.faces].copy(), zone.angle) for zone in self.zones]
        self.rows = [self._rows_of_seam(zone) for zone in self.zones]
        # What slides along a wall, as it stood before anything turned.
        self.sticky = [self._sticky_of(zone) for zone in self.zones]
        self.walls, self._put = None if flow.distance is None else DistancesThatTurn(flow), None
        self.put(0.0, at_rest=True)

    def _sticky_of(self, zone):
        faces = zone.faces[zone.faces >= self.flow.n_interior]
        local = faces - self.flow.n_interior
        local = local[self.flow.kind[local] == NO_SLIP]
        return local, self.flow.border.ghost[local, 2:4] @ turning(zone.angle)

    def _rows_of_seam(self, zone):
        """Positions of the seam's faces in the rows of the rings' cells, shape (2, n, 2)."""
        faces = self.flow.cells.faces
        found = np.nonzero((faces >= zone.seam.min()) & (faces <= zone.seam.max()))[0]
        return found.reshape(2, -1, 2)

    def put(self, time, at_rest=False):
        """Turn the zones to where they are at a time; `at_rest` holds them there. Axes do not turn: returns
        0."""
        flow, mesh = self.flow, self.flow.mesh
        if (time, at_rest) == self._put:
            return 0.0
        self.time, self._put = time, (time, at_rest)
        flow.faces.drift[:], flow.cells.drift[:] = 0.0, 0.0
        for k, (zone, law) in enumerate(zip(self.zones, self.motion.laws)):
            zone.turn_to(mesh, -law.value(time))
            self._follow_seam(k, zone)
            faces, offset, begun = self.offsets[k]
            flow.faces.offset[faces] = offset @ turning(zone.angle - begun).T
            flow.faces.offset[zone.seam] = mesh.face_centre[zone.seam][:, :, None] - np.stack(
                [mesh.centre[mesh.left[zone.seam]], mesh.centre[mesh.right[zone.seam]]], axis=2)
            if not at_rest:
                rate = -law.rate(time)
                flow.faces.drift[zone.faces] = zone.drift(mesh.face_centre[zone.faces], rate)
                flow.cells.drift[zone.cells] = zone.drift(mesh.centre[zone.cells], rate)
            local, sliding = self.sticky[k]
            flow.border.ghost[local, 2:4] = (sliding @ turning(zone.angle).T +
                                             flow.faces.drift[flow.n_interior + local])
        for stencil in self.stencils:
            stencil.follow()
        if flow.distance is not None:
            self.walls.follow()
        return 0.0

    def _follow_seam(self, k, zone):
        """Tell the outer ring's cells, and the factors, which faces and cells are theirs now."""
        shift, n = zone.shift, np.arange(zone.count)
        faces = self.flow.cells.faces
        now = np.stack([zone.seam[0][(n - shift) % zone.count], zone.seam[1][(n - shift - 1) % zone.count]],
                       axis=1)
        rows = self.rows[k]
        if not np.array_equal(faces[rows[1]], now):
            faces[rows[1]] = now
            self.flow.factors.renumber(self.flow.mesh, rows.ravel())


class DistancesThatTurn:
    """Wall distances of a discretisation's cells, kept as zones turn.

    Cells and walls that turn together keep their distance. What lies on the other side of a seam is looked
    for anew at every step; it is some cells away at least, so that the nearest middle of a wall's face tells
    how far.

    Parameters
    ----------
    flow : Discretisation
    """
    def __init__(self, flow):
        self.mesh, self.distance = flow.mesh, flow.distance
        mesh, walls = flow.mesh, flow.stencils.walls
        side, of_walls = np.zeros(mesh.n_cells, dtype=int), np.zeros(len(walls), dtype=int)
        for k, zone in enumerate(mesh.zones):
            side[zone.cells] = k + 1
            of_walls[np.isin(walls, zone.faces)] = k + 1
        self.cells = [np.nonzero(side == k)[0] for k in range(len(mesh.zones) + 1)]
        self.walls = [walls[of_walls == k] for k in range(len(mesh.zones) + 1)]
        self.own = []
        for cells, own in zip(self.cells, self.walls):
            apart = np.full(len(cells), np.inf)
            if len(own):
                apart = mesh.wall_distance(own, mesh.centre[cells])[0]
            self.own.append(apart)

    def follow(self):
        """Measure where the zones stand now."""
        mesh = self.mesh
        for k, (cells, own) in enumerate(zip(self.cells, self.own)):
            others = [walls for m, walls in enumerate(self.walls) if m != k and len(walls)]
            apart = own
            if others:
                at = mesh.face_centre[np.concatenate(others)]
                apart = np.minimum(own, cKDTree(at).query(mesh.centre[cells])[0])
            self.distance[cells] = apart
