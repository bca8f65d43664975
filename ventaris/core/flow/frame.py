"""Axes that turn about x: how faces and cells move in them, what that adds to the momentum, and cells seen
beyond sides that repeat each other.

The velocity of the state is that against axes at rest, given by its components along the turning ones. Air
without motion then has no gradient anywhere, however far out the grid reaches; through a face that moves
passes what moves against it; and the turning of the components leaves rho Omega x v. The energy has no such
term: what flows along a stream line keeps its rothalpy.

References
----------
Hirsch: Numerical computation of internal and external flows, vol. 1,
1988, chapter 2.9 (equations in a rotating frame, absolute velocity).
"""
from dataclasses import dataclass

import numpy as np
from numba import njit, prange

from .positions import fast


@dataclass(frozen=True)
class TurningNear:
    """Where axes turn about x: with the wheel near it, and less and less further out, where the air is even
    all round and any turning sees it alike. Turning as far as the air reaches, faces six radii out would pass
    by at six times the tip's speed, and what a grid makes of that wears the flow.

    Attributes
    ----------
    ahead, behind, beside : tuple
        From where the turning falls off and where it has ended: upstream, downstream, and in radii.
    """

    ahead: tuple
    behind: tuple
    beside: tuple

    def share(self, points):
        """Of the full speed, at places, shape (n,)."""
        return self._along(points[:, 0]) * self._of_radius(np.hypot(points[:, 1], points[:, 2]))

    def potential(self, points):
        """Minus the integral of share times radius over the radius, at places, shape (n,)."""
        r, (start, end) = np.hypot(points[:, 1], points[:, 2]), self.beside
        t = np.clip((r - start) / (end - start), 0, 1)
        width = end - start
        # Of (1 - 3 t^2 + 2 t^3) (start + width t), from 0 to t.
        beyond = width * (start * (t - t**3 + 0.5 * t**4) + width * (0.5 * t**2 - 0.75 * t**4 + 0.4 * t**5))
        return -self._along(points[:, 0]) * (0.5 * np.minimum(r, start)**2 + beyond)

    def _along(self, x):
        ahead = _fallen((-x - self.ahead[0]) / (self.ahead[1] - self.ahead[0]))
        return ahead * _fallen((x - self.behind[0]) / (self.behind[1] - self.behind[0]))

    def _of_radius(self, r):
        return _fallen((r - self.beside[0]) / (self.beside[1] - self.beside[0]))


def _fallen(t):
    t = np.clip(t, 0, 1)
    return 1 - t * t * (3 - 2 * t)


def face_drift(mesh, omega, near=None):
    """Velocity of each face of a mesh in space that turns about x, shape (n_faces, 3).

    Its part along the normal is the mean over the face, so that the faces of a cell sweep no volume. Axes
    that turn `near` alone move as the curl of a potential along x, whose circulation round a face is what it
    sweeps.
    """
    out, swept = spin(mesh.face_centre, omega), omega * mesh.sweep
    if near is not None:
        out *= near.share(mesh.face_centre)[:, None]
        swept = omega * _circulation(mesh, near) / mesh.area
    out += (swept - np.einsum("ij,ij->i", out, mesh.normal))[:, None] * mesh.normal
    return out


def _circulation(mesh, near):
    """Of the potential round each face, as its normal sees it (Simpson's rule: exact where all turns)."""
    corner, at = near.potential(mesh.points), mesh.points
    total, area = np.zeros(mesh.n_faces), np.zeros((mesh.n_faces, 3))
    nodes = mesh.face_nodes
    for q in range(nodes.shape[1]):
        one, two = nodes[:, q], nodes[:, (q + 1) % nodes.shape[1]]
        mean = (corner[one] + corner[two] + 4 * near.potential(0.5 * (at[one] + at[two]))) / 6
        total += mean * (at[two, 0] - at[one, 0])
        area += np.cross(at[one], at[two])
    return total * np.sign(np.einsum("ij,ij->i", area, mesh.normal))


def spin(points, omega):
    """Omega x r about x, shape (n, 3)."""
    return omega * np.stack([np.zeros(len(points)), -points[:, 2], points[:, 1]], axis=1)


@njit(parallel=True, **fast)
def add_turning(state, turned, row_scale, gamma, out):
    """Add rho Omega x v of each cell to its residual; `turned` is the volume times the speed of turning."""
    for i in prange(out.shape[0]):
        k = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1] * turned[i]
        out[i, 3] -= k * state[i, 4] * row_scale[3]
        out[i, 4] += k * state[i, 3] * row_scale[4]


@njit(parallel=True, **fast)
def add_turning_blocks(state, turned, row_scale, column_scale, gamma, diagonal, gamma_block):
    """Its derivatives, added to the diagonal blocks (stored by columns) and to what held products take from
    `gamma_block`."""
    for i in prange(state.shape[0]):
        t = state[i, 1]
        rho = gamma * (state[i, 0] + 1.0 / gamma) / t
        k = turned[i]
        for r, sign, c in ((3, -1.0, 4), (4, 1.0, 3)):
            a = sign * k * row_scale[r]
            by_p, by_t = a * gamma / t * state[i,
                                               c] * column_scale[0], -a * rho / t * state[i,
                                                                                          c] * column_scale[1]
            by_v = a * rho * column_scale[c]
            diagonal[i, 0, r] += by_p
            diagonal[i, 1, r] += by_t
            diagonal[i, c, r] += by_v
            gamma_block[i, 0, r] = by_p
            gamma_block[i, 1, r] = by_t
            gamma_block[i, 2, r] = by_v


@njit(parallel=True, **fast)
def add_turning_product(blocks, change, out):
    """Add the product of the turning's own derivatives, shape (n_cells, 3, 5), with a scaled change."""
    for i in prange(blocks.shape[0]):
        out[i,
            3] += blocks[i, 0, 3] * change[i, 0] + blocks[i, 1, 3] * change[i, 1] + blocks[i, 2,
                                                                                           3] * change[i, 4]
        out[i,
            4] += blocks[i, 0, 4] * change[i, 0] + blocks[i, 1, 4] * change[i, 1] + blocks[i, 2,
                                                                                           4] * change[i, 3]


class Repeated:
    """What a discretisation does with the images of a mesh.

    Parameters
    ----------
    images : Images
    n_own : int
    """

    def __init__(self, images, n_own):
        self.n_own, self.donor = n_own, images.donor
        self.cosine, self.sine = np.cos(images.turn), np.sin(images.turn)

    def with_images(self, state):
        """A state, or a change of one, with the rows of the images behind it."""
        out = np.empty((self.n_own + len(self.donor), state.shape[1]), dtype=state.dtype)
        out[:self.n_own] = state[:self.n_own]
        fill_images(out, self.n_own, self.donor, self.cosine, self.sine)
        return out

    def fill_gradients(self, grad):
        """Fill the images' rows of gradients, shape (n_cells, nv, 3)."""
        fill_gradients(grad, self.n_own, self.donor, self.cosine, self.sine)

    def fill(self, values):
        """Fill the images' rows of values that do not turn."""
        values[self.n_own:] = values[self.donor]


@njit(**fast)
def fill_images(values, n, donor, cosine, sine):
    """Rows [p, t, u, v, w, ...] of the images."""
    for h in range(len(donor)):
        d = donor[h]
        for k in range(values.shape[1]):
            values[n + h, k] = values[d, k]
        values[n + h, 3] = cosine[h] * values[d, 3] - sine[h] * values[d, 4]
        values[n + h, 4] = sine[h] * values[d, 3] + cosine[h] * values[d, 4]


@njit(**fast)
def fill_gradients(grad, n, donor, cosine, sine):
    """The same for gradients: the direction turns, and so do the components of the velocity."""
    for h in range(len(donor)):
        d, c, s = donor[h], cosine[h], sine[h]
        for k in range(grad.shape[1]):
            grad[n + h, k, 0] = grad[d, k, 0]
            grad[n + h, k, 1] = c * grad[d, k, 1] - s * grad[d, k, 2]
            grad[n + h, k, 2] = s * grad[d, k, 1] + c * grad[d, k, 2]
        for a in range(3):
            v, w = grad[n + h, 3, a], grad[n + h, 4, a]
            grad[n + h, 3, a], grad[n + h, 4, a] = c * v - s * w, s * v + c * w
