"""Planes stacked over the span: the points of a passage."""
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from scipy.interpolate import CubicSpline
from scipy.optimize import brentq

from ..blocks import block_cells
from ..mesh import MeshError
from .plane import blade_plane, corner_shift, two_sided

# Planes that are made; the others lie on splines through them.
CONTROL_PLANES, CONTROL_OPEN = 7, 11
SAMPLES = 801
# Over so many tip radii planes of an open rotor come to a common middle.
STRAIGHT_OVER = 1.0
# Planes of an open rotor are made over so many tip radii to both sides, and drawn out from a share of it on.
MADE_OVER, DRAWN_FROM = 3.0, 0.45
# Between the blades lines gather at the plane of rotation, within so many tip radii, by this share at most.
GATHERED_OVER, GATHERED_BY = 0.85, 0.55
THREADS = 2


@dataclass(frozen=True)
class SpanCounts:
    """Cells over the blade's span and over the gap above it (or beyond an open rotor's tip), and the heights
    at hub, tip and casing as shares of the span."""

    blade: int
    gap: int
    at_hub: float
    at_tip: float
    at_casing: float


@dataclass(frozen=True)
class Stack:
    """Points of a passage and how they hang together.

    Attributes
    ----------
    nodes : ndarray, shape (n_plane, n_levels, 3)
    cells : ndarray, shape (n_plane_cells, 4)
        Quadrilaterals of a plane, those inside the blade last.
    n_open : int
        How many stand beside the blade.
    tip_level : int
        From which level on there are cells inside the blade's section.
    low, high, inlet, outlet : ndarray of int
        Points of the plane along the two sides that repeat each other, and the two ends.
    pitch : float
    span : ndarray, shape (n_levels,)
    least_sine : float
    """

    nodes: np.ndarray
    cells: np.ndarray
    n_open: int
    tip_level: int
    low: np.ndarray
    high: np.ndarray
    inlet: np.ndarray
    outlet: np.ndarray
    pitch: float
    span: np.ndarray
    least_sine: float


def stack_planes(row, counts, spans, first, sweeps=1500):
    """Points of one passage of a row.

    Parameters
    ----------
    row : BladeRow
        See `shapes.blades`.
    counts : PlaneCounts
    spans : SpanCounts
    first : float
        Height of the cells at the blade, in the row's unit of length.
    sweeps : int

    Raises
    ------
    MeshError
        Where a plane folds; it names the span.
    """
    made_over = MADE_OVER * row.tip_radius
    x = np.linspace(*(-made_over, made_over) if row.is_open else (row.x_in, row.x_out), SAMPLES)
    control = row.control_spans(CONTROL_OPEN if row.is_open else CONTROL_PLANES)
    shift = corner_shift(row.section(0.5 * row.tip).stagger, counts, row.is_open)

    def plane(sigma):
        r = row.radius(x, sigma)
        m = np.concatenate([[0], np.cumsum(np.hypot(np.diff(x), np.diff(r)) / (0.5 * (r[1:] + r[:-1])))])
        m -= np.interp(0.0, x, m)
        r_ref = row.radius_at(sigma)
        section = row.section(min(sigma, row.tip))
        grid = blade_plane(section, row.pitch(sigma), (m[0] * r_ref, m[-1] * r_ref), counts,
                           first, shift, sweeps)
        if grid.least_sine <= 0:
            raise MeshError(
                f"the grid between the blades folds at {100 * sigma:.0f} % of the span, near x = "
                f"{grid.worst[0]:.4g} (in chords of mid-span). Fewer blades, less stagger or camber there, "
                "rounder edges, or more cells round the edges (grid.edge_cells) mend it.")
        flat = np.concatenate([
            grid.around.reshape(-1, 2), grid.ahead[:-1].reshape(-1, 2), grid.behind[1:].reshape(-1, 2),
            grid.inside[1:-1, 1:-1].reshape(-1, 2)
        ]) / r_ref
        at = CubicSpline(m, x)(np.clip(flat[:, 0], m[0], m[-1]))
        return np.stack([at, flat[:, 1] * r_ref], axis=1), grid.least_sine

    with ThreadPoolExecutor(THREADS) as pool:
        made = list(pool.map(plane, control))
    planes = np.stack([points for points, _ in made])
    span = _levels(row, spans)
    at = CubicSpline(control, planes)(np.minimum(span, control[-1]))
    ratio = np.array([row.radius_at(s) for s in span])
    # r theta is interpolated: it is smooth where theta is not. Beyond the last section of an open rotor x and
    # theta stay the same.
    beyond = np.array([row.radius_at(max(s, control[-1])) for s in span]) / row.radius_at(control[-1])
    along, theta = at[..., 0], at[..., 1] * beyond[:, None] / ratio[:, None]
    if row.is_open:
        along, theta = _in_the_open(along, theta, counts, x[-1], row)
    r = np.stack([row.radius(along[k], s) for k, s in enumerate(span)])
    nodes = np.stack([along, r * np.cos(theta), r * np.sin(theta)], axis=2).transpose(1, 0, 2).copy()
    has_gap = spans.gap > 0
    return _topology(nodes, counts, shift, span, 2 * np.pi / row.blades,
                     spans.blade if has_gap else spans.blade + 1, min(least for _, least in made))


def _in_the_open(x, theta, counts, end, row):
    """Places along the axis and angles as the air around a wheel wants them; planes were made up to `end`."""
    theta = _straightened(x, theta, counts, row)
    return _drawn_out(_gathered(x, theta, counts, row), end, row), theta


def _straightened(x, theta, counts, row):
    """Angles of all levels' points with the same middle up- and downstream of the blades, where those of a
    plane lie as its nose and tail do: over the span of an open rotor that twists the cells there."""
    c, middle = counts, x[0, :counts.ring * (counts.off + 1)].reshape(counts.ring, -1)[:, 0]
    front, rear, length = middle.min(), middle.max(), STRAIGHT_OVER * row.tip_radius
    first = c.ring * (c.off + 1)
    ahead, behind = slice(first, first + c.edge + 1), slice(first + (c.ahead + c.behind - 1) * (c.edge + 1),
                                                            first + (c.ahead + c.behind) * (c.edge + 1))
    out = theta.copy()
    for line, gone in ((ahead, front - x), (behind, x - rear)):
        t = np.clip(gone / length, 0, 1)
        out -= t**2 * (3 - 2 * t) * theta[:, line].mean(axis=1)[:, None]
    return out


def _gathered(x, theta, counts, row):
    """Places along the axis of all levels' points, closer to the plane of rotation between the blades, where
    the vortices of the blades ahead go by. What moves a point grows from nothing at a blade to the middle of
    the passage and depends on the place alone, so no cell can fold."""
    blade = theta[:, :counts.ring * (counts.off + 1)].reshape(len(theta), counts.ring, -1)[:, :, 0]
    low, high = blade.min(axis=1)[:, None], blade.max(axis=1)[:, None]
    half = np.pi / row.blades
    room = half - 0.5 * (high - low)
    off = np.abs((theta - 0.5 * (low + high) + half) % (2 * half) - half)
    t = np.clip((off - 0.5 * (high - low)) / np.maximum(room, 1e-9), 0, 1)
    u = np.clip(np.abs(x) / (GATHERED_OVER * row.tip_radius), 0, 1)
    return x * (1 - GATHERED_BY * t**2 * (3 - 2 * t) * (1 - u * u)**2)


def _drawn_out(x, end, row):
    """Places along the axis that reach from -`end` to `end`, drawn out (or together) to where the air ends:
    by steps that grow (or shrink) from cell to cell."""
    start, reach = DRAWN_FROM * end, row.x_out
    if abs(reach - end) < 1e-6 * end:
        return x
    grown = lambda rate, gone: np.expm1(rate * gone) / rate
    ends = (1e-6 / end, 50 / end) if reach > end else (-50 / end, -1e-6 / end)
    rate = brentq(lambda k: start + grown(k, end - start) - reach, *ends)
    gone = np.maximum(np.abs(x) - start, 0)
    return np.sign(x) * (np.abs(x) - gone + grown(rate, gone))


def _levels(row, s):
    """Spans of the levels."""
    tip = row.tip
    if s.gap == 0:
        return two_sided(s.blade, s.at_hub, s.at_casing)
    blade = two_sided(s.blade, s.at_hub / tip, s.at_tip / tip) * tip
    rest = 1 - tip
    above = two_sided(s.gap, min(s.at_tip / rest, 1 / s.gap), min(s.at_casing / rest, 4 / s.gap))
    return np.concatenate([blade, tip + above[1:] * rest])


def _topology(nodes, c, shift, span, pitch, tip_level, least):
    """Number the blocks' points; the lower points decide where the upper side is."""
    n, v = c.ring, np.arange(c.edge + 1)
    o = np.arange(n * (c.off + 1)).reshape(n, c.off + 1)
    ahead = o.size + np.arange(c.ahead * (c.edge + 1)).reshape(c.ahead, c.edge + 1)
    behind = ahead[-1, -1] + 1 + np.arange(c.behind * (c.edge + 1)).reshape(c.behind, c.edge + 1)
    inside = behind[-1, -1] + 1 + np.arange((c.side - 1) * (c.edge - 1)).reshape(c.side - 1, c.edge - 1)
    front = np.concatenate([ahead, o[(n - v) % n, c.off][None]])
    rear = np.concatenate([o[c.side + v, c.off][None], behind])
    # The ring was rolled by the shift: the blade's own point k stands at k + shift.
    own = lambda k: o[(k + shift) % n, 0]
    core = np.empty((c.side + 1, c.edge + 1), dtype=np.int64)
    core[1:-1, 1:-1] = inside
    core[:, 0], core[:, -1] = own(np.arange(c.side + 1)), own(c.top - np.arange(c.side + 1))
    core[0], core[-1] = own((n - v) % n), own(c.side + v)
    quads = lambda number: block_cells(number).reshape(-1, 4)
    ring = quads(np.concatenate([o, o[:1]]))[:, [0, 3, 2, 1]]
    cells = np.concatenate([ring, quads(front), quads(rear), quads(core)])
    low = np.concatenate([front[:-1, 0], o[:c.side + 1, c.off], rear[1:, 0]])
    high = np.concatenate([front[:-1, -1], o[c.top - np.arange(c.side + 1), c.off], rear[1:, -1]])
    cosine, sine = np.cos(pitch), np.sin(pitch)
    x, y, z = np.moveaxis(nodes[low], -1, 0)
    nodes[high] = np.stack([x, cosine * y - sine * z, sine * y + cosine * z], axis=-1)
    return Stack(nodes, cells, c.cells, tip_level, low, high, front[0], rear[-1], pitch, span, least)
