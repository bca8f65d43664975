"""From the sheet's air section to the state of the air."""
import numpy as np

from .. import gas


def air_state(air, chord):
    """The sheet's air section as an `AirState` in SI.

    Parameters
    ----------
    air : sheet Air
    chord : float
        Metres; needed when the viscosity is to meet a Reynolds number.
    """
    air.check_gas()
    constant, gamma = air.constant, air.ratio
    if air.state == "standard atmosphere":
        temperature, pressure = gas.standard_atmosphere(air.altitude)
        density = pressure / (constant * temperature)
    elif air.state == "pressure and temperature":
        temperature, pressure = air.temperature, air.pressure
        density = pressure / (constant * temperature)
    else:
        temperature, density = air.temperature, air.density
        pressure = density * constant * temperature
    sound = np.sqrt(gamma * constant * temperature)
    speed = air.speed if air.motion == "speed" else air.mach * sound
    if air.viscosity_law == "sutherland":
        viscosity = gas.sutherland_viscosity(temperature)
    elif air.viscosity_law == "constant":
        viscosity = air.viscosity
    else:
        viscosity = density * speed * chord / air.reynolds
    return gas.AirState(float(temperature), float(pressure), float(density), float(viscosity), float(speed),
                        gamma, constant, air.prandtl, air.viscosity_law == "sutherland", chord)


def derived_air(setup):
    """What follows from the air section, in SI."""
    air = setup.air
    return {
        "mach": air.mach, "speed": air.speed, "reynolds": setup.reynolds, "temperature": air.temperature,
        "pressure": air.pressure, "density": air.density, "viscosity": air.viscosity,
        "speed_of_sound": air.speed_of_sound, "dynamic_pressure": air.dynamic_pressure,
        "total_pressure": air.total_pressure, "total_temperature": air.total_temperature,
        "incidence": setup.sheet.air.incidence
    }
