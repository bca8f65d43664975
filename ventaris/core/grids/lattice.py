"""Grids whose lines run along and across a stream: a duct alone, or a nozzle with the air around its jet.

One lattice of lines covers the whole half plane; the cells inside the nozzle's wall are left out.
`medium` and `coarse` keep every second and fourth line.
"""
from dataclasses import dataclass

import numpy as np

from .blocks import block_cells, line_edges, used_only
from .mesh import mesh_from_cells, revolve
from .spacing import distribute, geometric_line
from .section import LEVELS, STRIDE


@dataclass(frozen=True)
class NozzleGridPlan:
    """What the generator is asked for; counts are for the fine level and multiples of 4, lengths in reference
    lengths.

    Attributes
    ----------
    along : int
        Cells along the nozzle.
    across : int
        Cells from the axis to its wall.
    first_height : float or None
        Of the first cell at the wall; None spaces them evenly.
    jet : int
        Cells along the jet; 0 ends the grid at the exit.
    lip : int
        Cells across the lip.
    outside : int
        Cells from the outer wall to the border.
    lip_thickness, ahead, reach, width : float
        How thick the lip is, how far the air around reaches ahead of the exit, behind it (or to the plate),
        and sideways.
    plate : bool
        Whether the jet's end is a wall that wants thin cells.
    revolved : bool
    ports : tuple of (name, start, end)
        Stretches of the wall that are open.
    """

    along: int = 160
    across: int = 32
    first_height: float | None = None
    jet: int = 0
    lip: int = 4
    outside: int = 40
    lip_thickness: float = 0.05
    ahead: float = 2.0
    reach: float = 20.0
    width: float = 8.0
    plate: bool = False
    revolved: bool = True
    ports: tuple = ()

    def cells(self, level):
        """Number of cells at a level, within some per cent where air surrounds the nozzle."""
        inside = self.along * self.across
        if self.jet:
            inside += self.jet * (self.across + self.lip + self.outside) + self.along * self.outside
        return inside // STRIDE[level]**2


def generate_levels(contour, scale, plan, levels=LEVELS):
    """{level: Mesh} round a `NozzleContour`; lengths over `scale` metres."""
    lines = _lines(contour, scale, plan)
    return {level: _mesh(lines, plan, STRIDE[level]) for level in levels}


@dataclass
class _Lines:
    """The lattice at its finest: points, and where its blocks begin."""

    points: np.ndarray
    at_exit: int
    at_wall: int
    at_outside: int
    first_outside: int


def _stations(contour, scale, plan):
    """Stations along the nozzle, finer where its radius is small or its slope changes, shape (along + 1,)."""
    length, neck = contour.length / scale, contour.throat[1] / scale

    def size(s):
        wanted = 0.5 + 0.5 * np.minimum(contour.radius(s * scale) / scale / neck, 3.0)
        if plan.jet:
            wanted = np.minimum(wanted, 0.25 + 0.6 * (length - s) / neck)
        for _, start, end in plan.ports:
            middle, half = 0.5 * (start + end), 0.5 * (end - start)
            wanted = np.minimum(wanted, 0.2 + 0.4 * np.maximum(np.abs(s - middle) - half, 0) / half)
        return wanted

    x = distribute(size, length, plan.along)
    for _, start, end in plan.ports:
        # The ends of a port lie on lines that every level keeps.
        for edge in (start, end):
            keep = 4 * int(np.clip(np.round(np.argmin(np.abs(x - edge)) / 4), 1, plan.along // 4 - 1))
            x = _pull(x, keep, edge)
    return x


def _pull(x, index, to):
    """Move one station and let its neighbours follow, ends kept."""
    share = np.where(np.arange(len(x)) <= index, x / x[index], (x[-1] - x) / (x[-1] - x[index]))
    return x + (to - x[index]) * np.clip(share, 0, 1)


def _across(plan, radius):
    """Shares of the radius at which the lines across the nozzle stand, shape (across + 1,)."""
    if plan.first_height is None:
        return np.linspace(0, 1, plan.across + 1)
    first = min(plan.first_height / radius, 1 / plan.across)
    return 1 - geometric_line(first, plan.across, 1.0)[::-1]


def _lines(contour, scale, plan):
    x = _stations(contour, scale, plan)
    radius = contour.radius(x * scale) / scale
    share = _across(plan, contour.exit_radius / scale)
    inside = np.stack([np.broadcast_to(x[:, None], (len(x), len(share))), radius[:, None] * share], axis=2)
    if not plan.jet:
        return _Lines(inside, plan.along, plan.across, plan.across, plan.along)
    exit_radius = radius[-1]
    last = x[-1] - x[-2]
    behind = x[-1] + _jet_stations(plan, last)
    both = np.concatenate([x, behind[1:]])
    first = min(plan.first_height or exit_radius / plan.across, 0.25 * plan.lip_thickness)
    out = geometric_line(max(first, 1e-6), plan.outside, plan.width)
    lip = np.linspace(0, plan.lip_thickness, plan.lip + 1)
    wall = np.concatenate([radius, np.full(plan.jet, exit_radius)])
    inner = wall[:, None] * share
    middle = wall[:, None] + lip[1:]
    # Lines outside straighten out to the border.
    blend = (out / plan.width)[1:]
    outer = (wall[:, None] + plan.lip_thickness) * (1 - blend) + (exit_radius +
                                                                  plan.lip_thickness) * blend + out[1:]
    r = np.concatenate([inner, middle, outer], axis=1)
    points = np.stack([np.broadcast_to(both[:, None], r.shape), r], axis=2)
    start = 4 * int(np.round(np.argmin(np.abs(x - (x[-1] - plan.ahead))) / 4))
    return _Lines(points, plan.along, plan.across, plan.across + plan.lip, min(start, plan.along - 4))


def _jet_stations(plan, first):
    """Distances behind the exit; towards a plate the cells grow thin again."""
    if not plan.plate:
        return geometric_line(min(first, plan.reach / plan.jet), plan.jet, plan.reach)
    near = plan.first_height or 0.3 * plan.reach / plan.jet

    def size(s):
        return np.minimum(np.minimum(first + 0.12 * s, near + 0.12 * (plan.reach - s)),
                          2.5 * plan.reach / plan.jet)

    return distribute(size, plan.reach, plan.jet)


def _mesh(lines, plan, stride):
    points = lines.points[::stride, ::stride]
    ni, nj = points.shape[0] - 1, points.shape[1] - 1
    at_exit, wall, outside, first = (n // stride for n in (lines.at_exit, lines.at_wall, lines.at_outside,
                                                           lines.first_outside))
    number = np.arange((ni + 1) * (nj + 1)).reshape(ni + 1, nj + 1)
    i, j = np.indices((ni, nj))
    present = (j < wall) | (i >= at_exit) | (j >= outside) & (i >= first)
    cells = block_cells(number)[present]
    order = np.full((ni, nj), -1, dtype=np.int64)
    order[present] = np.arange(len(cells))
    edges = {"axis" if plan.revolved else "symmetry": line_edges(number[:, 0])}
    edges.update(_wall_edges(number[:at_exit + 1, wall], plan, points[:at_exit + 1, wall, 0]))
    walls = ["wall"]
    edges["inlet"] = line_edges(number[0, :wall + 1])
    if plan.jet:
        edges["lip"], edges["outside"] = line_edges(number[at_exit, wall:outside + 1]), line_edges(
            number[first:at_exit + 1, outside])
        walls += ["lip", "outside"]
        edges["plate" if plan.plate else "downstream"] = line_edges(number[-1])
        walls += ["plate"] if plan.plate else []
        edges["surroundings"] = np.concatenate([line_edges(number[first:, -1])])
        edges["behind"] = line_edges(number[first, outside:])
    else:
        edges["outlet"] = line_edges(number[-1])
    edges = {name: pairs for name, pairs in edges.items() if len(pairs)}
    walls = [name for name in walls if name in edges]
    layout = {"topology": "lattice", "order": order, "at_exit": at_exit, "at_wall": wall}
    mesh = mesh_from_cells(*used_only(points.reshape(-1, 2), cells, edges), walls, layout)
    return revolve(mesh) if plan.revolved else mesh


def _wall_edges(line, plan, x):
    """The nozzle's wall and the ports in it."""
    pairs, middle = line_edges(line), 0.5 * (x[:-1] + x[1:])
    open_ = np.zeros(len(pairs), dtype=bool)
    out = {}
    for name, start, end in plan.ports:
        here = (middle > start) & (middle < end)
        open_ |= here
        out[name] = pairs[here]
    return {"wall": pairs[~open_], **out}
