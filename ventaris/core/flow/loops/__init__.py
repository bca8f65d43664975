"""Compiled loops, from one source for the plane and for space.

Each module makes its loops in a factory that freezes the dimension; `PLANE` and `SPACE` of a module hold what
it made. Small functions stand at the head of a module and take what they need in three dimensions: in a plane
the third components are 0 and the compiler leaves them out. The factories capture integers only: with another
compiled function in a closure the compiler's cache would miss at every start.

Symbols: p gauge pressure (above the free stream's), t temperature, u v w velocity, rho density, H total
enthalpy, c speed of sound, g ratio of specific heats; scaled by the free stream's density, speed of sound and
temperature and by the reference length, so that c = sqrt(t) and the absolute pressure is p + 1/g. A state is
stored as [p, t, u, v (, w)], fluxes and residuals as [mass, energy, momentum x, y (, z)].
"""
from collections import namedtuple

# Arrays that travel together. `offset` holds the way from a face's two cells to its centre where it is not
# the straight one, shape (n_faces, 2, dim), or nothing; `drift` the velocity at which faces and cells move,
# or nothing (see `frame`); `blend` the share of the centred difference in what is carried to each face
# between cells, or nothing where it is the same for all.
Faces = namedtuple("Faces", "left right normal area centre offset drift blend")
Cells = namedtuple("Cells", "centre volume first faces sign drift")
# Boundary faces, counted from the first of them: the cell inside, the kind of condition, what stands outside,
# the distance of the cell's centre, and what a wall function makes of the viscosity there.
Border = namedtuple("Border", "cell kind ghost gap shear")


def of_dimension(dim, loops):
    """The loops of a factory under their names."""
    names = [loop.__name__ for loop in loops]
    return namedtuple("Plane" if dim == 2 else "Space", names)(*loops)
