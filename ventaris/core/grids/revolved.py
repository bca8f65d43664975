"""Grids round bodies of revolution: the upper half of the lines round a symmetric section, turned about its
axis."""
import numpy as np

from .blocks import block_cells, line_edges
from .mesh import MeshError, mesh_from_cells, revolve
from .section import LEVELS, STRIDE, generate_lines, topology_of
from .spacing import geometric_line

# Rows of cells from the axis to the edge of a blunt base, on the fine level.
BASE_ROWS = 32


def generate_revolved_levels(section, plan, levels=LEVELS):
    """{level: Mesh} of revolution about the chord line of a symmetric section."""
    lines, strip = generate_lines(section, plan)
    half, inner = _upper_half(lines), None
    if strip is not None:
        inner = _base_block(half, section, plan)
    return {level: _mesh(half, inner, topology_of(section), STRIDE[level], plan.wake) for level in levels}


def _upper_half(lines):
    """The lines from the nose over the upper side, shape (layers + 1, n // 2 + 1, 2); both halves are
    averaged, so that a rounding error of the generator does not matter."""
    n = lines.shape[1]
    middle = n // 2
    upper, lower = lines[:, middle:], lines[:, middle::-1]
    half = 0.5 * (upper + lower * [1, -1])
    half[:, 0, 1] = 0.0
    if np.abs(upper - lower * [1, -1]).max() > 0.05 * np.abs(lines).max():
        raise MeshError(
            "the grid of this section is not symmetric: only a symmetric section can be turned about its "
            "chord line"
        )
    return half


def _base_block(half, section, plan):
    """Points between the axis and the wake's edge behind a blunt base, shape (BASE_ROWS + 1, wake + 1, 2):
    thin cells at the edge."""
    edge = half[0, half.shape[1] - plan.wake - 1:]
    radius = edge[0, 1]
    first = min(max(plan.first_height, 2e-4 * radius), radius / BASE_ROWS)
    share = 1 - geometric_line(first / radius, BASE_ROWS, 1.0)[::-1]
    return np.stack([np.broadcast_to(edge[:, 0], (len(share), len(edge))), share[:, None] * edge[:, 1]],
                    axis=2)


def _mesh(half, inner, topology, stride, wake):
    lines = half[::stride, ::stride].copy()
    wake = wake // stride if topology == "C" else 0
    layers, n = lines.shape[0] - 1, lines.shape[1]
    if topology == "O":
        lines[:, -1, 1] = 0.0
    elif inner is None:
        lines[0, n - wake - 1:, 1] = 0.0
    number = np.arange(n * (layers + 1)).reshape(layers + 1, n)
    points = [lines.reshape(-1, 2)]
    cells = block_cells(number.T).reshape(-1, 4)
    wall = number[0, :n - wake]
    edges = {"upper": line_edges(wall)}
    axis, outer = [line_edges(number[:, 0])], [line_edges(number[-1])]
    layout = {"topology": topology + " half", "shape": (n - 1, layers), "strip": None}
    if topology == "O":
        axis.append(line_edges(number[:, -1]))
    else:
        outer.append(line_edges(number[:, -1]))
    same = np.arange(number.size)
    if inner is not None:
        block = inner[::stride, ::stride]
        rows, columns = block.shape[:2]
        own = number.size + np.arange(rows * columns).reshape(rows, columns)
        same = np.concatenate([same, own.ravel()])
        same[own[-1]] = number[0, n - wake - 1:]
        points.append(block.reshape(-1, 2))
        cells = np.concatenate([cells, block_cells(own.T).transpose(1, 0, 2).reshape(-1, 4)])
        edges["base"] = line_edges(own[:, 0])
        axis.append(line_edges(own[0]))
        outer.append(line_edges(own[:, -1]))
        layout["strip"] = (rows, columns)
    elif topology == "C":
        axis.append(line_edges(number[0, n - wake - 1:]))
    edges["axis"], edges["far field"] = np.concatenate(axis), np.concatenate(outer)
    used, new = np.unique(same, return_inverse=True)
    walls = [name for name in ("upper", "base") if name in edges]
    return revolve(
        mesh_from_cells(
            np.concatenate(points)[used], new[cells], {name: new[pairs]
                                                       for name, pairs in edges.items()}, walls, layout))
