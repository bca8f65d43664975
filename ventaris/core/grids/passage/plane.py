"""The grid of one blade-to-blade plane: an O block round the blade, H blocks up- and downstream.

Plane coordinates are a = r_ref * integral of ds / r along the stream surface and b = r_ref * theta, so that
angles are those on the surface.

The ring of the O block runs counter-clockwise: along the lower side from nose to tail, round the tail, along
the upper side back, round the nose. Its corners stand off the nose and the tail; with the stagger they wander
round them, or the lines to them would cross.

References
----------
Winslow: Numerical solution of the quasilinear Poisson equation in a nonuniform triangle mesh, J. Comput.
Phys. 1, 1966.
Vinokur: On one-dimensional stretching functions for finite-difference calculations, J. Comput. Phys. 50,
1983.
"""
from dataclasses import dataclass

import numpy as np
from numba import njit
from scipy.interpolate import CubicSpline, PchipInterpolator

from ..blocks import arc_length

# Cells at an edge of the blade are this share of its radius; the layers' end stands at this many mean steps.
AT_EDGE, OUTER_STEP = 0.35, 2.2
# Lines leave the wall at right angles over this share of their length, and no more than so many chords.
STRAIGHT, STRAIGHT_CHORDS = 0.35, 0.5
# Smoothing ends when no point moves further than this share of chord and pitch in a sweep.
STILL = 2e-4
RELAXATION, SOFTENING_SWEEPS = 0.9, 6
# From this stagger on a blade lies in the plane of rotation: the corners of the O block stand off its sides.
LYING = np.radians(75)
# In the open: points of half the ring over those by which the corners wander.
OPEN_SHIFT = 2.4


@dataclass(frozen=True)
class PlaneCounts:
    """Cells of a plane.

    Attributes
    ----------
    side : int
        Along each side of the blade between the corners of the O block.
    edge : int
        Round nose and tail; also from blade to blade in the H blocks.
    off : int
        From the blade outwards.
    ahead, behind : int
    """

    side: int
    edge: int
    off: int
    ahead: int
    behind: int

    @property
    def ring(self):
        return 2 * (self.side + self.edge)

    @property
    def top(self):
        """Where on the ring the upper line of the passage begins."""
        return 2 * self.side + self.edge

    @property
    def cells(self):
        return self.ring * self.off + (self.ahead + self.behind) * self.edge


@dataclass(frozen=True)
class PlaneGrid:
    """Points of a plane.

    Attributes
    ----------
    around : ndarray, shape (ring, off + 1, 2)
    ahead, behind : ndarray, shape (ahead + 1 or behind + 1, edge + 1, 2)
    inside : ndarray, shape (side + 1, edge + 1, 2)
        Of the section itself, for the gap above a tip.
    least_sine : float
        Of all corners; negative where a cell is folded.
    """

    around: np.ndarray
    ahead: np.ndarray
    behind: np.ndarray
    inside: np.ndarray
    least_sine: float
    worst: np.ndarray


def two_sided(count, first, last):
    """count + 1 shares from 0 to 1 with the given first and last steps, after Vinokur."""
    if count == 1:
        return np.array([0.0, 1.0])
    first, last = min(first, 0.9), min(last, 0.9)
    a, b = np.sqrt(last / first), 1.0 / (count * np.sqrt(first * last))
    xi = np.linspace(0, 1, count + 1)
    u = xi
    if b > 1.001:
        d = np.sqrt(6 * (b - 1)) if b < 2.8 else np.log(2 * b) + np.log(np.log(2 * b))
        for _ in range(30):
            d -= (np.sinh(d) / d - b) / ((d * np.cosh(d) - np.sinh(d)) / d**2)
        u = 0.5 * (1 + np.tanh(d * (xi - 0.5)) / np.tanh(0.5 * d))
    elif b < 0.999:
        d = np.sqrt(6 * (1 - b)) if b > 0.3 else np.pi * (1 - b)
        for _ in range(50):
            d = min(max(d - (np.sin(d) / d - b) / ((d * np.cos(d) - np.sin(d)) / d**2), 0.01), 3.1)
        u = 0.5 * (1 + np.tan(d * (xi - 0.5)) / np.tan(0.5 * d))
    return u / (a + (1 - a) * u)


def points_along(curve, shares):
    """Points of a curve at shares of its length, shape (n, 2)."""
    length = arc_length(curve)
    return np.stack([np.interp(shares * length[-1], length, curve[:, k]) for k in range(2)], axis=1)


def corner_shift(stagger, counts, is_open=False):
    """By how many points the corners of the O block wander round the edges, for a stagger in radians.

    Around the blades of open rotors, at all spans alike, they stand well round the noses: of the shares tried
    on a propeller, a wind wheel and a hovering rotor this one never folded a plane.
    """
    if is_open:
        return int(np.sign(stagger) * (counts.side + counts.edge) / OPEN_SHIFT)
    if abs(stagger) > LYING:
        return int(np.sign(stagger)) * (counts.side + counts.edge) // 2
    return int(round(counts.edge * stagger / (0.5 * np.pi)))


def blade_plane(section, pitch, ends, counts, first, shift, sweeps=1500):
    """Grid of one plane.

    Parameters
    ----------
    section : BladeSection
    pitch : float
    ends : tuple
        Where the plane begins and ends.
    counts : PlaneCounts
    first : float
        Height of the cells at the blade.
    shift : int
        See `corner_shift`; the same for all planes of a passage.
    sweeps : int
        Most sweeps of the smoothing.

    Returns
    -------
    PlaneGrid
    """
    c, lift = counts, np.array([0.0, pitch])
    ring = _ring(section, c)
    inside = _inside(ring, c)
    ring = np.roll(ring, shift, axis=0)
    around, ahead, behind = _first_guess(section, ring, pitch, ends, c)
    smooth(around, ahead, behind, c.side, c.edge, pitch, sweeps, RELAXATION,
           STILL * min(pitch, section.chord))
    around = _spread(around, ring, first, STRAIGHT_CHORDS * section.chord, c)
    around[c.top:c.side + c.edge - 1:-1, c.off] = around[:c.side + 1, c.off] + lift
    soften(around, SOFTENING_SWEEPS)
    least, worst = _least_sine(np.concatenate([around, around[:1]])[:, ::-1], ahead, behind)
    return PlaneGrid(around, ahead, behind, inside, least, worst)


def _ring(section, c):
    half, total, sides = c.edge // 2, c.side + c.edge, []
    for curve in (section.lower, section.upper):
        step = AT_EDGE * section.edge * section.chord / arc_length(curve)[-1]
        sides.append(points_along(curve, two_sided(total, step, step)))
    lower, upper = sides[0], sides[1][::-1]
    return np.concatenate([lower[half:], upper[1:], lower[1:half]])


def _first_guess(section, ring, pitch, ends, c):
    """Straight lines from the blade to the camber line moved by half a pitch up and down."""
    chord, camber = section.chord, section.camber
    nose, tail = camber[0], camber[-1]
    reach = min(0.3 * pitch, 0.45 * min(nose[0] - ends[0], ends[1] - tail[0]))
    front, rear = nose[0] - reach, tail[0] + reach
    step = max(len(camber) // 24, 1)
    inner = camber[::step]
    rise = []
    for slope, sign in ((camber[5] - camber[0], -1.0), (camber[-1] - camber[-6], 1.0)):
        rise.append(sign * 0.6 * reach * slope[1] / max(slope[0], 0.3 * np.hypot(*slope)))
    a = np.concatenate([[ends[0], 0.5 * (ends[0] + front), front], inner[:, 0],
                        [tail[0], rear, 0.5 * (rear + ends[1]), ends[1]]])
    b = np.concatenate([3 * [nose[1] + rise[0]], inner[:, 1], [tail[1]], 3 * [tail[1] + rise[1]]])
    keep = np.concatenate([[True], a[1:] > np.maximum.accumulate(a)[:-1] + 1e-6 * chord])
    line = PchipInterpolator(a[keep], b[keep])
    lift = np.array([0.0, pitch])
    at = np.linspace(front, rear, c.side + 1)
    bottom = np.stack([at, line(at) - 0.5 * pitch], axis=1)
    across = np.linspace(0, 1, c.edge + 1)[:, None] * lift
    outer = np.concatenate(
        [bottom, (bottom[-1] + across)[1:-1], bottom[::-1] + lift, (bottom[0] + across)[-2:0:-1]])
    t = np.linspace(0, 1, c.off + 1)[None, :, None]**1.3
    around = ring[:, None] * (1 - t) + outer[:, None] * t
    blocks = []
    for at in (np.linspace(ends[0], front, c.ahead + 1), np.linspace(rear, ends[1], c.behind + 1)):
        v = np.linspace(-0.5, 0.5, c.edge + 1) * pitch
        blocks.append(np.stack(np.broadcast_arrays(at[:, None], line(at)[:, None] + v[None]), axis=2).copy())
    return around, *blocks


def _spread(around, ring, first, reach, c):
    """Points of each line off the blade anew: thin at the wall, which it leaves at right angles."""
    tangent = np.roll(ring, -1, axis=0) - np.roll(ring, 1, axis=0)
    tangent /= np.hypot(*tangent.T)[:, None]
    outward = np.stack([tangent[:, 1], -tangent[:, 0]], axis=1)
    out = np.empty_like(around)
    for i, line in enumerate(around):
        length = arc_length(line)
        total = length[-1]
        s = two_sided(c.off, first / total, OUTER_STEP / c.off) * total
        base = CubicSpline(length, line)(s)
        t = np.clip(s / min(STRAIGHT * total, reach), 0, 1)
        share = ((1 - t)**2 * (1 + 2 * t))[:, None]
        out[i] = share * (line[0] + s[:, None] * outward[i]) + (1 - share) * base
    return out


def _inside(ring, c):
    """Points inside the section, between its sides."""
    i, v = np.arange(c.side + 1), np.arange(c.edge + 1)
    low, high = ring[i], ring[c.top - i]
    lead, trail = ring[(c.ring - v) % c.ring], ring[c.side + v]
    s = (i / c.side)[:, None, None]
    shares = []
    for line in (lead, trail):
        length = arc_length(line)
        shares.append(length / length[-1])
    t = (0.5 * (shares[0] + shares[1]))[None, :, None]
    bulge = lambda x: (x - x[0] - t[0] * (x[-1] - x[0]))[None]
    out = (1 - t) * low[:, None] + t * high[:, None] + (1 - s)**8 * bulge(lead) + s**8 * bulge(trail)
    for _ in range(3):
        out[1:-1, 1:-1] = 0.5 * out[1:-1, 1:-1] + 0.125 * (out[2:, 1:-1] + out[:-2, 1:-1] + out[1:-1, 2:] +
                                                           out[1:-1, :-2])
    return out


def _least_sine(*blocks):
    """Smallest sine of the corners of all quadrilaterals, signed by their orientation, and where it is."""
    least, worst = np.inf, None
    for points in blocks:
        a, b, c, d = points[:-1, :-1], points[1:, :-1], points[1:, 1:], points[:-1, 1:]
        for p, q, r in ((a, b, d), (b, c, a), (c, d, b), (d, a, c)):
            e, f = q - p, r - p
            sine = (e[..., 0] * f[..., 1] - e[..., 1] * f[..., 0]) / np.maximum(
                np.hypot(e[..., 0], e[..., 1]) * np.hypot(f[..., 0], f[..., 1]), 1e-300)
            at = np.unravel_index(np.argmin(sine), sine.shape)
            if sine[at] < least:
                least, worst = float(sine[at]), p[at]
    return least, worst


@njit(inline="always")
def winslow(wx, wy, ex, ey, sx, sy, nx, ny, swx, swy, sex, sey, nwx, nwy, nex, ney):
    """New place of a point by alpha x_xixi - 2 beta x_xieta + gamma x_etaeta = 0."""
    xi0, xi1, et0, et1 = 0.5 * (ex - wx), 0.5 * (ey - wy), 0.5 * (nx - sx), 0.5 * (ny - sy)
    al, be, ga = et0 * et0 + et1 * et1, xi0 * et0 + xi1 * et1, xi0 * xi0 + xi1 * xi1
    scale = 0.5 / (al + ga + 1e-300)
    return (scale * (al * (ex + wx) + ga * (nx + sx) - 0.5 * be * (nex - nwx - sex + swx)),
            scale * (al * (ey + wy) + ga * (ny + sy) - 0.5 * be * (ney - nwy - sey + swy)))


@njit(cache=True, nogil=True)
def smooth(around, ahead, behind, side, edge, pitch, sweeps, relax, enough):
    """Relax the whole plane point by point; returns the sweeps it took.

    Lines between blocks and the sides that repeat each other float, through their neighbours' images; the
    blade stays, inlet and outlet slide as a whole with their neighbours.
    """
    n, last = around.shape[0], around.shape[1] - 1
    n_ahead, n_behind = ahead.shape[0] - 1, behind.shape[0] - 1
    top = 2 * side + edge
    # Points beyond the outer line of the O block.
    halo = np.empty((n, 2))
    for sweep in range(sweeps):
        most = 0.0
        for q in range(side + 1):
            halo[q, 0], halo[q, 1] = around[(top - q) % n, last - 1,
                                            0], around[(top - q) % n, last - 1, 1] - pitch
        for v in range(edge + 1):
            halo[(n - v) % n, 0], halo[(n - v) % n, 1] = ahead[n_ahead - 1, v, 0], ahead[n_ahead - 1, v, 1]
            halo[side + v, 0], halo[side + v, 1] = behind[1, v, 0], behind[1, v, 1]
        for i in range(n):
            w, e = (i - 1) % n, (i + 1) % n
            corner = i == side or i == 0 or i == top or i == side + edge
            outermost = last - 1 if corner or side + edge < i < top else last
            for j in range(1, outermost + 1):
                if j < last:
                    nx, ny = around[i, j + 1, 0], around[i, j + 1, 1]
                    ax, ay = around[w, j + 1, 0], around[w, j + 1, 1]
                    bx, by = around[e, j + 1, 0], around[e, j + 1, 1]
                else:
                    nx, ny, ax, ay, bx, by = halo[i, 0], halo[i, 1], halo[w, 0], halo[w, 1], halo[e,
                                                                                                  0], halo[e,
                                                                                                           1]
                    if i == 1:
                        ax, ay = around[top, last - 1, 0], around[top, last - 1, 1] - pitch
                    if i == side - 1:
                        bx, by = around[side + edge, last - 1, 0], around[side + edge, last - 1, 1] - pitch
                    if i == side + 1:
                        ax, ay = behind[1, 0, 0], behind[1, 0, 1]
                    if i == n - 1:
                        bx, by = ahead[n_ahead - 1, 0, 0], ahead[n_ahead - 1, 0, 1]
                x, y = winslow(around[w, j, 0], around[w, j, 1], around[e, j, 0], around[e, j, 1],
                               around[i, j - 1, 0], around[i, j - 1, 1], nx, ny, around[w, j - 1, 0],
                               around[w, j - 1, 1], around[e, j - 1, 0], around[e, j - 1, 1], ax, ay, bx, by)
                dx, dy = relax * (x - around[i, j, 0]), relax * (y - around[i, j, 1])
                around[i, j, 0] += dx
                around[i, j, 1] += dy
                most = max(most, abs(dx) + abs(dy))
        # The six edges that meet in each corner.
        for k in range(2):
            lift = pitch if k == 1 else 0.0
            own = (around[1, last, k] + around[n - 1, last, k] + around[0, last - 1, k] +
                   around[top, last - 1, k] + around[top + 1, last, k] - 2 * lift +
                   ahead[n_ahead - 1, 0, k]) / 6
            around[0, last, k] += relax * (own - around[0, last, k])
            own = (around[side - 1, last, k] + around[side + 1, last, k] + around[side, last - 1, k] +
                   around[side + edge, last - 1, k] + around[side + edge - 1, last, k] - 2 * lift +
                   behind[1, 0, k]) / 6
            around[side, last, k] += relax * (own - around[side, last, k])
        for i in range(side + 1):
            around[top - i, last, 0], around[top - i, last, 1] = around[i, last,
                                                                        0], around[i, last, 1] + pitch
        for v in range(edge + 1):
            for k in range(2):
                ahead[n_ahead, v, k], behind[0, v, k] = around[(n - v) % n, last, k], around[side + v, last,
                                                                                             k]
        slide_in = ahead[1, 0, 1] - ahead[0, 0, 1]
        slide_out = behind[n_behind - 1, 0, 1] - behind[n_behind, 0, 1]
        for v in range(edge + 1):
            ahead[0, v, 1] += slide_in
            behind[n_behind, v, 1] += slide_out
        _relax_block(ahead, edge, pitch, relax)
        _relax_block(behind, edge, pitch, relax)
        if most < enough:
            return sweep
    return sweeps


@njit(cache=True, nogil=True)
def _relax_block(block, edge, pitch, relax):
    """One sweep over a block whose two sides repeat each other."""
    for u in range(1, block.shape[0] - 1):
        for v in range(edge):
            q, lift = (v - 1, 0.0) if v > 0 else (edge - 1, pitch)
            x, y = winslow(block[u - 1, v, 0], block[u - 1, v, 1], block[u + 1, v, 0], block[u + 1, v, 1],
                           block[u, q, 0], block[u, q, 1] - lift, block[u, v + 1, 0], block[u, v + 1, 1],
                           block[u - 1, q, 0], block[u - 1, q, 1] - lift, block[u + 1, q,
                                                                                0], block[u + 1, q, 1] - lift,
                           block[u - 1, v + 1, 0], block[u - 1, v + 1, 1], block[u + 1, v + 1,
                                                                                 0], block[u + 1, v + 1, 1])
            block[u, v, 0] += relax * (x - block[u, v, 0])
            block[u, v, 1] += relax * (y - block[u, v, 1])
        block[u, edge, 0], block[u, edge, 1] = block[u, 0, 0], block[u, 0, 1] + pitch


@njit(cache=True, nogil=True)
def soften(around, sweeps):
    """A few averaging sweeps along the lines round the blade, the more the further from the wall: takes kinks
    out of lines that were spread anew."""
    n, last = around.shape[0], around.shape[1] - 1
    for _ in range(sweeps):
        old = around.copy()
        for i in range(n):
            w, e = (i - 1) % n, (i + 1) % n
            for j in range(2, last):
                share = 0.5 * min(1.0, (j / (0.5 * last))**2)
                for k in range(2):
                    around[i, j, k] = (1 - share) * old[i, j, k] + 0.5 * share * (old[w, j, k] + old[e, j, k])
