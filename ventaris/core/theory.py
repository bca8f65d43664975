"""Exact solutions that stand beside a computed flow: one-dimensional nozzle flow, cones, shocks and
expansions along a surface.

References
----------
Ames Research Staff: Equations, tables, and charts for compressible flow, NACA Report 1135, 1953.
Anderson: Modern compressible flow, 3rd ed., 2003, chapters 5 (nozzles) and 10 (cones).
"""
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.integrate import solve_ivp
from scipy.interpolate import PchipInterpolator
from scipy.optimize import brentq

from .gas import expansion, isentropic_pressure_ratio, normal_shock, oblique_shock


def plate_friction(reynolds):
    """Local skin-friction coefficient of a turbulent plate at a Reynolds number on the distance from its
    edge (White: Viscous Fluid Flow, 1991)."""
    return 0.455 / np.log(0.06 * max(reynolds, 1e3))**2


def area_ratio(mach, gamma=1.4):
    """Area over that of the sonic throat."""
    m2 = np.asarray(mach, dtype=float)**2
    return ((2 / (gamma + 1)) * (1 + 0.5 * (gamma - 1) * m2))**(0.5 * (gamma + 1) / (gamma - 1)) / np.sqrt(m2)


def mach_of_area(ratio, gamma=1.4, supersonic=False):
    """Mach number where the area is `ratio` times the sonic throat's."""
    if ratio <= 1 + 1e-14:
        return 1.0
    low, high = (1.0, 60.0) if supersonic else (1e-9, 1.0)
    return float(brentq(lambda m: area_ratio(m, gamma) - ratio, low, high, xtol=1e-14))


def choked_mass_flow(total_pressure, total_temperature, area, gamma, gas_constant):
    """Mass flow through a sonic throat in kg/s."""
    return area * total_pressure * np.sqrt(gamma /
                                           (gas_constant * total_temperature)) * (2 /
                                                                                  (gamma + 1))**(0.5 *
                                                                                                 (gamma + 1) /
                                                                                                 (gamma - 1))


@dataclass(frozen=True)
class NozzleTheory:
    """Quasi-one-dimensional flow through a nozzle.

    Attributes
    ----------
    regime : {"subsonic", "shock inside", "over-expanded", "under-expanded", "choked"}
        "choked" is a convergent nozzle whose exit is sonic.
    mach, pressure : ndarray, shape (n,)
        At the stations given; the pressure over the inlet's total pressure.
    shock : float or None
        Station of the shock, in the unit of the stations.
    mass_flow : float
        Over that of a sonic throat.
    exit_mach, exit_pressure, total_left : float
        The exit pressure and the total pressure that is left, over the inlet's total pressure.
    ideal_mach : float
        Of an expansion without loss to the back pressure.
    """

    regime: str
    mach: np.ndarray
    pressure: np.ndarray
    shock: float | None
    mass_flow: float
    exit_mach: float
    exit_pressure: float
    total_left: float
    ideal_mach: float


def mach_disc_distance(ratio):
    """Distance of the Mach disc from a round sonic exit, in exit diameters.

    Parameters
    ----------
    ratio : float
        Total pressure of the supply over the ambient pressure.

    References
    ----------
    Ashkenas, Sherman: Rarefied gas dynamics, 4th symposium, vol. 2, 1966, p. 84, from measurements at ratios
    of 15 to 17 000; Crist, Sherman, Glass, AIAA J. 4, 1966, p. 68.
    """
    return 0.67 * np.sqrt(ratio)


def nozzle_theory(x, area, back, gamma=1.4):
    """Solve a nozzle whose back pressure is given.

    Parameters
    ----------
    x, area : ndarray, shape (n,)
        Stations from inlet to exit and the areas there.
    back : float
        Pressure behind the exit over the inlet's total pressure, between 0 and 1.

    Returns
    -------
    NozzleTheory
    """
    x, area = np.asarray(x, dtype=float), np.asarray(area, dtype=float)
    neck = int(np.argmin(area))
    throat = area[neck]
    ideal = float(np.sqrt(2 / (gamma - 1) * (back**(-(gamma - 1) / gamma) - 1)))
    exit_ratio = area[-1] / throat
    loud, quiet = mach_of_area(exit_ratio, gamma, True), mach_of_area(exit_ratio, gamma)

    def finish(regime, mach, pressure, shock=None, flow=1.0, left=1.0):
        return NozzleTheory(regime, mach, pressure, shock, flow, float(mach[-1]), float(pressure[-1]), left,
                            ideal)

    def isentropic(sonic, beyond):
        mach = np.array(
            [mach_of_area(max(a / sonic, 1.0), gamma, k > neck and beyond) for k, a in enumerate(area)])
        return mach, 1 / isentropic_pressure_ratio(mach, gamma)

    if back >= 1 / isentropic_pressure_ratio(quiet, gamma):
        sonic = area[-1] / area_ratio(ideal, gamma)
        return finish("subsonic", *isentropic(sonic, False), flow=float(sonic / throat))
    if exit_ratio <= 1 + 1e-9:
        mach, pressure = isentropic(throat, False)
        return finish("choked", mach, pressure)
    mach, pressure = isentropic(throat, True)
    behind, jump, _, _ = normal_shock(loud, gamma)
    if back <= pressure[-1]:
        return finish("under-expanded", mach, pressure)
    if back <= pressure[-1] * jump:
        return finish("over-expanded", mach, pressure)

    def after(ahead):
        """Mach number, pressure at the exit and total pressure behind a shock at that Mach number."""
        total = normal_shock(ahead, gamma)[3]
        m = mach_of_area(exit_ratio * total, gamma)
        return m, total / isentropic_pressure_ratio(m, gamma), total

    ahead = brentq(lambda m: after(m)[1] - back, 1.0 + 1e-9, loud, xtol=1e-13)
    total = after(ahead)[2]
    where = float(np.interp(area_ratio(ahead, gamma) * throat, np.maximum.accumulate(area[neck:]), x[neck:]))
    late = x > where
    mach[late] = [mach_of_area(a / throat * total, gamma) for a in area[late]]
    pressure[late] = total / isentropic_pressure_ratio(mach[late], gamma)
    return finish("shock inside", mach, pressure, where, left=total)


def _cone_behind(mach, wave, gamma):
    """Half-angle of the cone that makes a conical shock at that wave angle, and the radial speed at its
    surface (over the limit speed)."""
    normal = mach * np.sin(wave)
    turn = np.arctan(2 / np.tan(wave) * (normal**2 - 1) / (mach**2 * (gamma + np.cos(2 * wave)) + 2))
    after = normal_shock(normal, gamma)[0] / np.sin(wave - turn)
    speed = 1 / np.sqrt(2 / ((gamma - 1) * after**2) + 1)
    start = [speed * np.cos(wave - turn), -speed * np.sin(wave - turn)]

    def slope(theta, y):
        u, v = y
        room = 0.5 * (gamma - 1) * (1 - u * u - v * v)
        return [v, (v * v * u - room * (2 * u + v / np.tan(theta))) / (room - v * v)]

    def at_surface(theta, y):
        return y[1]

    at_surface.terminal = True
    run = solve_ivp(slope, (wave, 1e-4), start, method="DOP853", events=at_surface, rtol=1e-10, atol=1e-12)
    return run.t[-1], run.y[0, -1]


def _cone_surface(mach, wave, speed, gamma):
    """Pressure over the stream's and Mach number at the cone's surface."""
    surface = float(np.sqrt(2 / (gamma - 1) / (1 / speed**2 - 1)))
    total = normal_shock(mach * np.sin(wave), gamma)[3]
    return float(total * isentropic_pressure_ratio(mach, gamma) /
                 isentropic_pressure_ratio(surface, gamma)), surface


def cone_flow(mach, half_angle, gamma=1.4):
    """Exact supersonic flow past a cone at zero incidence (Taylor, Maccoll 1933).

    Parameters
    ----------
    mach : float
    half_angle : float
        Radians.

    Returns
    -------
    wave_angle, surface_pressure_ratio, surface_mach : float
        The pressure over the stream's.

    Raises
    ------
    ValueError
        If the shock would be detached.
    """
    waves = np.linspace(np.arcsin(1 / mach) + 1e-4, np.radians(85), 120)
    angles = np.array([_cone_behind(mach, w, gamma)[0] for w in waves])
    best = int(np.argmax(angles))
    if angles[best] < half_angle:
        raise ValueError(
            f"a cone of {np.degrees(half_angle):.2f}° at Mach {mach:g} detaches the shock; at most "
            f"{np.degrees(angles[best]):.2f}°"
        )
    wave = brentq(lambda w: _cone_behind(mach, w, gamma)[0] - half_angle, waves[0], waves[best], xtol=1e-10)
    return (float(wave), *_cone_surface(mach, wave, _cone_behind(mach, wave, gamma)[1], gamma))


@lru_cache(maxsize=32)
def _cone_table(mach, gamma):
    """Half-angles of cones with attached shocks, ascending, and their surface (p / p_stream - 1) / angle²;
    shapes (n,).

    For slender cones the wave lies within angle⁴ of the Mach angle, hence the spacing of the waves.
    """
    low = np.arcsin(1 / mach)
    waves = low + (np.radians(75) - low) * np.linspace(0.04, 1, 32)**4
    found = [(*_cone_behind(mach, wave, gamma), wave) for wave in waves]
    steepest = int(np.argmax([f[0] for f in found]))
    found = found[:steepest + 1]
    angles = np.array([f[0] for f in found])
    return angles, np.array([_cone_surface(mach, wave, speed, gamma)[0] - 1
                             for _, speed, wave in found]) / angles**2


def tangent_cones(angles, mach, gamma=1.4):
    """Pressure on a slender nose at zero incidence, at each station that of the cone with the same slope.

    Exact on a cone (Taylor, Maccoll 1933); on a curved nose the tangent-cone approximation (Anderson:
    Hypersonic and high-temperature gas dynamics, 2nd ed., 2006, section 3.6), which says nothing where the
    surface turns away from the stream.

    Parameters
    ----------
    angles : ndarray, shape (n,)
        Radians between the surface and the stream, positive towards it.

    Returns
    -------
    ndarray, shape (n,)
        Pressures over the stream's; nan where the angle is negative.

    Raises
    ------
    ValueError
        If the steepest cone would detach the shock.
    """
    angles = np.asarray(angles, dtype=float)
    table, rise = _cone_table(float(mach), float(gamma))
    if angles.max() > table[-1]:
        raise ValueError(
            f"a nose of {np.degrees(angles.max()):.2f}° at Mach {mach:g} detaches the shock; at most "
            f"{np.degrees(table[-1]):.2f}°"
        )
    inside = np.maximum(angles, table[0])
    return np.where(angles >= 0, 1 + PchipInterpolator(table, rise)(inside) * angles**2, np.nan)


def shock_expansion(angles, mach, gamma=1.4):
    """Pressure along one side of a sharp-nosed section in supersonic flow, piece by piece.

    A weak oblique shock (or an expansion) turns the stream on to the first piece, simple waves from there on.
    Exact until the waves that the shock throws back reach the surface: always so for flats behind a straight
    shock (Anderson: Modern compressible flow, section 4.15).

    Parameters
    ----------
    angles : ndarray, shape (n,)
        Radians between successive flat pieces and the stream, from the nose on, positive towards it.

    Returns
    -------
    ndarray, shape (n,)
        Pressures over the stream's; nan from where the flow would turn sonic or leave the surface.

    Raises
    ------
    ValueError
        If the shock at the nose would be detached.
    """
    first = float(angles[0])
    ahead, ratio = oblique_shock(mach, first, gamma)[:2] if first > 0 else expansion(mach, -first, gamma)
    out = np.full(len(angles), np.nan)
    out[0] = ratio
    for k, angle in enumerate(angles[1:], 1):
        try:
            out[k] = ratio * expansion(ahead, first - float(angle), gamma)[1]
        except ValueError:
            break
    return out
