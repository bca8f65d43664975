"""What each named boundary does to the flow: one small record per name."""
from dataclasses import dataclass

import numpy as np

from . import kernels as k

KINDS = {"slip": k.SLIP, "no-slip": k.NO_SLIP, "far field": k.FAR_FIELD, "blown": k.BLOWN, "outlet": k.OUTLET, "inlet": k.INLET}


@dataclass(frozen=True)
class Boundary:
    """One boundary condition, in the solver's scales.

    Attributes
    ----------
    kind : {"slip", "no-slip", "far field", "blown", "outlet", "inlet"}
    velocity : tuple
        Of a no-slip wall that slides, over a_inf.
    tangential : float
        Speed of a no-slip wall along itself, positive counter-clockwise round the body, over a_inf.
    blown : float
        Speed (over a_inf) or mass flow per area (over rho_inf a_inf) into the flow; negative sucks.
    by_speed : bool
    temperature : float
        Of the blown air, over T_inf.
    """

    kind: str
    velocity: tuple = (0.0, 0.0)
    tangential: float = 0.0
    blown: float = 0.0
    by_speed: bool = True
    temperature: float = 1.0

    def ghost_rows(self, normal, stream_state):
        """What the kernels read at each of its faces, shape (n, 4); `normal` points out of the flow."""
        rows = np.tile(stream_state, (len(normal), 1))
        if self.kind == "no-slip":
            # The outline runs counter-clockwise; the flow's outward normal points into the body.
            along = np.stack([normal[:, 1], -normal[:, 0]], axis=1)
            rows[:, 2:] = np.asarray(self.velocity) + self.tangential * along
        elif self.kind == "blown":
            rows[:] = [self.blown, self.temperature, float(self.by_speed), 0.0]
        return rows


def lay_out(mesh, stream, wall_kind, given):
    """Kind and `ghost` row of every boundary face.

    Parameters
    ----------
    mesh : Mesh
    stream : FreeStream
    wall_kind : {"slip", "no-slip"}
        Of the body's walls that `given` does not name.
    given : dict of str to Boundary

    Returns
    -------
    kind : ndarray of int, shape (n_boundary,)
    ghost : ndarray, shape (n_boundary, 4)
    """
    first = mesh.n_interior
    kind = np.full(mesh.n_faces - first, k.FAR_FIELD, dtype=np.int64)
    ghost = np.tile(stream.state, (len(kind), 1))
    for name, faces in mesh.boundaries.items():
        default = Boundary(wall_kind if name in mesh.walls else "slip" if name == "symmetry" else "far field")
        boundary = given.get(name, default)
        kind[faces - first] = KINDS[boundary.kind]
        ghost[faces - first] = boundary.ghost_rows(mesh.normal[faces], stream.state)
    return kind, ghost
