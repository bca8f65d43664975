"""What a grid that turns makes of air that moves alike all round its axis, and how that is put right.

Seen from turning axes, air that comes evenly from all sides changes its components while it stays what it is:
what the moving faces carry past and rho Omega x v must cancel. On cells of finite angle they do so but for a
share of the angle squared: the velocity is turned on a little too slowly. A few thousandths, but of the speed at
which the grid turns: air that nears a hovering rotor spends a hundred turns in those cells, and came in with a
swirl as large as its own speed. So the lag is measured once, on the grid, with air that moves outwards and with
air that goes round, both by the same speed everywhere, and taken off where no wall is near. What the scheme
keeps exactly, the turning of a solid body, has to stay: the lag is that of the velocity less its change with the
radius times the radius, which is nothing there and in full where the speed is even. What the scheme wears off
such motion stays too; taken off with the rest it left some motions without any damping, and runs did not settle.
"""
import numpy as np
from numba import njit, prange

from .boundaries.registry import is_solid
from .positions import VISCOUS, fast

# Small against everything, so that what the air carries of itself is nothing.
TRIAL = 1e-6
# Cells that are so few faces away from a wall keep what they have.
RINGS = 3


class EvenTurning:
    """The lag of a discretisation in turning axes, without the limiter.

    Parameters
    ----------
    flow : Discretisation
        Of a passage.

    Attributes
    ----------
    lag : ndarray, shape (n_own,)
        Volume times the speed of turning by which the velocity of a unit of density lags.
    """

    def __init__(self, flow):
        mesh = self.mesh = flow.mesh
        y, z = mesh.centre[:, 1], mesh.centre[:, 2]
        radius = np.hypot(y, z)
        ways = np.stack([y, z], 1) / radius[:, None], np.stack([-z, y], 1) / radius[:, None]
        at = mesh.face_centre[:, 1:]
        at = at / np.hypot(*at.T)[:, None]
        gained = [self._trial(flow, way, on_face)
                  for way, on_face in zip(ways, (at, np.stack([-at[:, 1], at[:, 0]], 1)))]
        n = mesh.n_own
        (outward, around), (of_outward, of_around) = ways, gained
        # Half of what outward motion gains round the axis and of what turning motion loses outwards.
        self.lag = 0.5 * ((of_outward * around[:n]).sum(1) - (of_around * outward[:n]).sum(1))
        self.lag[self._near_walls(flow)[:n]] = 0.0
        self.single = self.lag.astype(np.float32)
        self.radial = np.ascontiguousarray(mesh.centre[:, 1:])

    @staticmethod
    def _trial(flow, way, on_face):
        """Momentum along y and z that cells gain where the air moves by one along a way, shape (n_own, 2)."""
        mesh, inner, c = flow.mesh, flow.n_interior, flow.constants.copy()
        c[VISCOUS] = 0.0
        state = np.zeros((mesh.n_cells, flow.columns_of_state))
        state[:, 1], state[:, 3:5] = 1.0, TRIAL * way
        grad, flux = np.zeros_like(flow.grad), np.zeros_like(flow.flux)
        flow._reconstruct.gradients(state, *flow.scalar, *flow.velocity, flow.ghost, grad)
        flow.repeated.fill_gradients(grad)
        none = np.zeros(mesh.n_cells)
        flow._flux.interior_fluxes(state, grad, grad, none, none, flow.faces, flow.cells, inner, c, flux)
        swept = np.einsum("ij,ij->i", flow.faces.drift, mesh.normal)
        flux[inner:, 3:5] = -TRIAL * swept[inner:, None] * on_face[inner:] * mesh.area[inner:, None]
        out = np.zeros((mesh.n_cells, 2))
        for a in range(2):
            np.add.at(out[:, a], mesh.left, flux[:, 3 + a])
            np.subtract.at(out[:, a], mesh.right[:inner], flux[:inner, 3 + a])
        v, w = state[:, 3], state[:, 4]
        out += flow.omega * mesh.volume[:, None] * np.stack([-w, v], 1)
        return out[:mesh.n_own] / TRIAL

    @staticmethod
    def _near_walls(flow):
        mesh, inner = flow.mesh, flow.n_interior
        solid = np.array([is_solid(kind) for kind in flow.kind])
        near = np.zeros(mesh.n_cells, dtype=bool)
        near[mesh.left[inner:][solid]] = True
        left, right = mesh.left[:inner], mesh.right[:inner]
        for _ in range(RINGS):
            grown = near.copy()
            grown[left] |= near[right]
            grown[right] |= near[left]
            if flow.repeated:
                # Both sides that repeat each other see the walls of either.
                np.logical_or.at(grown, flow.repeated.donor, grown[mesh.n_own:])
                grown[mesh.n_own:] = grown[flow.repeated.donor]
            near = grown
        return near

    def mend(self, velocity, grad, row_scale, out):
        """Take the lag off a residual. `velocity` holds [v, w] of each cell, `grad` gradients."""
        take_off(velocity, grad, self.radial, self.lag, row_scale[3], out)

    def mend_product(self, change, grad, row_scale, column_scale, out):
        """The same for a scaled change of the state and its gradients."""
        take_off(change[:, 3:5], grad, self.radial, self.single, np.float32(row_scale[3] * column_scale[3]), out)


@njit(parallel=True, **fast)
def take_off(velocity, grad, radial, lag, scale, out):
    """out[:, 3:5] -= scale * lag * (v - r dv/dr), turned by a right angle."""
    for i in prange(lag.shape[0]):
        y, z = radial[i, 0], radial[i, 1]
        v = velocity[i, 0] - y * grad[i, 3, 1] - z * grad[i, 3, 2]
        w = velocity[i, 1] - y * grad[i, 4, 1] - z * grad[i, 4, 2]
        out[i, 3] += scale * lag[i] * w
        out[i, 4] -= scale * lag[i] * v
