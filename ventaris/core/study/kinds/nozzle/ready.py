"""From a nozzle's run sheet to the things that are run: contour, air, grid plan, boundaries, theory."""
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from .... import gas
from ....flow.boundaries.contract import Boundary
from ....flow.stream import FreeStream
from ....grids.lattice import NozzleGridPlan, generate_levels
from ....grids.section import LEVELS
from ....instruments.balance import channel_name
from ....instruments.sections import AVERAGES
from ....shapes.coordinates import ShapeError
from ....shapes.nozzles import NozzleContour, build_nozzle
from ....theory import choked_mass_flow, mach_disc_distance, mach_of_area, nozzle_theory

# The reference pressure is the one behind the exit, but not less than this share of the supply's.
LEAST_REFERENCE = 0.02
VISCOUS = ("laminar", "turbulent")
# Pressure ratio from which the published place of the Mach disc is given beside the computed one.
DISC_RATIO = 5.0


@dataclass(frozen=True)
class SuppliedAir(gas.AirState):
    """The air behind the exit as the reference state, and the supply.

    `speed` is that of a loss-free expansion to the reference pressure, `chord` the exit's diameter (or
    height).
    """

    supply_pressure: float = 0.0
    supply_temperature: float = 0.0
    ambient_pressure: float = 0.0

    @property
    def mach_ideal(self):
        """Mach number in the jet after a loss-free expansion to the reference pressure."""
        ratio = self.supply_pressure / self.pressure
        return float(np.sqrt(2 / (self.gamma - 1) * (ratio**((self.gamma - 1) / self.gamma) - 1)))

    @property
    def total_pressure(self):
        return self.supply_pressure

    @property
    def total_temperature(self):
        return self.supply_temperature


@dataclass(frozen=True)
class JetStream(FreeStream):
    """Scales of a jet, and the air around it at its own speed."""

    coflow: float = 0.0

    @property
    def state(self):
        return np.array([0.0, 1.0, self.coflow, 0.0])


@dataclass(frozen=True)
class NozzleSetup:
    """A nozzle's sheet made ready.

    Attributes
    ----------
    sheet : NozzleSheet
    contour : NozzleContour
    air : SuppliedAir
    stream : JetStream
    plan : NozzleGridPlan
        In the solver's unit.
    boundaries : dict of str to Boundary
    levels : tuple of str
    """

    sheet: object
    contour: NozzleContour
    air: SuppliedAir
    stream: JetStream
    plan: NozzleGridPlan
    boundaries: dict
    levels: tuple

    @property
    def scale(self):
        """Metres per unit of the solver: the exit's diameter or height."""
        return 2 * self.contour.exit_radius

    @property
    def chord(self):
        return self.scale

    @property
    def reynolds(self):
        """Of the loss-free jet on the exit's diameter."""
        return self.air.reynolds(self.scale)

    @property
    def is_choked(self):
        """Whether the flow turns supersonic somewhere, by one-dimensional theory."""
        return self.theory is None or self.theory.regime != "subsonic" or self.air.mach_ideal > 0.7

    @property
    def is_round(self):
        return self.sheet.shape.form == "round"

    @property
    def outside_pressure(self):
        """What presses on the nozzle from outside and thrust is measured against, Pa: the air around a jet,
        the back pressure behind a duct alone."""
        return self.air.ambient_pressure if self.has_jet else back_pressure(self.sheet,
                                                                            self.air.ambient_pressure)

    def station_at(self, station):
        """Where a station stands, metres from the inlet: at the throat where the sheet does not say."""
        return self.contour.throat[0] if station.x is None else station.x

    @property
    def ends_sonic(self):
        """Whether a duct alone is choked at its very exit, where the line of sound lies behind what is
        computed."""
        return not self.has_jet and self.theory is not None and self.theory.regime != "subsonic" and abs(
            self.theory.exit_mach - 1) < 0.02

    @property
    def has_jet(self):
        return self.sheet.domain.kind != "duct"

    def area(self, radius):
        """Cross-section in square metres at a radius or half height in metres."""
        return np.pi * np.asarray(radius)**2 if self.is_round else 2 * np.asarray(
            radius) * self.sheet.instruments.width

    @property
    def whole(self):
        """What a sum over the computed half plane (per radian, or per unit of depth) is multiplied with to be
        that of the whole, in the solver's unit."""
        return 2 * np.pi if self.is_round else 2 * self.sheet.instruments.width / self.scale

    @property
    def back(self):
        """Reference pressure over the supply's total pressure."""
        return self.air.pressure / self.air.supply_pressure

    @cached_property
    def theory(self):
        """Quasi-one-dimensional flow through the contour, or None for a supersonic supply."""
        if self.sheet.air.supply == "supersonic":
            return None
        back = min(back_pressure(self.sheet, self.air.ambient_pressure) / self.air.supply_pressure, 0.9999)
        return nozzle_theory(self.stations, self.area(self.contour.radius(self.stations)), max(back, 1e-4),
                             self.air.gamma)

    @cached_property
    def stations(self):
        """Stations of the theory in metres."""
        return np.linspace(0, self.contour.length, 401)

    def cells(self, level):
        return self.plan.cells(level)

    def generate(self, levels=None):
        """{level: Mesh}; raises `MeshError`."""
        return generate_levels(self.contour, self.scale, self.plan, levels or self.levels)

    def measures(self):
        """The nozzle in numbers, SI."""
        c, (at, throat) = self.contour, self.contour.throat
        slope = np.degrees(np.arctan(np.gradient(c.radius(self.stations), self.stations)))
        return {
            "length": c.length, "inlet_radius": c.inlet_radius, "throat_radius": throat, "throat_at": at,
            "exit_radius": c.exit_radius, "throat_area": float(self.area(throat)),
            "exit_area": float(self.area(c.exit_radius)),
            "area_ratio": float(self.area(c.exit_radius) / self.area(throat)),
            "steepest_in": float(-slope.min()), "steepest_out": float(slope.max())
        }

    def derived(self):
        """What follows from the air section, in SI."""
        air, theory = self.air, self.theory
        out = {
            "ambient": air.ambient_pressure, "temperature": air.temperature,
            "back_pressure": back_pressure(self.sheet, air.ambient_pressure), "supply": air.supply_pressure,
            "supply_temperature": air.supply_temperature, "ratio": air.supply_pressure / air.pressure,
            "ideal_mach": air.mach_ideal, "ideal_speed": air.speed, "reynolds": self.reynolds
        }
        if theory:
            _, throat = self.contour.throat
            choked = choked_mass_flow(air.supply_pressure, air.supply_temperature, self.area(throat),
                                      air.gamma, air.gas_constant)
            out |= {
                "regime": theory.regime, "mass_flow": float(theory.mass_flow * choked),
                "exit_mach": theory.exit_mach, "exit_pressure": theory.exit_pressure * air.supply_pressure,
                "shock": theory.shock, "thrust": self.ideal_thrust(theory)
            }
        return out

    def ideal_thrust(self, theory):
        """Thrust of the one-dimensional flow against the ambient pressure, N."""
        air, area = self.air, float(self.area(self.contour.exit_radius))
        pressure = theory.exit_pressure * air.supply_pressure
        return float(area * (pressure * (1 + air.gamma * theory.exit_mach**2) - self.outside_pressure))


def theory_result(setup):
    """The one-dimensional flow that a result carries beside the computed one, SI; None where there is
    none."""
    if setup.theory is None:
        return None
    derived = setup.derived()
    out = {
        name: derived[name]
        for name in ("regime", "mass_flow", "exit_mach", "exit_pressure", "shock", "thrust")
    }
    if setup.has_jet and setup.is_round and not setup.plan.plate and derived["exit_mach"] < 1.001 and derived[
            "ratio"] >= DISC_RATIO:
        out["mach_disc"] = mach_disc_distance(derived["ratio"]) * setup.scale
    return out


def nozzle_channels(setup):
    """Names of the channels that a nozzle's run records by itself."""
    names = [
        "step", "residual", "courant", "mass_flow", "mass_flow_out", "thrust", "discharge",
        "thrust_coefficient", "pressure_ratio", "exit_back_flow", "exit_p_total_least"
    ]
    means = [*AVERAGES, *(f"{what}_{other}" for what, (_, other) in AVERAGES.items())]
    names += [f"{place}_{what}" for place in ("inlet", "exit") for what in means]
    names += [channel_name(f"mass_flow_{p.name}") for p in setup.sheet.shape.ports]
    for station in setup.sheet.instruments.stations:
        name = channel_name(station.name)
        names += [f"{name}_mass_flow"] + [f"{name}_{what}" for what in means]
    if setup.plan.plate:
        names += ["plate_force", "plate_shear", "plate_peak_shear"]
    elif setup.has_jet:
        names += ["axis_speed"]
    return names + [channel_name(f"p_{p.name}") for p in setup.sheet.instruments.probes]


def ambient(air):
    """(pressure, temperature) of the air around."""
    if air.state == "standard atmosphere":
        temperature, pressure = gas.standard_atmosphere(air.altitude)
        return pressure, temperature
    return air.pressure, air.temperature


def absolute(value, air, around, path):
    """A pressure of the supply as an absolute one; raises ValueError."""
    out = value + (around if air.given_as == "relative" else 0.0)
    if out <= 0:
        raise ValueError(
            f"air.{path} = {value:g} Pa: that is {out:g} Pa absolute, and a pressure is more than 0. " +
            ("Give less suction." if air.given_as ==
             "relative" else "If it was meant relative to ambient, say so in the field above."))
    return out


def back_pressure(sheet, around):
    """Static pressure behind the exit, absolute."""
    air = sheet.air
    if sheet.domain.kind != "duct" or air.back_pressure is None or air.outlet != "pressure":
        return around
    return absolute(air.back_pressure, air, around, "back_pressure")


def _supply(sheet, contour, area, around, back):
    """(total pressure, total temperature) of what comes in."""
    air, g = sheet.air, sheet.air.ratio
    if air.supply == "total":
        total = absolute(air.total_pressure, air, around, "total_pressure")
        if total <= back * (1 + 1e-9):
            raise ValueError(
                f"air.total_pressure: the supply's total pressure of {total:g} Pa (absolute) does not exceed "
                f"the pressure behind the exit, {back:g} Pa: nothing would flow. "
                "Raise the supply, or lower the back pressure; look whether both are meant absolute or "
                "relative to ambient."
            )
        return total, air.total_temperature
    if air.supply == "jet mach":
        return back * gas.isentropic_pressure_ratio(air.jet_mach, g), air.total_temperature
    if air.supply == "supersonic":
        static = absolute(air.inlet_pressure, air, around, "inlet_pressure")
        return static * gas.isentropic_pressure_ratio(air.inlet_mach, g), air.total_temperature
    throat = area(contour.throat[1])
    unit = choked_mass_flow(1.0, air.total_temperature, throat, g, air.constant)
    choked = air.mass_flow / unit
    # The largest total pressure: choked; below, the exit runs subsonic at the back pressure.
    quiet = mach_of_area(max(area(contour.exit_radius) / throat, 1.0), g)
    if choked >= back * gas.isentropic_pressure_ratio(quiet, g):
        return choked, air.total_temperature
    flux = air.mass_flow / (area(contour.exit_radius) * back) * np.sqrt(
        air.constant * air.total_temperature / g)
    mach = np.sqrt((-1 + np.sqrt(1 + 2 * (g - 1) * flux**2)) / (g - 1))
    return back * gas.isentropic_pressure_ratio(mach, g), air.total_temperature


def prepare_nozzle(sheet):
    """Build everything a nozzle's run needs but the grid: a `NozzleSetup`; raises `ShapeError` or
    ValueError."""
    contour, air = build_nozzle(sheet.shape), sheet.air
    _check_ports(sheet.shape, contour)
    air.check_gas()
    gamma, constant = air.ratio, air.constant
    around, temperature = ambient(air)
    back = back_pressure(sheet, around)

    def area(radius):
        return np.pi * radius**2 if sheet.shape.form == "round" else 2 * radius * sheet.instruments.width

    total, warmth = _supply(sheet, contour, area, around, back)
    reference = max(back, LEAST_REFERENCE * total)
    ideal = float(np.sqrt(2 / (gamma - 1) * ((total / reference)**((gamma - 1) / gamma) - 1)))
    cold = warmth / (1 + 0.5 * (gamma - 1) * ideal**2)
    speed = ideal * np.sqrt(gamma * constant * cold)
    density = reference / (constant * temperature)
    viscosity = gas.sutherland_viscosity(temperature) if air.viscosity_law == "sutherland" else air.viscosity
    scale = 2 * contour.exit_radius
    state = SuppliedAir(temperature, reference, density, viscosity, float(speed), gamma, constant,
                        air.prandtl, air.viscosity_law == "sutherland", scale, supply_pressure=float(total),
                        supply_temperature=warmth, ambient_pressure=around)
    viscous = sheet.flow.model in VISCOUS
    stream = JetStream(state.mach, 0.0, gamma,
                       state.reynolds(scale) if viscous else None,
                       gas.SUTHERLAND_CONSTANT / temperature if state.sutherland else 0.0, air.prandtl,
                       0.01 * air.turbulence_intensity, air.viscosity_ratio,
                       coflow=air.coflow / state.speed_of_sound if sheet.domain.kind != "duct" else 0.0)
    setup = NozzleSetup(sheet, contour, state, stream, _plan(sheet, contour, state, scale), {},
                        LEVELS[:LEVELS.index(sheet.grid.level) + 1])
    setup.boundaries.update(_boundaries(setup))
    return setup


def _check_ports(shape, contour):
    spans = sorted((p.x - 0.5 * p.width, p.x + 0.5 * p.width, p.name) for p in shape.ports)
    for start, end, name in spans:
        if start < 0.02 * contour.length or end > 0.98 * contour.length:
            raise ShapeError(
                f"shape.ports: “{name}” reaches from x = {start:.4g} to {end:.4g} m, but the wall from 0 to "
                f"{contour.length:.4g} m (ports stay off its ends by a fiftieth). Move it."
            )
    for (_, end, one), (start, _, other) in zip(spans, spans[1:]):
        if start < end:
            raise ShapeError(f"shape.ports: “{one}” and “{other}” overlap. Move one.")


def _plate_distance(domain, scale):
    """Of the plate behind the exit in exit diameters; raises ValueError."""
    if domain.plate_at is None:
        return domain.distance
    distance = domain.plate_at / scale
    if not 0.2 <= distance <= 100:
        raise ValueError(
            f"domain.plate_at = {domain.plate_at:g} m: that is {distance:.3g} exit diameters of {scale:.4g} "
            "m; accepted: 0.2 to 100 of them"
        )
    return distance


def _plan(sheet, contour, air, scale):
    grid, domain = sheet.grid, sheet.domain
    viscous = sheet.flow.model in VISCOUS
    first = grid.first_height / scale if grid.first_height else None
    reynolds = air.reynolds(scale)
    if first is None and sheet.flow.model == "turbulent":
        # Some thirty wall units: the wall function bridges the rest.
        first = 25.0 / (reynolds * np.sqrt(0.5 * 0.058 * (reynolds * contour.length / scale)**-0.2))
    elif first is None and sheet.flow.model == "laminar":
        first = float(np.clip(0.1 / np.sqrt(reynolds), 1e-5, 0.02))
    jet = domain.kind != "duct"
    return NozzleGridPlan(
        along=grid.along, across=grid.across or (56 if viscous else 24), first_height=first,
        jet=grid.jet if jet else 0, lip=8 if jet else 0, outside=grid.outside,
        lip_thickness=sheet.shape.lip / scale, ahead=min(domain.ahead, 0.98 * contour.length / scale),
        reach=_plate_distance(domain, scale) if domain.kind == "plate" else domain.reach, width=domain.width,
        plate=domain.kind == "plate", revolved=sheet.shape.form == "round", ports=tuple(
            (p.name, (p.x - 0.5 * p.width) / scale, (p.x + 0.5 * p.width) / scale)
            for p in sheet.shape.ports))


def _boundaries(setup):
    sheet, air, stream = setup.sheet, setup.air, setup.stream
    g, given = air.gamma, sheet.air

    def gauge(pressure):
        return (pressure / air.pressure - 1) / g

    warmth = air.supply_temperature / air.temperature
    unit_flow = air.density * air.speed_of_sound
    out = {}
    if given.supply in ("total", "jet mach"):
        out["inlet"] = Boundary("total inlet", pressure=gauge(air.supply_pressure), temperature=warmth)
    elif given.supply == "mass flow":
        out["inlet"] = Boundary(
            "mass inlet",
            mass_flow=given.mass_flow / (float(setup.area(setup.contour.inlet_radius)) * unit_flow),
            temperature=warmth)
    else:
        cold = warmth / (1 + 0.5 * (g - 1) * given.inlet_mach**2)
        static = air.supply_pressure / gas.isentropic_pressure_ratio(given.inlet_mach, g)
        out["inlet"] = Boundary("far field",
                                state=(gauge(static), cold, given.inlet_mach * np.sqrt(cold), 0.0))
    ambient_gauge = gauge(air.ambient_pressure)
    if not setup.has_jet:
        if given.outlet == "mass flow":
            out["outlet"] = Boundary(
                "mass outlet",
                mass_flow=given.outlet_mass_flow / (float(setup.area(setup.contour.exit_radius)) * unit_flow))
        else:
            out["outlet"] = Boundary("outlet", pressure=gauge(back_pressure(sheet, air.ambient_pressure)),
                                     temperature=1.0)
    else:
        total = Boundary("total inlet", pressure=ambient_gauge, temperature=1.0)
        moving = stream.coflow > 0
        # Still air is drawn in with its total pressure; moving air comes with its own state.
        around = Boundary("far field") if moving else total
        out |= {
            "surroundings": around, "behind": around, "downstream": Boundary("outlet", pressure=ambient_gauge,
                                                                             temperature=1.0)
        }
    for port in sheet.shape.ports:
        out[port.name] = Boundary("total inlet", pressure=ambient_gauge, temperature=1.0)
    if sheet.flow.model in VISCOUS and given.wall_heat != "adiabatic":
        flux_unit = air.density * air.speed_of_sound**3
        wall = Boundary("no-slip", temperature=given.wall_temperature / air.temperature,
                        isothermal=given.wall_heat == "temperature",
                        heat=given.wall_flux / flux_unit if given.wall_heat == "heat flux" else 0.0)
        out |= {name: wall for name in ("wall", "lip", "outside", "plate")}
    return out


def start_state(setup, flow):
    """A start for the coarse grid: one-dimensional flow in the nozzle, a fading column of fully expanded jet
    behind it, still air elsewhere."""
    mesh, air, state = flow.mesh, setup.air, flow.uniform_state()
    x, r = mesh.centre[:, 0] * setup.scale, mesh.centre[:, 1] * setup.scale
    inside = (x <= setup.contour.length) & (r <= setup.contour.radius(x))
    g = air.gamma
    if setup.theory is None:
        b = setup.boundaries["inlet"].state
        mach, pressure = np.full(len(x),
                                 setup.sheet.air.inlet_mach), np.full(len(x), (b[0] * g + 1) * air.pressure)
    else:
        mach = np.interp(x, setup.stations, setup.theory.mach)
        pressure = np.interp(x, setup.stations, setup.theory.pressure) * air.supply_pressure
    warmth = air.supply_temperature / air.temperature / (1 + 0.5 * (g - 1) * mach**2)
    state[inside, 0] = ((pressure / air.pressure - 1) / g)[inside]
    state[inside, 1] = warmth[inside]
    slope = np.interp(x, setup.stations, np.gradient(setup.contour.radius(
        setup.stations), setup.stations)) * r / np.maximum(setup.contour.radius(x), 1e-12)
    state[inside, 2] = (mach * np.sqrt(warmth))[inside]
    state[inside, 3] = (mach * np.sqrt(warmth) * slope)[inside]
    if setup.has_jet:
        away = (x - setup.contour.length) / setup.scale
        fade = np.clip(1 - away / max(0.6 * setup.plan.reach, 1.0), 0,
                       1) if not setup.plan.plate else np.clip(1 - away / setup.plan.reach, 0, 1)
        jet = (away > 0) & (r < setup.contour.exit_radius)
        cold = air.supply_temperature / air.temperature / (1 + 0.5 * (g - 1) * air.mach_ideal**2)
        state[jet, 2] = np.maximum(state[jet, 2], (fade * air.mach_ideal * np.sqrt(cold))[jet])
        state[jet, 1] = (1 + fade * (cold - 1))[jet]
    return state
