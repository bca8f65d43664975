"""The balance: forces and moment of the walls, pressure and friction apart."""
import re
from dataclasses import dataclass, field

import numpy as np


@dataclass(frozen=True)
class Balance:
    """Weigh the walls.

    Attributes
    ----------
    moment_point : tuple
        In chords.
    elements : dict of str to list of str
        Surfaces of each element that is also weighed alone.
    slots : bool
        Whether the forces without the slots' momentum are wanted too.
    share : float
        Other than 1 where half of a body is weighed: what its forces count in the coefficients; its lift then
        counts nothing.
    stretches : tuple of str
        Named stretches that are also weighed alone.
    """

    moment_point: tuple = (0.25, 0.0)
    elements: dict = field(default_factory=dict)
    slots: bool = False
    share: float = 1.0
    stretches: tuple = ()

    def measure(self, flow):
        """Coefficients on chord and dynamic pressure from the last residual.

        Parameters
        ----------
        flow : Discretisation

        Returns
        -------
        dict
            ``lift, drag, moment, drag_pressure, drag_friction, lift_pressure``; the moment is
            positive nose up.  The momentum that slots blow out or take in is in them; with slots
            ``lift_without_slots`` and ``drag_without_slots`` leave it out, and ``slot_mass_flow`` is
            what they blow out over rho_inf U_inf chord.  Of several elements also
            ``lift_<element>`` and ``drag_<element>``, and of named stretches the same.
        """
        pressure, other = flow.wall_loads()
        q = flow.stream.dynamic_pressure
        along, across = flow.stream.axes
        if self.share != 1.0:
            pressure, other = (self.share * force * [1.0, 0.0] for force in (pressure, other))
        total = pressure + other
        friction = np.where(flow.is_blown[:, None], 0.0, other)
        arm = flow.mesh.face_centre[flow.wall] - np.asarray(self.moment_point)
        moment = 0.0 if self.share != 1.0 else nose_up(total, arm)
        out = {
            "lift": float(total.sum(0) @ across / q), "drag": float(total.sum(0) @ along / q),
            "moment": float(moment / q), "drag_pressure": float(pressure.sum(0) @ along / q),
            "drag_friction": float(friction.sum(0) @ along / q),
            "lift_pressure": float(pressure.sum(0) @ across / q)
        }
        if self.slots:
            bare = (pressure + friction).sum(0)
            mass = flow.flux[flow.wall][flow.is_blown, 0].sum()
            out.update(lift_without_slots=float(bare @ across / q),
                       drag_without_slots=float(bare @ along / q),
                       slot_mass_flow=float(-mass / flow.stream.mach))
        stretches = [(name, (name, )) for name in self.stretches if name in flow.mesh.boundaries]
        for name, surfaces in (*self.elements.items(), *stretches):
            own = np.isin(flow.wall, np.concatenate([flow.mesh.boundaries[s] for s in surfaces]))
            out[channel_name(f"lift_{name}")] = float(total[own].sum(0) @ across / q)
            out[channel_name(f"drag_{name}")] = float(total[own].sum(0) @ along / q)
        return out


def torque(flow, point, faces=None):
    """Moment of wall faces, nose up (clockwise) about a point, over dynamic pressure and chord squared, from
    the last residual.

    Parameters
    ----------
    flow : Discretisation
    point : array, shape (2,)
    faces : ndarray of int or None
        Those that count, among others that are no walls; None are all.
    """
    pressure, other = flow.wall_loads()
    own = slice(None) if faces is None else np.isin(flow.wall, faces)
    force, arm = (pressure + other)[own], flow.mesh.face_centre[flow.wall][own] - np.asarray(point)
    return float(nose_up(force, arm) / flow.stream.dynamic_pressure)


def nose_up(force, arm):
    """Moment nose up (clockwise) of forces at the ends of arms, both shape (n, 2)."""
    return (arm[:, 1] * force[:, 0] - arm[:, 0] * force[:, 1]).sum()


def channel_name(text):
    """A name that formulas can use."""
    return re.sub(r"[^A-Za-z0-9]+", "_", text)


def forces(coefficients, air, chord, area):
    """Lift, drag in N and pitching moment in N m for the area that the coefficients refer to."""
    scale = air.dynamic_pressure * area
    return {
        "lift": coefficients["lift"] * scale, "drag": coefficients["drag"] * scale,
        "drag_pressure": coefficients["drag_pressure"] * scale,
        "drag_friction": coefficients["drag_friction"] * scale,
        "moment": coefficients["moment"] * scale * chord
    }
