"""What each named boundary does to the flow: one small record per name."""
from dataclasses import dataclass

import numpy as np

from . import kernels as k

KINDS = {"slip": k.SLIP, "no-slip": k.NO_SLIP, "far field": k.FAR_FIELD, "blown": k.BLOWN, "outlet": k.OUTLET, "inlet": k.INLET,
         "total inlet": k.TOTAL_INLET, "mass inlet": k.MASS_INLET, "mass outlet": k.MASS_OUTLET}


@dataclass(frozen=True)
class Boundary:
    """One boundary condition, in the solver's scales.

    Attributes
    ----------
    kind : one of KINDS
        "total inlet" is also the entrainment boundary: total pressure where air comes in, the same as
        static pressure where it leaves. "outlet" leads into a room at rest: air that comes back brings the room's pressure
        as its total pressure and comes straight in.
    velocity : tuple
        Of a no-slip wall that slides, over a_inf.
    tangential : float
        Speed of a no-slip wall along itself, positive counter-clockwise round the body, over a_inf.
    blown : float
        Speed (over a_inf) or mass flow per area (over rho_inf a_inf) into the flow; negative sucks.
    by_speed : bool
    temperature : float
        Over T_inf: of the blown air, total of an inlet, of what comes back through an outlet, of a no-slip wall that is given one.
    pressure : float
        Gauge pressure of an outlet, total gauge pressure of a total inlet, static of a supersonic inlet ("far field"), over rho_inf a_inf^2.
    mass_flow : float
        Per area, over rho_inf a_inf.
    heat : float
        Heat per area into the flow at a no-slip wall, over rho_inf a_inf^3.
    isothermal : bool
        Whether a no-slip wall is held at `temperature`.
    state : tuple or None
        [p, T, u, v] beyond a far field other than the stream.
    """

    kind: str
    velocity: tuple = (0.0, 0.0)
    tangential: float = 0.0
    blown: float = 0.0
    by_speed: bool = True
    temperature: float = 1.0
    pressure: float = 0.0
    mass_flow: float = 0.0
    heat: float = 0.0
    isothermal: bool = False
    state: tuple | None = None

    def ghost_rows(self, normal, stream_state):
        """What the kernels read at each of its faces, shape (n, 4); `normal` points out of the flow."""
        rows = np.tile(stream_state, (len(normal), 1))
        if self.kind == "no-slip":
            # The outline runs counter-clockwise; the flow's outward normal points into the body.
            along = np.stack([normal[:, 1], -normal[:, 0]], axis=1)
            rows[:, 0], rows[:, 1] = self.temperature if self.isothermal else 0.0, self.heat
            rows[:, 2:] = np.asarray(self.velocity) + self.tangential * along
        elif self.kind == "blown":
            rows[:] = [self.blown, self.temperature, float(self.by_speed), 0.0]
        elif self.kind == "outlet":
            rows[:, :2] = self.pressure, self.temperature
        elif self.kind == "total inlet":
            rows[:] = [self.pressure, self.temperature, *self.velocity]
        elif self.kind in ("mass inlet", "mass outlet"):
            rows[:] = [self.mass_flow, self.temperature, *self.velocity]
        elif self.state is not None:
            rows[:] = self.state
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
        default = Boundary(wall_kind if name in mesh.walls else "slip" if name in ("symmetry", "axis") else "far field")
        boundary = given.get(name, default)
        kind[faces - first] = KINDS[boundary.kind]
        ghost[faces - first] = boundary.ghost_rows(mesh.normal[faces], stream.state)
    return kind, ghost
