"""The probe: the flow at a point."""
import numpy as np
from scipy.spatial import cKDTree


def containing_cell(mesh, x, y):
    """Index of the cell that holds a point, or -1 outside the mesh."""
    point = np.array([x, y])
    _, candidates = cKDTree(mesh.centre).query(point, k=min(400, mesh.n_cells))
    corner = mesh.points[mesh.cell_nodes[candidates]]
    edge, offset = np.roll(corner, -1, axis=1) - corner, point - corner
    inside = (edge[..., 0] * offset[..., 1] - edge[..., 1] * offset[..., 0] >= -1e-14).all(axis=1)
    return int(candidates[np.argmax(inside)]) if inside.any() else -1


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
