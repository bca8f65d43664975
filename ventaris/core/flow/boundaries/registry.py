"""All boundary conditions, and how the compiled loops find the flux of one.

A further condition is a file of this room, a line of `CONDITIONS`, and for an opening a line of `open_flux`.
"""
import numpy as np
from numba import njit

from ..positions import fast
from . import blown, far_field, inlet, mass_inlet, mass_outlet, no_slip, outlet, slip, total_inlet
from .contract import Boundary
from .inlet import inlet_flux
from .mass_inlet import mass_inlet_flux
from .mass_outlet import mass_outlet_flux
from .outlet import outlet_flux
from .total_inlet import total_inlet_flux

SLIP, NO_SLIP, FAR_FIELD, BLOWN = slip.CODE, no_slip.CODE, far_field.CODE, blown.CODE
OUTLET, INLET, TOTAL_INLET = outlet.CODE, inlet.CODE, total_inlet.CODE
MASS_INLET, MASS_OUTLET = mass_inlet.CODE, mass_outlet.CODE
CONDITIONS = {
    c.name: c
    for c in (slip.CONDITION, no_slip.CONDITION, far_field.CONDITION, blown.CONDITION, outlet.CONDITION,
              inlet.CONDITION, total_inlet.CONDITION, mass_inlet.CONDITION, mass_outlet.CONDITION)
}


@njit(**fast)
def open_flux(kind, p, t, u, v, w, ghost, nx, ny, nz, constants):
    """Flux through a unit of an opening, given the state carried to it: mass, energy, momentum x, y, z."""
    if kind == INLET:
        return inlet_flux(p, t, u, v, w, ghost, nx, ny, nz, constants)
    if kind == MASS_OUTLET:
        return mass_outlet_flux(p, t, u, v, w, ghost, nx, ny, nz, constants)
    if kind == MASS_INLET:
        return mass_inlet_flux(p, t, u, v, w, ghost, nx, ny, nz, constants)
    if kind == TOTAL_INLET:
        return total_inlet_flux(p, t, u, v, w, ghost, nx, ny, nz, constants)
    return outlet_flux(p, t, u, v, w, ghost, nx, ny, nz, constants)


@njit(**fast)
def is_solid(kind):
    """Whether nothing passes: a wall that neither blows nor sucks."""
    return kind == SLIP or kind == NO_SLIP


def lay_out(mesh, free, wall_kind, given):
    """Kind and `ghost` row of every boundary face.

    Parameters
    ----------
    mesh : Mesh
    free : ndarray, shape (dim + 2,)
        State of the stream.
    wall_kind : {"slip", "no-slip"}
        Of the body's walls that `given` does not name.
    given : dict of str to Boundary

    Returns
    -------
    kind : ndarray of int, shape (n_boundary,)
    ghost : ndarray, shape (n_boundary, dim + 2)
    """
    first = mesh.n_interior
    kind = np.full(mesh.n_faces - first, FAR_FIELD, dtype=np.int64)
    ghost = np.tile(free, (len(kind), 1))
    for name, faces in mesh.boundaries.items():
        default = wall_kind if name in mesh.walls else "slip" if name in ("symmetry", "axis") else "far field"
        boundary = given.get(name) or Boundary(default)
        condition = CONDITIONS[boundary.kind]
        rows = np.tile(free, (len(faces), 1))
        condition.rows(boundary, mesh.normal[faces], mesh.face_centre[faces], rows)
        if boundary.whole and len(faces):
            rows[:, 0] /= mesh.area[faces].sum()
        kind[faces - first], ghost[faces - first] = condition.code, rows
    return kind, ghost
