"""From a run sheet to the things that are run: section, air, grid plan, free stream."""
from dataclasses import dataclass

import numpy as np

from .. import gas
from ..flow.stream import FreeStream
from ..grids.section import LEVELS, SectionGridPlan, topology_of
from ..shapes.build import BuiltSection, build


def air_state(air, chord):
    """The sheet's air section as an `AirState` in SI.

    Parameters
    ----------
    air : sheet Air
    chord : float
        Metres; needed when the viscosity is to meet a Reynolds number.
    """
    constant = air.gas_constant
    if air.state == "standard atmosphere":
        temperature, pressure = gas.standard_atmosphere(air.altitude)
        density = pressure / (constant * temperature)
    elif air.state == "pressure and temperature":
        temperature, pressure = air.temperature, air.pressure
        density = pressure / (constant * temperature)
    else:
        temperature, density = air.temperature, air.density
        pressure = density * constant * temperature
    sound = np.sqrt(air.gamma * constant * temperature)
    speed = air.speed if air.motion == "speed" else air.mach * sound
    if air.viscosity_law == "sutherland":
        viscosity = gas.sutherland_viscosity(temperature)
    elif air.viscosity_law == "constant":
        viscosity = air.viscosity
    else:
        viscosity = density * speed * chord / air.reynolds
    return gas.AirState(float(temperature), float(pressure), float(density), float(viscosity), float(speed), air.gamma,
                        constant, air.prandtl, air.viscosity_law == "sutherland", chord)


def grid_plan(sheet, reynolds):
    """The sheet's grid section with the program's own choices filled in."""
    grid = sheet.grid
    first, nose = grid.first_height, grid.nose_size
    model = sheet.flow.model
    layers = grid.layers or (88 if model == "turbulent" else 64)
    if first is None and model == "turbulent":
        first = wall_unit(reynolds)
    elif first is None:
        first = 2e-3 if model == "inviscid" else float(np.clip(0.08 / np.sqrt(reynolds), 2e-5, 4e-3))
        first *= 64 / layers
    if nose is None and model == "turbulent":
        nose = 8e-4 * 208 / grid.around
    return SectionGridPlan(grid.around, layers, grid.wake, first, sheet.domain.far_field, nose, grid.tail_size)


def wall_unit(reynolds, station=0.1):
    """Height in chords of one wall unit (y+ = 1) in a turbulent boundary layer at a station.

    From the skin friction 0.058 Re_x^-0.2 of a flat plate (Schlichting: Boundary-Layer Theory, 1979).
    """
    friction = 0.058 * (reynolds * station) ** -0.2
    return float(1.0 / (reynolds * np.sqrt(0.5 * friction)))


@dataclass(frozen=True)
class Setup:
    """A sheet made ready.

    Attributes
    ----------
    sheet : Sheet
    shape : BuiltSection
    air : AirState
    plan : SectionGridPlan
    stream : FreeStream
    levels : tuple of str
    """

    sheet: object
    shape: BuiltSection
    air: gas.AirState
    plan: SectionGridPlan
    stream: FreeStream
    levels: tuple

    @property
    def chord(self):
        return self.shape.chord

    @property
    def reynolds(self):
        return self.air.reynolds(self.chord)

    def cells(self, level):
        """Cell count of a level; the strip behind a blunt base adds a few more."""
        return self.plan.cells(level, topology_of(self.shape.section))


def prepare(sheet):
    """Build everything a run needs but the grid; raises `ShapeError` or ValueError."""
    shape = build(sheet.shape)
    air = air_state(sheet.air, shape.chord)
    reynolds = air.reynolds(shape.chord)
    plan = grid_plan(sheet, reynolds)
    viscous = sheet.flow.model != "inviscid"
    sutherland = gas.SUTHERLAND_CONSTANT / air.temperature if air.sutherland else 0.0
    stream = FreeStream(air.mach, np.radians(sheet.air.incidence), air.gamma, reynolds if viscous else None, sutherland, air.prandtl,
                        0.01 * sheet.air.turbulence_intensity, sheet.air.viscosity_ratio)
    return Setup(sheet, shape, air, plan, stream, LEVELS[:LEVELS.index(sheet.grid.level) + 1])


