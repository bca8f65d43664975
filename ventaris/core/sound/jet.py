"""A jet in time: axisymmetric flow of high order on a stretched grid, for its noise.

Fifth-order weighted essentially non-oscillatory reconstruction of the primitive variables, HLLC fluxes, three
Runge-Kutta stages, single precision.  The nozzle is a pipe of no length: air of the exit's state enters at x
= 0 below r = 1/2, a lip of some thickness stands above it and reaches to the upstream border.  Lengths are
scaled by the exit's diameter, speeds by the ambient speed of sound, density by the ambient one; the pressure
is absolute, 1/gamma at rest.  Viscosity is constant and acts on every velocity by itself (the Laplacian part
of the stress), with the matching heat.

Sound leaves sideways and upstream through matched layers: the coordinate across the layer is stretched into
the complex plane, x + (1/(i omega)) times the integral of sigma, so that waves of every angle and frequency
decay and none turns back.  In time 1 / (1 + sigma/(i omega)) takes from a derivative what a filter has seen
of it; the radius over which rings grow is stretched as well. The filters' slow means are given back, so that
steady flow passes.  Downstream, where eddies leave, the air is led to its running mean.

References
----------
Borges, Carmona, Costa, Don: An improved weighted essentially non-oscillatory scheme, J. Comput. Phys. 227,
2008.
Toro, Spruce, Speares: Restoration of the contact surface in the HLL-Riemann solver, Shock Waves 4, 1994.
Berenger: A perfectly matched layer for the absorption of electromagnetic waves, J. Comput. Phys. 114, 1994.
Teixeira, Chew: Systematic derivation of anisotropic PML absorbing media in cylindrical and spherical
coordinates, IEEE Microw. Guid. Wave Lett. 7, 1997.
Shu, Osher: Efficient implementation of essentially non-oscillatory shock-capturing schemes, J. Comput. Phys.
77, 1988.
"""
import numpy as np
from numba import njit, prange

f4 = np.float32
GAMMA = f4(1.4)
G1 = f4(0.4)
PRANDTL = f4(0.72)
fast = dict(cache=True, error_model="numpy", fastmath={"nsz", "arcp", "contract", "afn", "reassoc"})
HALO = 3
# Columns that are worked on together; about as many as fill the first cache.
BLOCK = 64


@njit(**fast)
def weno(a, b, c, d, e):
    """Values at the left and the right face of the middle one of five cells, from the same measures of
    smoothness."""
    t0, t1, t2 = a - f4(2.0) * b + c, b - f4(2.0) * c + d, c - f4(2.0) * d + e
    v0, v1, v2 = a - f4(4.0) * b + f4(3.0) * c, b - d, f4(3.0) * c - f4(4.0) * d + e
    s0 = f4(13.0 / 12.0) * t0 * t0 + f4(0.25) * v0 * v0 + f4(1e-10)
    s1 = f4(13.0 / 12.0) * t1 * t1 + f4(0.25) * v1 * v1 + f4(1e-10)
    s2 = f4(13.0 / 12.0) * t2 * t2 + f4(0.25) * v2 * v2 + f4(1e-10)
    # One division for all three ratios.
    share = abs(s0 - s2) / (s0 * s1 * s2)
    r0, r1, r2 = share * s1 * s2, share * s0 * s2, share * s0 * s1
    o0, o1, o2 = f4(1.0) + r0 * r0, f4(6.0) * (f4(1.0) + r1 * r1), f4(1.0) + r2 * r2
    right = (o0 * (f4(2.0) * a - f4(7.0) * b + f4(11.0) * c) + o1 *
             (-b + f4(5.0) * c + f4(2.0) * d) + f4(3.0) * o2 *
             (f4(2.0) * c + f4(5.0) * d - e)) / (f4(6.0) * (o0 + o1 + f4(3.0) * o2))
    left = (f4(3.0) * o0 * (-a + f4(5.0) * b + f4(2.0) * c) + o1 * (f4(2.0) * b + f4(5.0) * c - d) + o2 *
            (f4(11.0) * c - f4(7.0) * d + f4(2.0) * e)) / (f4(6.0) * (f4(3.0) * o0 + o1 + o2))
    return left, right


# Plain loops over one array each: the compiler turns them into vector code, which it does not where it must
# compare many arrays for overlap.
@njit(**fast)
def reconstruct_along(row, n, left, right):
    """`weno` of n cells of a row whose first cell is the third of it."""
    for k in range(n):
        left[k], right[k] = weno(row[k], row[k + 1], row[k + 2], row[k + 3], row[k + 4])


@njit(**fast)
def reconstruct_across(rows, n, left, right):
    """`weno` of the n cells of the middle one of five rows, which stand BLOCK apart in `rows`."""
    for k in range(n):
        left[k], right[k] = weno(rows[k], rows[k + BLOCK], rows[k + 2 * BLOCK], rows[k + 3 * BLOCK],
                                 rows[k + 4 * BLOCK])


@njit(parallel=True, **fast)
def primitives(u, w):
    """[rho, u, v, p] of the conserved variables, both shape (4, nr, nx)."""
    for j in prange(u.shape[1]):
        for i in range(u.shape[2]):
            rho = u[0, j, i]
            vx, vr = u[1, j, i] / rho, u[2, j, i] / rho
            w[0, j, i], w[1, j, i], w[2, j, i] = rho, vx, vr
            w[3, j, i] = G1 * (u[3, j, i] - f4(0.5) * rho * (vx * vx + vr * vr))


@njit(**fast)
def face_fluxes(left, right, below, above, normal, n, friction, flux):
    """Fluxes of mass, momentum and energy through n faces: HLLC, and friction.

    Free of branches, so that the compiler turns it into vector code.

    Parameters
    ----------
    left, right, below, above : ndarray, shape (4, >= n)
        States reconstructed on both sides of the faces, and of the cells on both sides.
    normal : int
        Row of the normal velocity.
    friction : ndarray, shape (>= n,)
        Viscosity over the distance of the cells' centres; zero where a face carries no friction.
    flux : ndarray, shape (4, >= n)
        Written.
    """
    tangent = 3 - normal
    for k in range(n):
        rl, ul, vl, pl = left[0, k], left[normal, k], left[tangent, k], left[3, k]
        rr, ur, vr, pr = right[0, k], right[normal, k], right[tangent, k], right[3, k]
        # One division a side gives one over its density and one over its pressure.
        both_l, both_r = f4(1.0) / (rl * pl), f4(1.0) / (rr * pr)
        over_l, over_r = pl * both_l, pr * both_r
        al, ar = np.sqrt(GAMMA * pl * over_l), np.sqrt(GAMMA * pr * over_r)
        star = max(f4(0.5) * (pl + pr) - f4(0.125) * (ur - ul) * (rl + rr) * (al + ar), f4(1e-5))
        sl = ul - al * np.sqrt(f4(1.0) + f4(6.0 / 7.0) * max(star * rl * both_l - f4(1.0), f4(0.0)))
        sr = ur + ar * np.sqrt(f4(1.0) + f4(6.0 / 7.0) * max(star * rr * both_r - f4(1.0), f4(0.0)))
        dl, dr = rl * (sl - ul), rr * (sr - ur)
        sm = (pr - pl + dl * ul - dr * ur) / (dl - dr)
        from_left = sm >= f4(0.0)
        rho, u, v, p = (rl if from_left else rr, ul if from_left else ur, vl if from_left else vr,
                        pl if from_left else pr)
        wave, d, over = sl if from_left else sr, dl if from_left else dr, over_l if from_left else over_r
        # Beyond the outer waves the state is the side's own.
        reach = min(sl, f4(0.0)) if from_left else max(sr, f4(0.0))
        e = p / G1 + f4(0.5) * rho * (u * u + v * v)
        inside = d / (wave - sm)
        du, dv = above[normal, k] - below[normal, k], above[tangent, k] - below[tangent, k]
        work = f4(0.5) * ((above[normal, k] + below[normal, k]) * du +
                          (above[tangent, k] + below[tangent, k]) * dv)
        heat = GAMMA / (G1 * PRANDTL) * (above[3, k] * below[0, k] -
                                         below[3, k] * above[0, k]) / (above[0, k] * below[0, k])
        mass = rho * u + reach * (inside - rho)
        flux[0, k] = mass
        flux[normal, k] = rho * u * u + p + reach * (inside * sm - rho * u) - friction[k] * du
        flux[tangent, k] = v * mass - friction[k] * dv
        flux[3, k] = u * (e + p) + reach * (inside * (e * over + (sm - u) *
                                                      (sm + p / d)) - e) - friction[k] * (work + heat)


@njit(**fast)
def keep_positive(side, cell, n):
    """Take the cells' own states, shape (4, >= n), where a reconstruction has lost nearly all density or
    pressure."""
    lost = 0
    for k in range(n):
        lost += int(side[0, k] < f4(0.1) * cell[0, k]) | int(side[3, k] < f4(0.1) * cell[3, k])
    if lost:
        for k in range(n):
            if side[0, k] < f4(0.1) * cell[0, k] or side[3, k] < f4(0.1) * cell[3, k]:
                for m in range(4):
                    side[m, k] = cell[m, k]


@njit(parallel=True, **fast)
def along(w, out, at_exit, at_wall, at_outside, jet, dx, inverse, mu):
    """Set `out` to minus the derivative of the fluxes along x; `jet` shape (4, at_wall), the state that
    enters."""
    nr, nx = w.shape[1], w.shape[2]
    for j in prange(nr):
        first = 0 if j >= at_outside else at_exit
        n = nx - first
        line, friction = np.empty((4, n + 2 * HALO), dtype=np.float32), np.empty(n + 1, dtype=np.float32)
        cells, lefts, rights = np.empty((4, n + 2), dtype=np.float32), np.empty(
            (4, n + 2), dtype=np.float32), np.empty((4, n + 2), dtype=np.float32)
        below, above, flux = np.empty((4, n + 1), dtype=np.float32), np.empty(
            (4, n + 1), dtype=np.float32), np.empty((4, n + 1), dtype=np.float32)
        left, right = np.empty((4, n + 1), dtype=np.float32), np.empty((4, n + 1), dtype=np.float32)
        for m in range(4):
            for i in range(n):
                line[m, HALO + i] = w[m, j, first + i]
            for k in range(HALO):
                line[m, HALO + n + k] = w[m, j, nx - 1]
                if j < at_wall:
                    line[m, k] = jet[m, j]
                elif j < at_outside:
                    line[m, HALO - 1 - k] = -w[m, j, first + k] if m == 1 else w[m, j, first + k]
                else:
                    line[m, k] = w[m, j, 0]
            reconstruct_along(line[m], n + 2, lefts[m], rights[m])
            for k in range(n + 2):
                cells[m, k] = line[m, HALO - 1 + k]
        keep_positive(lefts, cells, n + 2)
        keep_positive(rights, cells, n + 2)
        # Face k lies between cells k and k + 1, counted from the last one of the halo.
        for m in range(4):
            for k in range(n + 1):
                left[m, k], right[m, k], below[m,
                                               k], above[m,
                                                         k] = rights[m,
                                                                     k], lefts[m,
                                                                               k + 1], cells[m,
                                                                                             k], cells[m,
                                                                                                       k + 1]
        for k in range(n + 1):
            friction[k] = mu * inverse[first + k]
        if at_wall <= j < at_outside:
            friction[0] = f4(0.0)
        face_fluxes(left, right, below, above, 1, n + 1, friction, flux)
        for m in range(4):
            for i in range(first):
                out[m, j, i] = f4(0.0)
            for i in range(n):
                out[m, j, first + i] = (flux[m, i] - flux[m, i + 1]) / dx[first + i]


@njit(parallel=True, **fast)
def across(w, out, blocks, at_exit, at_outside, r_face, r, dr, inverse, mu):
    """Add to `out` minus the divergence of the radial fluxes, weighted by the radius, and the ring terms.

    The columns are worked on in `blocks`, shape (n + 1,), their borders: side by side they lie in memory as
    they are computed.
    """
    nr = w.shape[1]
    for q in prange(len(blocks) - 1):
        start, width = blocks[q], blocks[q + 1] - blocks[q]
        first = at_outside if start < at_exit else 0
        # The block with its halo, row after row: the axis and the outer wall of the nozzle are mirrors.
        rows = np.empty((4, (nr - first + 2 * HALO) * BLOCK), dtype=np.float32)
        for k in range(nr - first + 2 * HALO):
            row = first + k - HALO
            mirrored = row < first
            row = min(2 * first - 1 - row if mirrored else row, nr - 1)
            for m in range(4):
                sign = f4(-1.0) if mirrored and m == 2 else f4(1.0)
                for i in range(width):
                    rows[m, k * BLOCK + i] = sign * w[m, row, start + i]
        below, here = np.empty((4, width), dtype=np.float32), np.empty((4, width), dtype=np.float32)
        left, right, following = np.empty((4, width), dtype=np.float32), np.empty(
            (4, width), dtype=np.float32), np.empty((4, width), dtype=np.float32)
        flux, before = np.empty((4, width), dtype=np.float32), np.empty((4, width), dtype=np.float32)
        friction = np.empty(width, dtype=np.float32)
        for j in range(first - 1, nr + 1):
            # Of row j and two on either side.
            at = (j - first + HALO - 2) * BLOCK
            for m in range(4):
                reconstruct_across(rows[m, at:], width, right[m], following[m])
                for i in range(width):
                    here[m, i] = rows[m, at + 2 * BLOCK + i]
            keep_positive(right, here, width)
            keep_positive(following, here, width)
            if j >= first:
                # Neither the axis nor the wall has friction.
                friction[:] = mu * inverse[j] if j > first else f4(0.0)
                face_fluxes(left, right, below, here, 2, width, friction, flux)
            # The state at this row's upper face is the one below the next row's lower face.
            left, following = following, left
            below, here = here, below
            if j > first:
                done = j - 1
                low, high = r_face[done] / (r[done] * dr[done]), r_face[j] / (r[done] * dr[done])
                for m in range(4):
                    for i in range(width):
                        out[m, done, start + i] += low * before[m, i] - high * flux[m, i]
                push, drag = f4(1.0) / r[done], mu / (r[done] * r[done])
                for i in range(width):
                    out[2, done, start + i] += push * w[3, done, start + i] - drag * w[2, done, start + i]
            flux, before = before, flux


@njit(parallel=True, **fast)
def absorb_along(out, damping, seen, slow, advance):
    """In the first columns, take from the derivative along x what the filter has seen of it.

    Parameters
    ----------
    out : ndarray, shape (4, nr, nx)
        Minus the derivative of the fluxes along x; changed.
    damping : ndarray, shape (n,)
        Of the first n columns, sigma.
    seen, slow : ndarray, shape (4, nr, n)
        The filter and its running mean; the filter moves by `advance` (a time; 0 leaves it).
    """
    for j in prange(out.shape[1]):
        for m in range(4):
            for i in range(len(damping)):
                rate = out[m, j, i]
                out[m, j, i] = rate - seen[m, j, i] + slow[m, j, i]
                seen[m, j, i] += advance * damping[i] * (rate - seen[m, j, i])


@njit(parallel=True, **fast)
def absorb_across(out, other, w, r, first, damping, ring_damping, seen, ring_seen, slow, advance):
    """The same for the radial terms of the rows from `first` on; `other` is what `out` held of them before.

    What a flux changes by across its ring is stretched by `damping`, what the ring grows by (the flux over
    the radius) by `ring_damping`, both shape (n,); the pressure does not care for the ring.
    """
    for k in prange(len(damping)):
        j = first + k
        for i in range(out.shape[2]):
            rho, vx, vr, p = w[0, j, i], w[1, j, i], w[2, j, i], w[3, j, i]
            mass = rho * vr / r[j]
            energy = p / G1 + f4(0.5) * rho * (vx * vx + vr * vr)
            for m in range(4):
                ring = -mass if m == 0 else -mass * vx if m == 1 else f4(0.0) if m == 2 else -mass * (energy +
                                                                                                      p) / rho
                rate = out[m, j, i] - other[m, k, i]
                out[m, j, i] -= seen[m, k, i] + ring_seen[m, k, i] - slow[m, k, i]
                seen[m, k, i] += advance * damping[k] * (rate - ring - seen[m, k, i])
                ring_seen[m, k, i] += advance * ring_damping[k] * (ring - ring_seen[m, k, i])


@njit(parallel=True, **fast)
def stage(u, start, out, a, b, dt, sponge, mean):
    """u = a start + b (u + dt out), damped towards the mean (its pressure the ambient's) by `sponge`."""
    for j in prange(u.shape[1]):
        for i in range(u.shape[2]):
            s = f4(1.0) / (f4(1.0) + b * dt * sponge[j, i])
            for m in range(4):
                value = a * start[m, j, i] + b * (u[m, j, i] + dt * out[m, j, i])
                u[m, j, i] = mean[m, j, i] + s * (value - mean[m, j, i]) if sponge[j, i] > f4(0.0) else value


@njit(parallel=True, **fast)
def follow_mean(u, mean, rate):
    """Let the running mean follow; its energy is that of the ambient pressure at the mean's density and
    velocity."""
    for j in prange(u.shape[1]):
        for i in range(u.shape[2]):
            for m in range(3):
                mean[m, j, i] += rate * (u[m, j, i] - mean[m, j, i])
            rho = mean[0, j, i]
            mean[3, j, i] = f4(1.0) / (GAMMA * G1) + f4(0.5) * (mean[1, j, i] * mean[1, j, i] +
                                                                mean[2, j, i] * mean[2, j, i]) / rho


def stretched(first, growth, total):
    """Distances 0 … beyond `total` whose steps grow by a share each."""
    steps = [0.0]
    while steps[-1] < total:
        steps.append(steps[-1] + first * (1 + growth)**len(steps))
    return np.array(steps)


# How far the fine cells and the grid reach, and the absorbing zones' depths, in exit diameters.
FINE, DOWNSTREAM, UPSTREAM, SIDEWAYS = 7.0, 20.0, 7.0, 8.0
ABSORB_DOWNSTREAM, ABSORB_UPSTREAM, ABSORB_SIDEWAYS = 8.0, 4.0, 4.0
SAMPLE_EVERY, FOLLOW_EVERY, FOLLOW_TIME = 4, 10, 30.0
COURANT = 0.6
# Of the matched layers at their outer ends, in a/D; the share of it that leads the air back to its running
# mean.
MATCHED, LED_BACK = 3.0, 0.1
# The hyperbolic tangent of this is 0.99.
ALMOST_ONE = 2.6467


class JetFlow:
    """The jet of one exit state into still air.

    Parameters
    ----------
    mach, pressure, warmth : float
        Of the exit: Mach number, pressure and temperature over the ambient's.
    ideal_mach, ideal_warmth : float
        Of the jet once it has expanded to the ambient pressure.
    lip : float
        In exit diameters.
    cells : int
        Per exit diameter along the axis; a third more across.
    reynolds : float
        Of the constant viscosity, on the expanded jet's speed and the exit's diameter.
    room : float
        How much further than usual the air reaches on every side.

    Attributes
    ----------
    x_faces, r_faces : ndarray
        In exit diameters from the exit and the axis.
    at_exit, at_wall, at_outside : int
        Columns upstream of the exit, rows below the lip and up to its top.
    u : ndarray, shape (4, nr, nx)
        Conserved variables.
    time, step : float
        In exit diameters over the ambient speed of sound.
    """
    def __init__(self, mach, pressure, warmth, ideal_mach, ideal_warmth, lip=0.1, cells=24, reynolds=2500.0,
                 room=1.0):
        down, up, aside = room * DOWNSTREAM, room * UPSTREAM, room * SIDEWAYS
        self._lines(cells, lip, down, up, aside)
        x, r = 0.5 * (self.x_faces[1:] + self.x_faces[:-1]), 0.5 * (self.r_faces[1:] + self.r_faces[:-1])
        self.x, self.r = x, r
        p = pressure / 1.4
        rho, speed = 1.4 * p / warmth, mach * np.sqrt(warmth)
        self.jet = np.tile(np.array([rho, speed, 0.0, p], dtype=f4)[:, None], self.at_wall)
        self.speed = ideal_mach * np.sqrt(ideal_warmth)
        self.mu = f4(self.speed / reynolds)
        spread, height = np.meshgrid(x, r)
        profile = 0.5 * (1 - np.tanh((height - 0.5) / (0.05 + 0.03 * np.maximum(spread, 0)))) * (spread > 0)
        w = np.zeros((4, len(r), len(x)))
        w[0], w[1], w[3] = 1 / (1 + (ideal_warmth - 1) * profile), self.speed * profile, 1 / 1.4
        self.u = np.stack([w[0], w[0] * w[1], 0 * w[0], w[3] / 0.4 + 0.5 * w[0] * w[1]**2]).astype(f4)
        self.mean = self.u.copy()
        self._absorbing_zones(down, up, aside)
        dx, dr = np.diff(self.x_faces), np.diff(self.r_faces)
        self._dx, self._dr, self._r, self._r_faces = dx.astype(f4), dr.astype(f4), r.astype(
            f4), self.r_faces.astype(f4)
        self._over_x, self._over_r = ((1 / np.concatenate([d[:1], 0.5 * (d[1:] + d[:-1]), d[-1:]])).astype(f4)
                                      for d in (dx, dr))
        self._blocks = np.concatenate(
            [np.arange(0, self.at_exit, BLOCK),
             np.arange(self.at_exit, len(x), BLOCK), [len(x)]])
        # The fastest wave: the fully expanded jet may be passed by a fifth inside its cells.
        fastest = 1.25 * max(self.speed, float(speed)) + 1.05
        self.step = float(COURANT / (fastest / dx.min() + 1.2 / dr.min()))
        self.time, self.steps = 0.0, 0
        self._w, self._out = np.empty_like(self.u), np.empty_like(self.u)

    def _lines(self, cells, lip, down, up, aside):
        h, hr = 1.0 / cells, 0.75 / cells
        # The lip's inner edge, at a half, lies on a line.
        rows = int(np.ceil(0.5 / hr))
        hr = 0.5 / rows
        across = max(int(round(lip / hr)), 2)
        fine = np.arange(0, int(round(FINE * cells)) + 1) * h
        upstream = -stretched(h, 0.05, up)[:0:-1]
        self.x_faces = np.concatenate([upstream, fine, FINE + stretched(h, 0.03, down - FINE)[1:]])
        near = np.arange(0, max(int(round(1.1 / hr)), rows + across + 4) + 1) * hr
        self.r_faces = np.concatenate([near, near[-1] + stretched(hr, 0.05, aside - near[-1])[1:]])
        self.at_exit, self.at_wall, self.at_outside = len(upstream), rows, rows + across

    def _absorbing_zones(self, down, up, aside):
        x, r = self.x, self.r
        behind = np.clip((x - (down - ABSORB_DOWNSTREAM)) / ABSORB_DOWNSTREAM, 0, 1)**2
        before = np.maximum((-x - (up - ABSORB_UPSTREAM)) / ABSORB_UPSTREAM, 0)
        beside = np.maximum((r - (aside - ABSORB_SIDEWAYS)) / ABSORB_SIDEWAYS, 0)
        weak = LED_BACK * MATCHED * np.maximum(before**2, beside[:, None]**2)
        self.sponge = np.maximum(behind, weak).astype(f4)
        columns, self._first_row = int((before > 0).sum()), int((beside == 0).sum())
        ring = beside**3 * ABSORB_SIDEWAYS / 3 / r
        self._damping = (MATCHED *
                         before[:columns]**2).astype(f4), *((MATCHED * s[self._first_row:]).astype(f4)
                                                            for s in (beside**2, ring))
        rows = len(r) - self._first_row
        self._seen = [
            np.zeros(shape, dtype=f4) for shape in 2 * [(4, len(r), columns)] + 3 * [(4, rows, len(x))]
        ]

    @property
    def cells(self):
        return len(self.x) * len(self.r)

    @property
    def exit_rows(self):
        """Radii of the rows through which the jet enters, shape (at_wall,)."""
        return self.r[:self.at_wall]

    def let_in(self, density, along, outwards, pressure):
        """Let air of this state enter, each shape (at_wall,): density, velocities, absolute pressure."""
        self.jet = np.stack([density, along, outwards, pressure]).astype(f4)

    def slow_down_at_wall(self, thickness):
        """Give the entering air a boundary layer in which the speed reaches 99 % at this distance from the
        wall, at its total temperature and pressure."""
        rho, speed, _, p = (row.astype(float) for row in self.jet)
        profile = np.tanh(ALMOST_ONE * (0.5 - self.exit_rows) / thickness)
        warmth = 1.4 * p / rho + 0.2 * speed**2 * (1 - profile**2)
        self.let_in(1.4 * p / warmth, speed * profile, 0 * p, p)

    def advance(self, count):
        """Make `count` steps; returns whether everything stayed finite."""
        along_x, across_r, rings = self._damping
        seen_along, slow_along, seen_across, seen_rings, slow_across = self._seen
        for _ in range(count):
            start = self.u.copy()
            for a, b in ((0.0, 1.0), (0.75, 0.25), (1 / 3, 2 / 3)):
                # The filters move once a step, from its start.
                advance = f4(self.step if a == 0 else 0.0)
                primitives(self.u, self._w)
                along(self._w, self._out, self.at_exit, self.at_wall, self.at_outside, self.jet, self._dx,
                      self._over_x, self.mu)
                absorb_along(self._out, along_x, seen_along, slow_along, advance)
                other = self._out[:, self._first_row:].copy()
                across(self._w, self._out, self._blocks, self.at_exit, self.at_outside, self._r_faces,
                       self._r, self._dr, self._over_r, self.mu)
                absorb_across(self._out, other, self._w, self._r, self._first_row, across_r, rings,
                              seen_across, seen_rings, slow_across, advance)
                stage(self.u, start, self._out, f4(a), f4(b), f4(self.step), self.sponge, self.mean)
            self.steps += 1
            self.time += self.step
            if self.steps % FOLLOW_EVERY == 0:
                rate = f4(FOLLOW_EVERY * self.step / FOLLOW_TIME)
                follow_mean(self.u, self.mean, rate)
                slow_along += rate * (seen_along - slow_along)
                slow_across += rate * (seen_across + seen_rings - slow_across)
        return bool(np.isfinite(self.u[:, :, -1]).all() and np.isfinite(self.u[0]).all())

    def place(self, x, r):
        """(row, column) of the cell nearest to a point."""
        return int(np.argmin(np.abs(self.r - r))), int(np.argmin(np.abs(self.x - x)))

    def state(self):
        """[pressure above ambient, temperature, u, v] of every cell, the speed of sound and ambient state as
        scales, shape (4, nr, nx)."""
        u = self.u.astype(float)
        rho, vx, vr = u[0], u[1] / u[0], u[2] / u[0]
        p = 0.4 * (u[3] - 0.5 * rho * (vx**2 + vr**2))
        return np.stack([p - 1 / 1.4, 1.4 * p / rho, vx, vr])

    def row_pressure(self, row, columns):
        """Pressure above the ambient's in the cells of a row, shape (len(columns),)."""
        rho, mx, mr, e = self.u[:, row, columns]
        return f4(0.4) * (e - f4(0.5) * (mx * mx + mr * mr) / rho) - f4(1 / 1.4)

    def pressure(self, row, column):
        """Pressure above the ambient's in a cell, over rho a^2."""
        rho, mx, mr, e = (float(v) for v in self.u[:, row, column])
        return 0.4 * (e - 0.5 * (mx * mx + mr * mr) / rho) - 1 / 1.4
