"""Small meshes that tests of the flow share."""
import numpy as np

from ventaris.core.grids.embedded import embed
from ventaris.core.grids.mesh import mesh_from_cells
from ventaris.core.grids.octree import build_octree

# Sides of `rectangle` and `block` that look along the stream and against it.
SIDES = {
    2: ("left", "right", "below", "above"), 3: ("inflow", "outflow", "left", "right", "floor", "ceiling")
}


def rectangle(nx=6, ny=4):
    """Cells in a plane, 1 by 1, whose four sides have names of their own."""
    x, y = np.meshgrid(np.linspace(0, 1, nx + 1), np.linspace(0, 1, ny + 1), indexing="ij")
    number = np.arange(x.size).reshape(x.shape)
    cells = np.stack([number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]],
                     axis=-1).reshape(-1, 4)
    lines = dict(zip(SIDES[2], (number[0], number[-1], number[:, 0], number[:, -1])))
    edges = {name: np.stack([line[:-1], line[1:]], axis=1) for name, line in lines.items()}
    return mesh_from_cells(np.stack([x.ravel(), y.ravel()], axis=1), cells, edges, [])


def block(n=4):
    """Cubes in space, 1 by 1 by 1."""
    return embed(
        build_octree((0.0, 0.0, 0.0), 1.0 / n, (n, n, n), 0, lambda level, centres, edge: centres[:, 0] < -1),
        None)


MESHES = {2: rectangle, 3: block}


def box_mesh(n, m=2):
    """A row of n by m square cells, 1 long, open at its ends."""
    x, y = np.meshgrid(np.linspace(0, 1, n + 1), np.linspace(0, m / n, m + 1), indexing="ij")
    number = np.arange(x.size).reshape(x.shape)
    cells = np.stack([number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]],
                     axis=-1).reshape(-1, 4)
    pairs = lambda line: np.stack([line[:-1], line[1:]], axis=1)
    edges = {
        "far field": np.concatenate([pairs(number[0]), pairs(number[-1])]),
        "symmetry": np.concatenate([pairs(number[:, 0]), pairs(number[:, -1])])
    }
    return mesh_from_cells(np.stack([x.ravel(), y.ravel()], axis=1), cells, edges, [])
