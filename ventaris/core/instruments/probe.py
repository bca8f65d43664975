"""The probe: the flow at a point."""
import numpy as np
from scipy.spatial import cKDTree

from ..grids.turning_zone import turning

# Cells whose centres are the nearest, among which the one that holds a point is looked for.
LOOKED_THROUGH = 400


class Locator:
    """Finds the cells of a plane's mesh that hold points, wherever its zones have turned to meanwhile.

    Points inside a zone are looked for where they would stand had it not turned; others are looked for once.
    """
    def __init__(self, mesh):
        self.mesh, self.points, self.tree = mesh, mesh.points.copy(), cKDTree(mesh.centre.copy())
        self.begun, self._known = [zone.angle for zone in mesh.zones], {}

    def find(self, x, y):
        """Index of the cell that holds a point, or -1 outside the mesh."""
        for zone, begun in zip(self.mesh.zones, self.begun):
            away = np.array([x, y]) - zone.circle.centre
            if np.hypot(*away) < zone.circle.radius:
                return self._inside(zone, turning(begun - zone.angle) @ away)
        if (x, y) not in self._known:
            self._known[x, y] = self._holding(np.array([x, y]))
        return self._known[x, y]

    def _inside(self, zone, away):
        point = zone.circle.centre + away
        if np.hypot(*away) > zone.circle.radius * np.cos(np.pi / zone.count):
            # Between a cell's straight edge and the circle.
            near = self.tree.query(point, k=8)[1]
            ring = near[np.isin(near, zone.rings[0])]
            return int(ring[0]) if len(ring) else -1
        return self._holding(point)

    def _holding(self, point):
        _, candidates = self.tree.query(point, k=min(LOOKED_THROUGH, self.mesh.n_cells))
        corner = self.points[self.mesh.cell_nodes[candidates]]
        edge, offset = np.roll(corner, -1, axis=1) - corner, point - corner
        inside = (edge[..., 0] * offset[..., 1] - edge[..., 1] * offset[..., 0] >= -1e-14).all(axis=1)
        return int(candidates[np.argmax(inside)]) if inside.any() else -1


def containing_cell(mesh, x, y):
    """Index of the cell that holds a point, or -1 outside the mesh."""
    return Locator(mesh).find(x, y)


def read_probe(flow, state, x, y):
    """Cp, Mach number, velocity over the free stream's, temperature ratio at a point in chords.

    Returns
    -------
    dict, or None where the point lies in the body or outside the far field
    """
    return read_cell(flow, state, containing_cell(flow.mesh, x, y), x, y)


def read_cell(flow, state, cell, x, y):
    """As `read_probe`, in a known cell (-1 for none)."""
    if cell < 0:
        return None
    offset = np.array([x, y]) - flow.mesh.centre[cell]
    p, t, u, v = state[cell, :4] + flow.grad[cell] @ offset
    mach = flow.stream.mach
    return {"cp": float(p / flow.stream.dynamic_pressure), "mach": float(np.sqrt((u * u + v * v) / t)),
            "u": float(u / mach), "v": float(v / mach), "temperature_ratio": float(t)}
