"""Quantities one can look at, derived from a state."""
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Quantity:
    """A drawable field.

    Attributes
    ----------
    key, label, unit : str
    diverging : bool
        Whether it is read as a difference from a neutral value (`centre`).
    """

    key: str
    label: str
    unit: str
    diverging: bool = False
    centre: float = 0.0


QUANTITIES = {q.key: q for q in (
    Quantity("cp", "Pressure coefficient Cp", "", True, 0.0),
    Quantity("mach", "Mach number", ""),
    Quantity("speed", "Velocity", "m/s"),
    Quantity("pressure", "Pressure (absolute)", "Pa"),
    Quantity("density", "Density", "kg/m³"),
    Quantity("temperature", "Temperature", "K"),
    Quantity("loss", "Total-pressure loss", ""))}


def derive(state, air):
    """All quantities of cell states in SI.

    Parameters
    ----------
    state : ndarray, shape (n, 4)
        [gauge p, T, u, v] in the solver's scales.
    air : AirState

    Returns
    -------
    dict of ndarray, shape (n,)
        Keys of `QUANTITIES` and ``u``, ``v`` in m/s.  The loss is one minus the local over
        the free stream's total pressure.
    """
    g, a = air.gamma, air.speed_of_sound
    p, t, u, v = state.T
    absolute = np.maximum(p + 1 / g, 1e-9)
    speed2 = u * u + v * v
    mach = np.sqrt(speed2 / np.maximum(t, 1e-9))
    exponent = g / (g - 1)
    total = absolute * (1 + 0.5 * (g - 1) * mach**2) ** exponent
    stream_total = (1 + 0.5 * (g - 1) * air.mach**2) ** exponent / g
    scale = air.density * a * a
    return {"cp": p / (0.5 * air.mach**2), "mach": mach, "speed": np.sqrt(speed2) * a, "pressure": absolute * scale,
            "density": g * absolute / t * air.density, "temperature": t * air.temperature, "loss": 1 - total / stream_total,
            "u": u * a, "v": v * a}
