"""Grids with a turning zone and no body, for tests."""
import numpy as np

from ventaris.core.grids.fill import Region, fill
from ventaris.core.grids.mesh import mesh_from_cells
from ventaris.core.grids.turning_zone import Circle, sew


def empty_zone(count=64, half=3.0, radius=1.0, hub=0.0):
    """A square with a circle in its middle that turns; `hub` leaves a round hole in it."""
    circle, size = Circle(0.0, 0.0, radius), 2 * np.pi * radius / count
    points, cells, edges, rings, nodes, loops = [], [], {}, [], [], []
    total = 0

    def new(some):
        nonlocal total
        points.append(some)
        total += len(some)
        return total - len(some) + np.arange(len(some))

    for side, name in ((1, "seam 0 inside"), (-1, "seam 0 outside")):
        far = circle.shrunk(side * size).points(count)
        ids = np.stack([new(circle.points(count)), new(far)], axis=1)
        after = np.roll(ids, -1, axis=0)
        quads = np.stack([ids[:, 0], after[:, 0], after[:, 1], ids[:, 1]], axis=1)
        rings.append(sum(map(len, cells)) + np.arange(count))
        cells.append(quads if side > 0 else quads[:, ::-1])
        edges[name] = np.stack([ids[:, 0], after[:, 0]], axis=1)
        nodes.append(ids[:, 0])
        loops.append((far, ids[:, 1]))
    line = np.linspace(-half, half, int(round(2 * half / size)) + 1)[:-1]
    corner = [np.stack([line, np.full_like(line, -half)], 1)]
    for _ in range(3):
        corner.append(np.stack([-corner[-1][:, 1], corner[-1][:, 0]], 1))
    square = np.concatenate(corner)
    outer = new(square)
    edges["far field"] = np.stack([outer, np.roll(outer, -1)], axis=1)
    inside, within = [loops[0]], []
    if hub:
        n = 4 * int(np.pi * hub / size / 2 + 1)
        ids = new(Circle(0.0, 0.0, hub).points(n))
        edges["hub"] = np.stack([ids, np.roll(ids, -1)], axis=1)
        within = [(Circle(0.0, 0.0, hub).points(n), ids)]
    for (loop, ids), holes in ((inside[0], within), ((square, outer), [loops[1]])):
        region = Region(loop, [hole for hole, _ in holes])
        filled, triangles = fill(region, lambda p: np.full(len(p), size))
        number = np.concatenate([ids, *(own for _, own in holes), new(filled[len(region.points):])])
        triangles = number[triangles]
        cells.append(np.concatenate([triangles, triangles[:, 2:]], axis=1))
    names = [name for name in edges if not name.startswith("seam")]
    edges = {name: edges[name] for name in names + ["seam 0 inside", "seam 0 outside"]}
    mesh = mesh_from_cells(np.concatenate(points), np.concatenate(cells), edges, ["hub"] if hub else [])
    return sew(mesh, (circle, ), [np.stack(rings)], [np.stack(nodes)])
