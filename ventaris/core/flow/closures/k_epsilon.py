"""The standard k-epsilon closure with wall functions, solved in k and ln(omega), omega = epsilon / (0.09 k).

Written so, its equations are the outer ones of the shear-stress-transport closure without the limit of the
shear stress (Menter's transformation keeps the log layer and the spreading of shear layers; what it leaves
out is a term of the difference of the two diffusivities). The viscous layer, which k-epsilon does not
describe, is bridged by the wall function; where the first cell stands inside of it, the inner equations take
over there, as in a two-layer treatment.

References
----------
Launder, Spalding: The numerical computation of turbulent flows, Comput. Methods Appl. Mech. Eng. 3, 1974.
Menter: Two-equation eddy-viscosity turbulence models for engineering applications, AIAA J. 32(8), 1994 (the
transformation).
Chen, Patel: Near-wall turbulence models for complex flows including separation, AIAA J. 26(6), 1988 (where
the layers meet).
"""
import numpy as np
from numba import njit, prange

from ..loops import of_dimension
from ..positions import fast
from .contract import ClosureOptions
from .shear_stress_transport import ShearStressTransport
from .velocity_gradient import gradient_product

# omega d^2 / nu at which the layers meet: 60 wall units away from the wall.
MEETING = 500.0


def closure_loops(dim):
    """The loops for one dimension."""
    K, W = dim + 2, dim + 3

    @njit(parallel=True, **fast)
    def eddy_and_layer(state, molecular, start, neighbour, weight, distance, gamma, eddy, layer, cross):
        """Dynamic eddy viscosity, share of the viscous layer, and grad k . grad ln(omega) of each cell."""
        for i in prange(state.shape[0]):
            rho = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1]
            omega, d = np.exp(state[i, W]), distance[i]
            cross[i] = gradient_product(state, i, K, W, start, neighbour, weight, dim)
            # In the log layer omega d^2 / nu is y+ / (kappa sqrt(0.09)), in the sublayer a constant far below
            # that.
            layer[i] = np.tanh(min(MEETING * molecular[i] / (rho * omega * d * d), 10.0)**4)
            eddy[i] = rho * max(state[i, K], 0.0) / omega

    return of_dimension(dim, (eddy_and_layer, ))


PLANE, SPACE = closure_loops(2), closure_loops(3)


class KEpsilon(ShearStressTransport):
    """The closure on one mesh."""

    name = "k-epsilon"

    def __init__(self, flow, options=ClosureOptions()):
        super().__init__(flow, options)
        self._own = SPACE if flow.dim == 3 else PLANE

    def update(self, state, molecular, velocity_gradient):
        """Compute the eddy viscosity of a state."""
        f = self.flow
        self.follow_rings(state)
        self._own.eddy_and_layer(state, molecular, *f.scalar, f.distance, f.stream.gamma, self.eddy,
                                 self.blend, self.cross)
