"""Strong shocks: which cells lie in one, and what changes there."""
import numpy as np
from numba import njit, prange

from .positions import GAMMA, fast

# Which shocks count as strong: the share of the stream's pressure below which air is too thin for one (behind
# a base ratios mean little), and the pressure ratios from cell to cell between which a shock comes to count.
# A transonic shock on a wing must not blur the boundary layer under it; in a nozzle and its jet it lies along
# the grid lines and swings if nothing damps it.
AROUND_BODIES = (0.3, 2.0, 4.0)
IN_NOZZLES = (1e-3, 1.2, 2.0)
# Change of speed from which on a strong shock is wholly treated as one.
WHOLE_SHOCK = 0.3


@njit(parallel=True, **fast)
def mark_shocks(state, face_start, faces, sign, left, right, normal, n_interior, gamma, bounds, reconstructed,
                frozen, grad, out):
    """Find the cells that lie in strong shocks, in the plane or in space, and make them first-order.

    Left in `out`: half of the largest change of an acoustic speed across a cell's faces; zero away from
    shocks. It is the least speed of entropy and shear waves on that cell's faces: along a shock that follows
    the grid lines nothing else damps them from row to row, and it bulges or swings. `bounds` is (thin, weak,
    strong): it grows from nothing at the pressure ratio `weak` to its whole at `strong`, and not in air of
    less than `thin` of the stream's pressure. When `frozen`, the marks of an earlier call are used again.

    References
    ----------
    Sanders, Morano, Druguet: Multidimensional dissipation for upwind schemes: stability and applications to
    gas dynamics, J. Comput. Phys. 145, 1998.
    """
    p0 = 1.0 / gamma
    thin, weak, strong = bounds
    for i in prange(state.shape[0]):
        most = out[i] if frozen else 0.0
        pi, ci = state[i, 0] + p0, np.sqrt(state[i, 1])
        for q in range(face_start[i], face_start[i] if frozen else face_start[i + 1]):
            f = faces[q]
            if f >= n_interior:
                continue
            j = right[f] if sign[q] > 0 else left[f]
            pj = state[j, 0] + p0
            low = min(pi, pj)
            ratio = max(pi, pj) / max(low, 1e-6)
            if ratio > weak and low > thin * p0:
                fall = 0.0
                for d in range(normal.shape[1]):
                    fall += sign[q] * normal[f, d] * (state[i, 2 + d] - state[j, 2 + d])
                if fall > 0.0:
                    share = min((ratio - weak) / (strong - weak), 1.0) * min(low / p0 / thin - 1.0, 1.0)
                    most = max(most, share * 0.5 * (fall + abs(np.sqrt(state[j, 1]) - ci)))
        out[i] = most
        if most > 0.0 and reconstructed:
            rest = 1.0 - min(most / WHOLE_SHOCK, 1.0)
            for k in range(grad.shape[1]):
                for d in range(grad.shape[2]):
                    grad[i, k, d] *= rest


@njit(**fast)
def energy_at_shock(mass, energy, speed, t_left, q2_left, t_right, q2_right, constants):
    """Energy flux of a face beside a strong shock: with the mass goes the total enthalpy of the cell it comes
    from, which a steady flow keeps exactly.

    Reconstructed temperatures and velocities do not keep it there. `speed` is that of `mark_shocks`, `q2` the
    square of a cell's velocity.
    """
    share = min(speed / WHOLE_SHOCK, 1.0)
    cp = 1.0 / (constants[GAMMA] - 1.0)
    carried = mass * (cp * t_left + 0.5 * q2_left if mass > 0.0 else cp * t_right + 0.5 * q2_right)
    return energy + share * (carried - energy)
