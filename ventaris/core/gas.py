"""Perfect gas, viscosity, standard atmosphere, isentropic and shock relations.

References
----------
U.S. Standard Atmosphere, 1976 (identical with ISO 2533 up to 50 km).
Ames Research Staff: Equations, tables, and charts for compressible flow, NACA
Report 1135, 1953, for the isentropic, shock and expansion relations.
"""
from dataclasses import dataclass

import numpy as np
from scipy.optimize import brentq

AIR_CONSTANT = 287.05287
# J/(mol K), CODATA 2018.
UNIVERSAL_CONSTANT = 8.314462618
SUTHERLAND_VISCOSITY, SUTHERLAND_TEMPERATURE, SUTHERLAND_CONSTANT = 1.716e-5, 273.15, 110.4
GRAVITY, EARTH_RADIUS = 9.80665, 6_356_766.0
# Geopotential height of the layer's foot in m, and its temperature gradient in K/m.
LAYERS = ((0.0, -6.5e-3), (11e3, 0.0), (20e3, 1e-3), (32e3, 2.8e-3), (47e3, 0.0), (51e3, -2.8e-3), (71e3,
                                                                                                    -2e-3))
LOWEST_ALTITUDE, HIGHEST_ALTITUDE = -1000.0, 86000.0


def standard_atmosphere(altitude):
    """Temperature (K) and pressure (Pa) at a geometric altitude (m) from -1 to 86 km.

    Raises
    ------
    ValueError
        Outside that range.
    """
    if not LOWEST_ALTITUDE <= altitude <= HIGHEST_ALTITUDE:
        raise ValueError(
            f"altitude = {altitude / 1000:g} km: the standard atmosphere here reaches from -1 to 86 km. "
            "Give temperature and pressure instead.")
    height = EARTH_RADIUS * altitude / (EARTH_RADIUS + altitude)
    temperature, pressure = 288.15, 101325.0
    for k, (foot, gradient) in enumerate(LAYERS):
        top = LAYERS[k + 1][0] if k + 1 < len(LAYERS) else np.inf
        rise = min(height, top) - foot
        upper = temperature + gradient * rise
        if gradient:
            pressure *= (upper / temperature)**(-GRAVITY / (AIR_CONSTANT * gradient))
        else:
            pressure *= np.exp(-GRAVITY * rise / (AIR_CONSTANT * temperature))
        temperature = upper
        if height <= top:
            break
    return float(temperature), float(pressure)


def sutherland_viscosity(temperature):
    """Dynamic viscosity of air in Pa s at a temperature in K (White: Viscous Fluid Flow, 1974)."""
    ratio = temperature / SUTHERLAND_TEMPERATURE
    return SUTHERLAND_VISCOSITY * ratio**1.5 * (SUTHERLAND_TEMPERATURE +
                                                SUTHERLAND_CONSTANT) / (temperature + SUTHERLAND_CONSTANT)


@dataclass(frozen=True)
class AirState:
    """An operating point's air and motion, in SI.

    Attributes
    ----------
    temperature, pressure, density, viscosity : float
    speed, mach : float
    gamma, gas_constant, prandtl : float
    sutherland : bool
        Whether the viscosity follows Sutherland's law away from the free stream.
    chord : float
        Reference length in m.
    """

    temperature: float
    pressure: float
    density: float
    viscosity: float
    speed: float
    gamma: float = 1.4
    gas_constant: float = AIR_CONSTANT
    prandtl: float = 0.72
    sutherland: bool = True
    chord: float = 1.0

    @property
    def speed_of_sound(self):
        return float(np.sqrt(self.gamma * self.gas_constant * self.temperature))

    @property
    def mach(self):
        return self.speed / self.speed_of_sound

    @property
    def dynamic_pressure(self):
        return 0.5 * self.density * self.speed**2

    @property
    def total_pressure(self):
        return self.pressure * isentropic_pressure_ratio(self.mach, self.gamma)

    @property
    def total_temperature(self):
        return self.temperature * (1 + 0.5 * (self.gamma - 1) * self.mach**2)

    def reynolds(self, length):
        return self.density * self.speed * length / self.viscosity


def isentropic_pressure_ratio(mach, gamma=1.4):
    """Total over static pressure."""
    return (1 + 0.5 * (gamma - 1) * mach**2)**(gamma / (gamma - 1))


def critical_pressure_coefficient(mach, gamma=1.4):
    """Cp at which an isentropic flow from Mach number `mach` turns sonic."""
    ratio = isentropic_pressure_ratio(mach, gamma) / isentropic_pressure_ratio(1.0, gamma)
    return (ratio - 1) / (0.5 * gamma * mach**2)


def normal_shock(mach, gamma=1.4):
    """Mach number behind, and ratios of static pressure, density and total pressure across a normal shock."""
    m2 = mach**2
    behind = np.sqrt((1 + 0.5 * (gamma - 1) * m2) / (gamma * m2 - 0.5 * (gamma - 1)))
    pressure = 1 + 2 * gamma / (gamma + 1) * (m2 - 1)
    density = (gamma + 1) * m2 / ((gamma - 1) * m2 + 2)
    total = pressure * isentropic_pressure_ratio(behind, gamma) / isentropic_pressure_ratio(mach, gamma)
    return float(behind), float(pressure), float(density), float(total)


def oblique_shock(mach, turn, gamma=1.4):
    """Weak oblique shock for a turn in radians.

    Returns
    -------
    mach_behind, pressure_ratio, wave_angle : float

    Raises
    ------
    ValueError
        If the shock would be detached.
    """
    def turned(wave):
        normal = mach * np.sin(wave)
        return np.arctan(2 / np.tan(wave) * (normal**2 - 1) / (mach**2 *
                                                               (gamma + np.cos(2 * wave)) + 2)) - turn

    wave = np.linspace(np.arcsin(1 / mach) + 1e-9, np.pi / 2, 2001)
    best = int(np.argmax(turned(wave)))
    if turned(wave[best]) < 0:
        raise ValueError(f"a turn of {np.degrees(turn):.2f} deg at Mach {mach:g} detaches the shock")
    angle = brentq(turned, wave[0], wave[best])
    behind, pressure, _, _ = normal_shock(mach * np.sin(angle), gamma)
    return float(behind / np.sin(angle - turn)), pressure, float(angle)


def prandtl_meyer(mach, gamma=1.4):
    """Prandtl-Meyer angle in radians."""
    k = np.sqrt((gamma + 1) / (gamma - 1))
    root = np.sqrt(mach**2 - 1)
    return float(k * np.arctan(root / k) - np.arctan(root))


def expansion(mach, turn, gamma=1.4):
    """Mach number and pressure ratio after an expansion through `turn` radians."""
    target = prandtl_meyer(mach, gamma) + turn
    after = brentq(lambda m: prandtl_meyer(m, gamma) - target, 1.0, 100.0)
    return float(after), float(
        isentropic_pressure_ratio(mach, gamma) / isentropic_pressure_ratio(after, gamma))


def mach_from_pressure(pressure_ratio, gamma=1.4):
    """Isentropic Mach number for static over total pressure."""
    return np.sqrt(np.maximum(2 / (gamma - 1) * (np.asarray(pressure_ratio)**(-(gamma - 1) / gamma) - 1), 0))
