"""What a grid that turns makes of air that moves alike all round its axis, and how that is put right.

Seen from turning axes, air that comes evenly from all sides changes its components while it stays what it is:
what the moving faces carry past and rho Omega x v must cancel. On cells of finite angle they do so but for a
share of the angle squared: the velocity is turned on a little too slowly. A few thousandths, but of the speed
at which the grid turns: air that nears a hovering rotor spends a hundred turns in those cells, and came in
with a swirl as large as its own speed.

Two things put it right. A face between neighbours round the axis stands further out than their centres do, by
what a chord lies below its arc: values are carried to the centres' radius instead. What is left is the same
share of the velocity whatever its course over the radius; it is measured once, on the grid, with air that
moves outwards and with air that goes round, and taken off where no wall is near. What the scheme wears off
such motion stays; taken off too, it left some motions without any damping, and runs did not settle. (A lag
measured without the first, and taken off the velocity less its change with the radius, is right for any
course as well, but it is an equation without real characteristics: a hovering rotor's wake grew until it
broke up.)
"""
import numpy as np
from numba import njit, prange

from .boundaries.registry import NO_SLIP, SLIP
from .positions import VISCOUS, fast
from .stencils.space import face_offsets

# Small against everything, so that what the air carries of itself is nothing.
TRIAL = 1e-6
# Cells that are so few faces away from a wall keep what they have.
RINGS = 3
# A larger share than an even cell's angle explains is that of a cell that stands askew, and its neighbours'
# are of either sign: kept, they let a propeller's residual grow.
LARGEST = 0.1


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
        mesh = flow.mesh
        flow.faces = flow.faces._replace(offset=face_offsets(mesh, _on_arcs(mesh)))
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
        askew = np.abs(self.lag) > LARGEST * abs(flow.omega) * mesh.volume[:n]
        self.lag[askew | self._near_walls(flow)[:n]] = 0.0
        self.single = self.lag.astype(np.float32)

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
        out += flow.turned[:, None] * np.stack([-w, v], 1)
        return out[:mesh.n_own] / TRIAL

    @staticmethod
    def _near_walls(flow):
        mesh, inner = flow.mesh, flow.n_interior
        solid = np.isin(flow.kind, (SLIP, NO_SLIP))
        near = np.zeros(mesh.n_cells, dtype=bool)
        near[mesh.left[inner:][solid]] = True
        left, right = mesh.left[:inner], mesh.right[:inner]
        for _ in range(RINGS):
            grown = near.copy()
            grown[left] |= near[right]
            grown[right] |= near[left]
            # Both sides that repeat each other see the walls of either.
            np.logical_or.at(grown, flow.repeated.donor, grown[mesh.n_own:])
            flow.repeated.fill(grown)
            near = grown
        return near

    def mend(self, state, row_scale, out):
        """Take the lag off a residual."""
        take_off(state, self.lag, row_scale[3], out)

    def mend_product(self, change, row_scale, column_scale, out):
        """The same for a scaled change of the state."""
        take_off(change, self.single, np.float32(row_scale[3] * column_scale[3]), out)


@njit(parallel=True, **fast)
def take_off(state, lag, scale, out):
    """out[:, 3:5] -= scale * lag * velocity, turned by a right angle."""
    for i in prange(lag.shape[0]):
        out[i, 3] += scale * lag[i] * state[i, 4]
        out[i, 4] -= scale * lag[i] * state[i, 3]


def _on_arcs(mesh):
    """Where the values of a face's two cells meet, shape (n_faces, 3)."""
    inner, at = mesh.n_interior, mesh.face_centre.copy()
    ends = mesh.left[:inner], mesh.right[:inner]
    one, two = (mesh.centre[cell][:, 1:] for cell in ends)
    r_one, r_two = np.hypot(*one.T), np.hypot(*two.T)
    cosine = np.clip((one * two).sum(1) / (r_one * r_two), -1, 1)
    # An arc's height over its chord at the half of the angle, from the mean radius.
    lower = 0.125 * (r_one + r_two) * (1 - cosine)
    radius = np.hypot(at[:inner, 1], at[:inner, 2])
    at[:inner, 1:] *= (1 - lower / radius)[:, None]
    return at
