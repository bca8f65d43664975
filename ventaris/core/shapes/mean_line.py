"""A first shape of a rotor in a duct from what it shall do: radial equilibrium, incidence and deviation.

The work is the same at all radii, so that the swirl behind is a free vortex and the axial speed uniform. The
air is that of the standard atmosphere at sea level, at rest ahead.

References
----------
Cumpsty: Compressor aerodynamics, 1989, chapters 2 and 4.
Carter: The low speed performance of related aerofoils in cascades, A.R.C. C.P. 29, 1950 (deviation).
Johnsen, Bullock (ed.): Aerodynamic design of axial-flow compressors, NASA SP-36, 1965, chapter 7 (incidence
of a supersonic inflow along the suction side).
"""
from dataclasses import dataclass

import numpy as np

from ..gas import AIR_CONSTANT
from .coordinates import ShapeError

PRESSURE, TEMPERATURE, GAMMA = 101325.0, 288.15, 1.4
CP = GAMMA / (GAMMA - 1) * AIR_CONSTANT
# Thickness at hub and tip, radius of the edges over the chord, sections that are laid out.
THICK_HUB, THICK_TIP, EDGE, SECTIONS = 0.09, 0.04, 0.004, 7
# Relative Mach numbers between which the incidence grows from nothing to that along the suction side.
SLOW, FAST = 0.75, 1.0
# Of the angle of an arc's suction side at the nose against its camber line: the inflow runs a little into the
# suction side, and what the layers block is left.
SUCTION_SHARE = 0.45
# Turning of the relative flow beyond which no row follows.
MOST_DIFFUSION = 0.62


@dataclass(frozen=True)
class PlannedSection:
    """One radius of the plan; angles in radians against the axis, positive against the turning."""

    radius: float
    chord: float
    stagger: float
    camber: float
    front: float
    thickness: float
    inlet_angle: float
    outlet_angle: float
    incidence: float
    deviation: float
    mach: float
    diffusion: float


def axial_speed(mass_flow, area, total_pressure, total_temperature, swirl2=0.0):
    """Subsonic axial speed of a mass flow through an area, m/s; raises ShapeError beyond choking.

    `swirl2` is the mean square of the swirl there.
    """
    limit = np.sqrt(2 * GAMMA / (GAMMA + 1) * AIR_CONSTANT * total_temperature)
    speed = np.linspace(0, limit, 4001)
    t = total_temperature - (speed**2 + swirl2) / (2 * CP)
    flux = total_pressure / (AIR_CONSTANT * total_temperature) * np.maximum(t / total_temperature,
                                                                            0)**(1 / (GAMMA - 1)) * speed
    most = int(np.argmax(flux))
    if mass_flow > flux[most] * area:
        raise ShapeError(
            f"shape.plan_mass_flow = {mass_flow:g} kg/s does not pass this annulus: it chokes at "
            f"{flux[most] * area:.4g} kg/s. Plan less, or give it a larger area (hub and casing radius)")
    return float(np.interp(mass_flow / area, flux[:most + 1], speed[:most + 1]))


def plan_row(mass_flow, speed, ratio, efficiency, hub, tip, blades, solidity):
    """Sections of a rotor, from hub to tip.

    Parameters
    ----------
    mass_flow : float
        kg/s.
    speed : float
        Radians per second.
    ratio : float
        Of total pressures.
    efficiency : float
        Isentropic.
    hub, tip : float
    blades : int
    solidity : float
        At mid-span.

    Returns
    -------
    list of PlannedSection

    Raises
    ------
    ShapeError
        Where the plan asks for more than a row can do.
    """
    area = np.pi * (tip**2 - hub**2)
    rise = TEMPERATURE * (ratio**((GAMMA - 1) / GAMMA) - 1) / efficiency
    ahead = axial_speed(mass_flow, area, PRESSURE, TEMPERATURE)
    vortex = CP * rise / speed
    mean = np.sqrt(0.5 * (hub**2 + tip**2))
    behind = axial_speed(mass_flow, area, PRESSURE * ratio, TEMPERATURE + rise, (vortex / mean)**2)
    chord = solidity * 2 * np.pi * 0.5 * (hub + tip) / blades
    out = []
    for r in np.linspace(hub, tip, SECTIONS):
        share = (r - hub) / (tip - hub)
        blade, swirl = speed * r, vortex / r
        inlet, outlet = np.arctan2(blade, ahead), np.arctan2(blade - swirl, behind)
        w1, w2 = np.hypot(blade, ahead), np.hypot(blade - swirl, behind)
        local = chord * blades / (2 * np.pi * r)
        diffusion = 1 - w2 / w1 + swirl / (2 * local * w1)
        if diffusion > MOST_DIFFUSION:
            raise ShapeError(
                f"shape.plan_ratio = {ratio:g}: at {r:.4g} m the flow would be diffused by {diffusion:.2f} "
                f"(Lieblein's factor), and rows stall from about {MOST_DIFFUSION}. Plan less pressure, more "
                "speed (shape.plan_speed) or more solidity (shape.plan_solidity)")
        thickness = THICK_HUB + share * (THICK_TIP - THICK_HUB)
        mach = w1 / np.sqrt(GAMMA * AIR_CONSTANT * (TEMPERATURE - ahead**2 / (2 * CP)))
        fast = float(np.clip((mach - SLOW) / (FAST - SLOW), 0, 1))
        # Of an arc the suction side's nose stands at twice the thickness against the camber line.
        incidence = fast * SUCTION_SHARE * np.arctan(2 * thickness)
        slope = (0.23 + 0.1 * np.degrees(outlet) / 50) / np.sqrt(local)
        camber = (inlet - incidence - outlet) / (1 - slope)
        deviation = slope * camber
        front = 0.5 - 0.2 * float(np.clip((mach - 1.0) / 0.3, 0, 1))
        out.append(
            PlannedSection(r, chord, _stagger(inlet - incidence, camber, front), camber, front, thickness,
                           inlet, outlet, incidence, deviation, mach, diffusion))
    return out


def _stagger(nose, camber, front):
    """Direction of the chord of a section whose camber line begins at an angle."""
    s = np.linspace(0, 1, 401)
    angle = nose - camber * ((4 * front - 1) * s + (2 - 4 * front) * s**2)
    return float(np.arctan2(np.trapezoid(np.sin(angle), s), np.trapezoid(np.cos(angle), s)))
