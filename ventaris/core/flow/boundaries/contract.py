"""What a boundary condition offers, and the record of one on a named surface.

A condition is one file: its code, `CONDITION`, and a compiled function for the flux. An opening's function
takes the state that is carried to the face and gives the flux through a unit of it; its derivative is found
by differences. A wall's function gives the gauge pressure on it beside the flux, which is without that
pressure; its derivative stands beside it. `ghost` is the face's row of what stands outside, five numbers.
"""
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Boundary:
    """One boundary condition on a named surface, in the solver's scales.

    Attributes
    ----------
    kind : str
        A name of the registry. "total inlet" is also the entrainment boundary: total pressure where air comes
        in, the same as static pressure where it leaves. "outlet" leads into a room at rest: air that comes
        back brings the room's pressure as its total pressure and comes straight in.
    velocity : tuple, or callable of the face centres in space
        Of a no-slip wall that slides, over a_inf; the direction in which an opening blows (zero: along the
        normal).
    tangential : float
        Speed in a plane of a no-slip wall along itself, positive counter-clockwise round the body, over
        a_inf.
    blown : float
        Speed (over a_inf) or mass flow per area (over rho_inf a_inf) into the flow; negative sucks.
    by_speed : bool
    temperature : float
        Over T_inf: of the blown air, total of an inlet, of what comes back through an outlet, of a no-slip
        wall that is given one.
    pressure : float
        Gauge pressure of an outlet, total gauge pressure of a total inlet, static of a supersonic inlet ("far
        field"), over rho_inf a_inf^2. Of a total inlet this and `temperature` may be callables of the face
        centres.
    mass_flow : float
        Per area, over rho_inf a_inf.
    whole : bool
        Whether `mass_flow` and `blown` are of the whole surface, over rho_inf a_inf times the reference
        length's square; they are spread over the grid's own area of it.
    heat : float
        Heat per area into the flow at a no-slip wall, over rho_inf a_inf^3.
    isothermal : bool
        Whether a no-slip wall is held at `temperature`.
    state : tuple or None
        [p, T, velocity] beyond a far field other than the stream.
    """

    kind: str
    velocity: object = ()
    tangential: float = 0.0
    blown: float = 0.0
    by_speed: bool = True
    temperature: float = 1.0
    pressure: float = 0.0
    mass_flow: float = 0.0
    whole: bool = False
    heat: float = 0.0
    isothermal: bool = False
    state: tuple | None = None

    def velocity_at(self, centre):
        """`velocity` at face centres, shape (n, dim)."""
        if callable(self.velocity):
            return self.velocity(centre)
        out = np.zeros_like(centre)
        if len(self.velocity):
            out[:] = self.velocity
        return out


@dataclass(frozen=True)
class Condition:
    """A kind of boundary condition.

    Attributes
    ----------
    name : str
    code : int
        What the compiled loops know it by.
    rows : callable
        rows(boundary, normal, centre, ghost) fills the faces' rows of `ghost`, shape (n, dim + 2), which hold
        the stream; `normal` points out of the flow.
    is_wall : bool
        Whether the flow's surface ends there: nothing passes but what is blown.
    """

    name: str
    code: int
    rows: Callable
    is_wall: bool = False


def keep_stream(boundary, normal, centre, ghost):
    """Rows of a condition that needs nothing but the stream."""
