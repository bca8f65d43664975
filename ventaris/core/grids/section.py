"""Body-fitted grids round one section, at nested levels.

A section with a sharp or blunt trailing edge gets layers in the shape of a C
(round the nose, along both sides of the wake), a blunt one also a strip of cells
behind its base; a round one gets closed rings.  The fine grid is generated;
`medium` and `coarse` keep every second and fourth line of it, so that the three
levels are truly nested and a grid trend has a meaning.
"""
from dataclasses import dataclass

import numpy as np

from .blocks import block_cells, line_edges
from .hyperbolic import grow_layers
from .mesh import mesh_from_cells
from .spacing import distribute, geometric_line

LEVELS = ("coarse", "medium", "fine")
WAKE_OPENING = 0.12
STRIDE = {"coarse": 4, "medium": 2, "fine": 1}


@dataclass(frozen=True)
class SectionGridPlan:
    """What the generator is asked for; counts are for the fine level, lengths in chords.

    Attributes
    ----------
    around : int
        Cells along the section's outline (multiple of 8).
    layers : int
        Cells from the wall to the far field (multiple of 4).
    wake : int
        Cells along the wake (multiple of 4).
    first_height : float
    far_field : float
    nose_size, tail_size : float or None
        Cell lengths at the leading and trailing edge; None chooses them.
    """

    around: int = 208
    layers: int = 64
    wake: int = 48
    first_height: float = 2e-3
    far_field: float = 50.0
    nose_size: float | None = None
    tail_size: float | None = None

    def cells(self, level, topology="C"):
        """Number of cells at a level."""
        along = self.around + (2 * self.wake if topology == "C" else 0)
        return along * self.layers // STRIDE[level]**2


def topology_of(section):
    return "O" if section.trailing_edge == "round" else "C"


def generate_levels(section, plan, levels=LEVELS):
    """Generate nested meshes; returns {level: Mesh}."""
    lines, strip = generate_lines(section, plan)
    return {
        level: _mesh_of_lines(lines, strip, topology_of(section), STRIDE[level], plan.wake)
        for level in levels
    }


def tail_size(section, plan):
    """Cell at the trailing edge, chords."""
    return plan.tail_size or 0.16 * 1.9 * section.length / plan.around


def surface_points(section, plan):
    """Arc lengths of the grid points on the section, ends included, shape (around + 1,)."""
    measures_nose = section.curvature(section.leading_edge + np.linspace(-2e-3, 2e-3, 9)).mean()
    sharp_nose = any(abs(c - section.leading_edge) < 1e-9 for c in section.corners)
    nose_radius = 0.0 if sharp_nose else 1 / max(measures_nose, 1e-6)
    middle = 1.9 * section.length / plan.around
    nose = plan.nose_size or (0.25 * middle if sharp_nose else min(max(nose_radius / 7, 0.08 * middle), 0.5 *
                                                                   middle))
    tail = tail_size(section, plan)
    round_tail = section.trailing_edge == "round"

    def size(s):
        # Cells may grow by a fixed share of the distance to the edges that need small ones.
        rate = 0.13
        wanted = np.full_like(s, middle)
        bend = section.curvature(s)
        wanted = np.minimum(wanted, 0.30 / np.maximum(bend, 1e-9)**0.9 + 0.06 * middle)
        wanted = np.minimum(wanted, nose + rate * np.abs(s - section.leading_edge))
        if not round_tail:
            wanted = np.minimum(wanted, tail + rate * np.minimum(s, section.length - s))
        for corner in section.corners:
            wanted = np.minimum(wanted, 0.25 * middle + rate * np.abs(s - corner))
        return wanted

    if round_tail:
        return distribute(size, section.length, plan.around)
    # Leading edge and corners fall on points that all levels keep.
    fixed = sorted({0.0, section.leading_edge, section.length, *section.corners})
    return _distribute_between(size, fixed, section.leading_edge, plan.around)


def _distribute_between(size, fixed, nose, count):
    weights = []
    for a, b in zip(fixed[:-1], fixed[1:]):
        s = np.linspace(a, b, 2001)
        weights.append(np.trapezoid(1 / size(s), s))
    weights = np.array(weights)
    before = [b <= nose + 1e-12 for b in fixed[1:]]
    cells = np.zeros(len(weights), dtype=int)
    for side in (True, False):
        members = [k for k, front in enumerate(before) if front == side]
        cells[members] = _whole_shares(weights[members], count // 2)
    parts = [
        distribute(lambda s, a=a: size(s + a), b - a, n) + a for a, b, n in zip(fixed[:-1], fixed[1:], cells)
    ]
    return np.concatenate([parts[0]] + [p[1:] for p in parts[1:]])


def _whole_shares(weights, total):
    """Split `total` cells by weight into multiples of four, at least four each."""
    units = total // 4
    share = np.maximum(np.floor(weights / weights.sum() * units), 1).astype(int)
    while share.sum() < units:
        share[np.argmax(weights / share)] += 1
    while share.sum() > units:
        share[np.argmax(share)] -= 1
    return 4 * share


def generate_lines(section, plan):
    """Generate the fine grid lines.

    Returns
    -------
    lines : ndarray, shape (layers + 1, n, 2)
        Outward layers over the curve; a closed ring repeats its first point.
    strip : ndarray, shape (across + 1, wake + 1, 2) or None
        Points of the strip behind a blunt base, from its lower to its upper edge.
    """
    # Clockwise, so that the outside lies on the left.
    s = surface_points(section, plan)
    wall = section.at(s)[::-1]
    if section.trailing_edge == "round":
        ring = wall[:-1]
        heights = _heights(np.zeros(len(ring)), plan)
        lines = grow_layers(ring, heights, closed=True, smoothing=0.25, spread=0.08)
        return np.concatenate([lines, lines[:, :1]], axis=1), None
    wall[0], wall[-1] = section.loop[-1], section.loop[0]
    upper, lower = _wake_edges(section, plan, np.linalg.norm(wall[1] - wall[0]))
    curve = np.concatenate([lower[:0:-1], wall, upper[1:]])
    behind = np.concatenate([lower[:0:-1, 0], np.ones(len(wall)), upper[1:, 0]]) - 1
    lines = grow_layers(curve, _heights(np.maximum(behind, 0), plan), closed=False, smoothing=0.25,
                        spread=0.10)
    if section.trailing_edge != "blunt":
        return lines, None
    across = 4 * max(1, min(8, round(section.gap / (4 * 0.75 * max(plan.first_height, 1e-4)))))
    share = np.linspace(0, 1, across + 1)[:, None, None]
    return lines, (1 - share) * lower[None] + share * upper[None]


def _wake_edges(section, plan, first):
    """Upper and lower edge of the wake strip, each shape (wake + 1, 2); the same line behind a sharp edge."""
    top, bottom = section.loop[0], section.loop[-1]
    back = section.at([0.02, section.length - 0.02])
    slope_top, slope_bottom = top - back[0], bottom - back[1]
    bisector = slope_top / np.linalg.norm(slope_top) + slope_bottom / np.linalg.norm(slope_bottom)
    slope = float(np.clip(bisector[1] / bisector[0], -1.0, 1.0))
    x = geometric_line(first, plan.wake, plan.far_field)
    reach = 0.6
    middle = 0.5 * (top + bottom)
    y = slope * reach * (1 - np.exp(-x / reach))
    half = 0.5 * section.gap * (1 + 0.15 * np.sqrt(x))
    line = middle + np.stack([x, y], axis=1)
    across = np.stack([np.zeros_like(x), half], axis=1)
    upper, lower = line + across, line - across
    upper[0], lower[0] = top, bottom
    return upper, lower


def _heights(behind, plan):
    """Layer heights at each point of the curve, shape (layers, n).

    Off the wall the layers grow geometrically.  Along the wake the fan of layers opens
    gently (`WAKE_OPENING`), so that its cells do not become endlessly thin; a steeper
    opening would tilt the layers and make the lines behind the trailing edge cross.
    """
    outward = geometric_line(plan.first_height, plan.layers, plan.far_field)
    opened = np.tanh(np.arange(plan.layers + 1) / (0.3 * plan.layers)) * (1 - outward / plan.far_field)
    front = outward[:, None] + WAKE_OPENING * opened[:, None] * behind
    return np.diff(front, axis=0)


def _mesh_of_lines(lines, strip, topology, stride, wake):
    lines = lines[::stride, ::stride]
    wake = wake // stride if topology == "C" else 0
    n_layers, n = lines.shape[0] - 1, lines.shape[1]
    points = [lines.reshape(-1, 2)]
    number = np.arange(n * (n_layers + 1)).reshape(n_layers + 1, n)
    same = np.arange(number.size)
    if topology == "O":
        same[number[:, -1]] = number[:, 0]
    elif strip is None:
        same[number[0, :wake + 1]] = number[0, ::-1][:wake + 1]
    # Column by column off the wall: the implicit solver likes it.
    cells = block_cells(number.T).reshape(-1, 4)
    groups = _name_edges(number, topology, wake)
    if strip is not None:
        strip = strip[::stride, ::stride]
        strip_cells, base, outflow, same = _strip_block(strip.shape[:2], number, same)
        points.append(strip.reshape(-1, 2))
        cells = np.concatenate([cells, strip_cells])
        groups = {
            "lower": groups["lower"], "upper": groups["upper"], "base": base,
            "far field": np.concatenate([groups["far field"], outflow])
        }
    used, new = np.unique(same, return_inverse=True)
    layout = {
        "topology": topology, "shape": (n - 1, n_layers), "strip": None if strip is None else strip.shape[:2]
    }
    walls = [name for name in groups if name != "far field"]
    return mesh_from_cells(
        np.concatenate(points)[used], new[cells], {k: new[v]
                                                   for k, v in groups.items()}, walls, layout)


def _name_edges(number, topology, wake):
    """Point pairs of the boundary edges; clockwise from the trailing edge the lower side comes first."""
    n = number.shape[1]
    wall = number[0, wake:n - wake]
    half = (len(wall) - 1) // 2
    outer = [line_edges(number[-1])]
    if topology == "C":
        outer += [line_edges(number[:, k]) for k in (0, n - 1)]
    return {
        "lower": np.stack([wall[:half], wall[1:half + 1]], axis=1),
        "upper": np.stack([wall[half:-1], wall[half + 1:]], axis=1), "far field": np.concatenate(outer)
    }


def _strip_block(shape, number, same):
    """Cells behind a blunt base, joined to the first line of the C."""
    wake = shape[1] - 1
    block = len(same) + np.arange(shape[0] * shape[1]).reshape(shape)
    same = np.concatenate([same, block.ravel()])
    same[block[0]] = number[0, :wake + 1][::-1]
    same[block[-1]] = number[0, ::-1][:wake + 1][::-1]
    cells = block_cells(block.T).transpose(1, 0, 2).reshape(-1, 4)
    base, outflow = (line_edges(same[block[:, k]]) for k in (0, -1))
    return cells, base, outflow, same
