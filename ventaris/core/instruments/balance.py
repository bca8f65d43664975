"""The balance: forces and moment of the walls, pressure and friction apart."""
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Balance:
    """Weigh the walls.

    Attributes
    ----------
    moment_point : tuple
        In chords.
    """

    moment_point: tuple = (0.25, 0.0)

    def measure(self, flow):
        """Coefficients on chord and dynamic pressure from the last residual.

        Parameters
        ----------
        flow : Discretisation

        Returns
        -------
        dict
            ``lift, drag, moment, drag_pressure, drag_friction, lift_pressure``; the
            moment is positive nose up.
        """
        pressure, friction = flow.wall_loads()
        q = flow.stream.dynamic_pressure
        c, s = np.cos(flow.stream.incidence), np.sin(flow.stream.incidence)
        along, across = np.array([c, s]), np.array([-s, c])
        total = pressure + friction
        arm = flow.mesh.face_centre[flow.wall] - np.asarray(self.moment_point)
        moment = (arm[:, 1] * total[:, 0] - arm[:, 0] * total[:, 1]).sum()
        return {"lift": float(total.sum(0) @ across / q), "drag": float(total.sum(0) @ along / q),
                "moment": float(moment / q), "drag_pressure": float(pressure.sum(0) @ along / q),
                "drag_friction": float(friction.sum(0) @ along / q), "lift_pressure": float(pressure.sum(0) @ across / q)}


def forces(coefficients, air, chord, span):
    """Lift, drag in N and pitching moment in N m of a wing of the given span."""
    scale = air.dynamic_pressure * chord * span
    return {"lift": coefficients["lift"] * scale, "drag": coefficients["drag"] * scale,
            "drag_pressure": coefficients["drag_pressure"] * scale, "drag_friction": coefficients["drag_friction"] * scale,
            "moment": coefficients["moment"] * scale * chord}
