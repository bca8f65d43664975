"""Quantities one can look at, derived from a state."""
from dataclasses import dataclass

import numpy as np

from ..flow.closures.spalart_allmaras import viscous_damping
from ..gas import sutherland_viscosity


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


QUANTITIES = {
    q.key: q
    for q in (Quantity("cp", "Pressure coefficient Cp", "", True, 0.0), Quantity("mach", "Mach number", ""),
              Quantity("speed", "Velocity", "m/s"), Quantity("pressure", "Pressure (absolute)", "Pa"),
              Quantity("density", "Density", "kg/m³"), Quantity("temperature", "Temperature", "K"),
              Quantity("loss", "Total-pressure loss", ""),
              Quantity("density_gradient", "Density gradient", "kg/m³ per m"),
              Quantity("vorticity", "Vorticity, counter-clockwise", "1/s", True, 0.0),
              Quantity("fluctuation", "Pressure about its mean", "Pa", True, 0.0),
              Quantity("eddy", "Eddy viscosity over molecular", ""))
}
TURBULENT_ONLY = {"eddy"}


def derive(state, air, mean=None):
    """All quantities of cell states in SI.

    Parameters
    ----------
    state : ndarray, shape (n, 4) or (n, 5)
        [gauge p, T, u, v] in the solver's scales, and the closure's variable.
    air : AirState
    mean : ndarray, shape (n, 4), or None
        The state's mean over time, where there is one.

    Returns
    -------
    dict of ndarray, shape (n,)
        Keys of `QUANTITIES` but for density gradient and vorticity, which need a mesh, and ``u``, ``v`` in
        m/s.  The loss is one minus the local over the free stream's total pressure.
    """
    g, a = air.gamma, air.speed_of_sound
    p, t, u, v = state.T[:4]
    absolute = np.maximum(p + 1 / g, 1e-9)
    speed2 = u * u + v * v
    mach = np.sqrt(speed2 / np.maximum(t, 1e-9))
    exponent = g / (g - 1)
    total = absolute * (1 + 0.5 * (g - 1) * mach**2)**exponent
    # Of the stream, or of what a nozzle is supplied with.
    stream_total = air.total_pressure / (air.pressure * g)
    scale = air.density * a * a
    out = {
        "cp": p / (0.5 * air.mach**2), "mach": mach, "speed": np.sqrt(speed2) * a,
        "pressure": absolute * scale, "density": g * absolute / t * air.density,
        "temperature": t * air.temperature, "loss": 1 - total / stream_total, "u": u * a, "v": v * a
    }
    if mean is not None:
        out["fluctuation"] = (p - mean[:, 0]) * scale
    if state.shape[1] > 4:
        out["eddy"] = _eddy_ratio(state[:, 4:], out, air)
    return out


def _eddy_ratio(closure, values, air):
    """Eddy over molecular viscosity from the closure's columns (scaled by the speed of sound and the
    chord)."""
    molecular = sutherland_viscosity(values["temperature"]) / sutherland_viscosity(
        air.temperature) if air.sutherland else 1.0
    nu = air.viscosity * molecular / values["density"] / (air.speed_of_sound * air.chord)
    if closure.shape[1] == 2:
        # k and ln omega; without the limiter near walls, which only matters inside the layer.
        return np.maximum(closure[:, 0], 0.0) / np.exp(closure[:, 1]) / nu
    chi = np.maximum(closure[:, 0], 0.0) / nu
    return chi * viscous_damping.py_func(chi)
