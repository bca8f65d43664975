"""From a blade row's sheet to the things that are run: blades, air, boundaries, grids."""
from dataclasses import astuple, dataclass
from functools import cached_property

import numpy as np

from .... import gas
from ....blade_elements import DRAG, rotor_theory
from ....flow.boundaries.contract import Boundary
from ....flow.frame import TurningNear, spin
from ....flow.stream import FreeStream
from ....grids.passage.mesh import mesh_of_stack
from ....grids.passage.plane import PlaneCounts
from ....grids.passage.stack import SpanCounts, stack_planes
from ....grids.section import LEVELS
from ....shapes.blades import BladeRow
from ....shapes.coordinates import ShapeError
from ....shapes.rows import build_row, sections_of

# Cell sizes of neighbouring levels: with a factor of two the coarse grid of a body had another flow.
RATIO = 1.5
# The reference Mach number of a row that hardly turns and passes hardly anything.
LEAST_MACH = 0.02
MOST_TIP_MACH = 1.8
# First cells of inviscid rows, in chords of mid-span, and at hub and casing as a share of the span.
INVISCID_FIRST, INVISCID_WALL = 5e-3, 0.012
SWEEPS, SWEEPS_OPEN = 1500, 5000
# In the open: cells along a side and from blade to blade over those asked for, which are meant for a duct.
OPEN_SIDE, OPEN_EDGE = 0.72, 2.2
# A wheel hovers in winds below this share of its tip speed.
HOVERS = 0.05
# Tip radii over which the turning of the axes round a hovering wheel falls off.
AHEAD, BEHIND, BESIDE = (0.8, 1.8), (2.0, 4.0), (1.4, 2.2)


@dataclass(frozen=True)
class InletState:
    """What comes into a duct: total pressure and temperature over the reference's, flow angle at rest in
    degrees; numbers or arrays."""

    pressure: object
    temperature: object
    swirl: object


@dataclass(frozen=True)
class RowSetup:
    """A blade row's sheet made ready.

    Attributes
    ----------
    sheet : RowSheet
    row : BladeRow
        In chords of mid-span.
    scale : float
        Metres per chord of mid-span.
    air : AirState
        The reference: the total state at the inlet of a duct, the air around in the open; `speed` is that of
        the tip, or of the wind where that is faster.
    stream : FreeStream
    levels : tuple of str
    """

    sheet: object
    row: BladeRow
    scale: float
    air: gas.AirState
    stream: FreeStream
    levels: tuple

    @property
    def chord(self):
        return self.scale

    @property
    def is_open(self):
        return self.row.is_open

    @property
    def omega(self):
        """Speed of rotation, radians per second, positive as the sheet counts it."""
        return self.sheet.air.speed * 2 * np.pi / 60

    @property
    def turn(self):
        """Speed of rotation in the solver's scales: blades lean towards growing angles and turn towards
        falling ones."""
        return -self.omega * self.scale / self.air.speed_of_sound

    @property
    def tip_radius(self):
        """Metres."""
        shape = self.sheet.shape
        return shape.tip_radius if self.is_open else self.row.radius_at(1.0) * self.scale - shape.tip_gap

    @property
    def hub_radius(self):
        """Metres, at the stacking line."""
        return self.row.radius_at(0.0) * self.scale

    @property
    def mean_radius(self):
        return 0.5 * (self.hub_radius + self.tip_radius)

    @property
    def tip_speed(self):
        return abs(self.omega) * self.tip_radius

    @property
    def is_viscous(self):
        return self.sheet.flow.model == "turbulent"

    @cached_property
    def wall_unit(self):
        """Height at which y+ is 1 half-way along the blade, in the solver's length (plate's friction at the
        chord's Reynolds number; Schlichting: Boundary-layer theory, chapter 21)."""
        reynolds = max(self.stream.reynolds or 1e5, 1e4)
        friction = 0.027 / reynolds**(1 / 7)
        return 1.0 / (reynolds * np.sqrt(0.5 * friction))

    def counts(self, level):
        """(PlaneCounts, SpanCounts, first height at the blade) of a level."""
        g, away = self.sheet.grid, LEVELS.index(level)
        factor = RATIO**-(len(LEVELS) - 1 - away)
        count = lambda n, least=2: max(int(round(n * factor)), least)
        side, edge = g.side_cells, g.edge_cells
        if self.is_open:
            # Round a slender blade with much room to its neighbour both kinds of lines matter alike.
            side, edge = OPEN_SIDE * side, OPEN_EDGE * edge
        plane = PlaneCounts(count(side, 6), 2 * count(edge / 2, 3), count(g.off_cells, 7),
                            count(g.ahead_cells, 3), count(g.behind_cells, 3))
        span = float(self.row.casing[0] - self.row.hub[0])
        first = INVISCID_FIRST / factor
        at_wall, at_tip, gap = INVISCID_WALL / factor, 0.25 * INVISCID_WALL / factor, 0
        if self.is_viscous:
            # The centre of a cell stands half-way up.
            first = 2 * g.y_plus * self.wall_unit / factor
            at_wall = first / span
            at_tip = 2 * at_wall
        if self.is_open:
            gap = count(g.beyond_cells, 5)
            at_tip = min(at_tip, 0.02 * self.row.tip)
            spans = SpanCounts(count(g.span_cells, 6), gap, 0.03 * self.row.tip / factor, at_tip, 4 / gap)
        else:
            room = 1 - self.row.tip
            gap = count(g.gap_cells, 3) if room > 0 else 0
            at_tip = min(at_tip, room / gap) if gap else at_wall
            spans = SpanCounts(count(g.span_cells, 6), gap, at_wall, at_tip, at_wall)
        return plane, spans, first

    def cells(self, level):
        plane, spans, _ = self.counts(level)
        inside = plane.side * plane.edge * (spans.gap if spans.gap else 0)
        return plane.cells * (spans.blade + spans.gap) + inside

    def generate(self, level):
        """The `PassageMesh` of a level; raises `MeshError`."""
        plane, spans, first = self.counts(level)
        return mesh_of_stack(
            stack_planes(self.row, plane, spans, first, SWEEPS_OPEN if self.is_open else SWEEPS))

    @property
    def wind(self):
        """In the solver's scales: its Mach number."""
        return self.sheet.air.wind / self.air.speed_of_sound

    @property
    def hovers(self):
        """Whether the air of a wheel in the open comes so slowly that it spends many turns near the wheel."""
        return self.is_open and self.sheet.air.wind < HOVERS * self.tip_speed

    @property
    def turning_near(self):
        """The `TurningNear` of a wheel that hovers; None turns all of a passage."""
        if not self.hovers:
            return None
        tip = self.row.tip_radius
        return TurningNear(*(tuple(radii * tip for radii in fall) for fall in (AHEAD, BEHIND, BESIDE)))

    def boundaries(self, mesh):
        """Conditions of a passage's sides."""
        turn, out = self.turn, {}
        if self.is_open:
            far = Boundary("far field", state=(0.0, 1.0, self.wind, 0.0, 0.0))
            out |= {"inlet": far, "outlet": Boundary("outlet"), "casing": far}
        else:
            total, warmth = self._inlet_total if self.sheet.air.profile else (0.0, 1.0)
            out["inlet"] = Boundary("total inlet", pressure=total, temperature=warmth,
                                    velocity=self.inlet_direction)
            out["outlet"] = Boundary("outlet", pressure=self.hub_pressure)
        if self.is_viscous:
            turning = Boundary("no-slip", velocity=lambda centre: spin(centre, turn))
            out |= {name: turning for name in ("blade", "tip") if name in mesh.boundaries}
            if self.is_open:
                out["hub"] = Boundary("slip")
            else:
                out |= {"hub": turning, "casing": Boundary("no-slip")}
        return out

    def inlet_direction(self, centre):
        """Where the air of a duct comes from, as unit vectors at face centres."""
        r = np.hypot(centre[:, 1], centre[:, 2])
        angle = np.radians(self.inlet_at(self._span_of(r)).swirl)
        # Positive with the turning, which goes towards falling angles.
        swirl, axial = -np.sin(angle), np.cos(angle) * np.ones(len(r))
        return np.stack([axial, -swirl * centre[:, 2] / r, swirl * centre[:, 1] / r], 1)

    def _span_of(self, r):
        """Shares of the span at radii of the inlet."""
        hub, casing = self.row.hub[0], self.row.casing[0]
        return (r - hub) / (casing - hub)

    @property
    def _inlet_total(self):
        """Gauge pressure and temperature of what comes in, as functions of face centres, in the solver's
        scales."""
        at = lambda centre: self.inlet_at(self._span_of(np.hypot(centre[:, 1], centre[:, 2])))
        gauge = lambda centre: (at(centre).pressure - 1) / self.air.gamma
        return gauge, lambda centre: at(centre).temperature

    def inlet_at(self, span):
        """The `InletState` at shares of the span: as the sheet says, or as its profile has it there, straight
        between its stations and as at the last ones beyond."""
        air = self.sheet.air
        if not air.profile:
            return InletState(1.0, 1.0, air.swirl)
        at = [0.01 * station.span for station in air.profile]
        read = lambda name: np.interp(span, at, [getattr(station, name) for station in air.profile])
        return InletState(read("total_pressure") / air.total_pressure, read("total_temperature") /
                          air.total_temperature, read("swirl"))

    @cached_property
    def inlet_mean(self):
        """The `InletState` averaged over the annulus."""
        r = np.sqrt(np.linspace(self.row.hub[0]**2, self.row.casing[0]**2, 201))
        return InletState(*(float(np.mean(value)) for value in astuple(self.inlet_at(self._span_of(r)))))

    @property
    def holds_flow(self):
        return not self.is_open and self.sheet.air.outlet == "flow"

    @property
    def asked_flow(self):
        """Mass flow of one passage that the outlet lets through, in the solver's scales."""
        return self.sheet.air.outlet_flow / self.row.blades / self.mass_unit

    @property
    def hub_pressure(self):
        """Gauge pressure at the outlet's hub in the solver's scales; of a throttle that behind it; where a
        mass flow is held, nothing."""
        air, g = self.sheet.air, self.air.gamma
        if self.holds_flow:
            return 0.0
        given = air.back_pressure if air.outlet == "pressure" else air.ambient
        return (given / self.air.pressure - 1) / g

    @property
    def resistance(self):
        """Of the throttle: what the pressure gains with the square of one passage's mass flow."""
        air = self.sheet.air
        if self.is_open or air.outlet != "throttle":
            return 0.0
        flow = air.throttle_flow / self.row.blades / self.mass_unit
        return air.throttle_rise / (self.air.gamma * self.air.pressure) / flow**2

    @property
    def mass_unit(self):
        """kg/s of one unit of mass flow in the solver's scales."""
        return self.air.density * self.air.speed_of_sound * self.scale**2

    def derived(self):
        """What follows from the air section, in SI."""
        air = self.air
        through = self.sheet.air.wind if self.is_open else 0.0
        return {
            "temperature": air.temperature, "pressure": air.pressure, "density": air.density,
            "speed_of_rotation": self.sheet.air.speed, "tip_speed": self.tip_speed, "tip_mach":
            float(np.hypot(self.tip_speed, through)) / air.speed_of_sound, "wind": through, "reynolds":
            float(self.stream.reynolds or 0.0), "advance": self.advance if self.is_open else 0.0,
            "tip_speed_ratio": self.tip_speed / through if through else 0.0
        }

    @property
    def advance(self):
        """Wind over speed of rotation and diameter; 0 where nothing turns."""
        turns = abs(self.sheet.air.speed) / 60
        return self.sheet.air.wind / (turns * 2 * self.tip_radius) if turns else 0.0

    def theory(self):
        """What theory says beside the computation: blade elements and momentum in the open, the choking of
        the throat in a duct."""
        if not self.is_open:
            return {"choked_flow": choked_flow(self)}
        found = self.blade_elements()
        return {name: found[name] for name in ("thrust", "torque", "power")} if found else None

    def blade_elements(self):
        """What `rotor_theory` gives of this rotor; None where nothing turns."""
        if not self.omega:
            return None
        placed = sections_of(self.sheet.shape)
        sign = 1.0 if self.omega > 0 else -1.0
        return rotor_theory([r for r, _ in placed], [s.chord for _, s in placed],
                            [0.5 * np.pi - sign * s.stagger
                             for _, s in placed], self.row.blades, self.hub_radius, self.tip_radius,
                            abs(self.omega), self.sheet.air.wind, self.air.speed_of_sound, self.air.density,
                            DRAG if self.is_viscous else 0.0, [s.camber for _, s in placed])

    @cached_property
    def middle(self):
        """The `SectionShape` half-way along the blade."""
        return self.row.section_shape(0.5 * self.row.tip)

    @cached_property
    def solidity(self):
        """Chord over pitch half-way along the blade."""
        return self.middle.chord * self.scale / (2 * np.pi * self.mean_radius / self.row.blades)

    def measures(self):
        """The row in numbers, SI."""
        middle = self.middle
        return {
            "blades": self.row.blades, "hub_radius": self.hub_radius, "tip_radius": self.tip_radius,
            "tip_gap": 0.0 if self.is_open else self.sheet.shape.tip_gap, "chord": middle.chord * self.scale,
            "stagger": float(np.degrees(middle.stagger)), "solidity": self.solidity, "throat_area":
            self.throat_area
        }

    @cached_property
    def throat_area(self):
        """Least area between neighbouring blades, of the whole row, m2; nothing in the open."""
        if self.is_open:
            return 0.0
        spans = np.linspace(0, 1, 9)
        widths = np.array([_throat(self.row, s) for s in spans])
        r = np.array([self.row.radius_at(s) for s in spans])
        return float(np.trapezoid(widths, r) * self.row.blades * self.scale**2)


def _through(air, sound, density, area):
    """Speed that the pressures of a duct give without loss, m/s, or its mass flow at the density at rest; of
    a throttle a fair one."""
    if air.outlet == "flow":
        return min(air.outlet_flow / (density * area), sound)
    if air.outlet != "pressure" or air.back_pressure >= air.total_pressure:
        return 0.3 * sound
    mach = float(gas.mach_from_pressure(air.back_pressure / air.total_pressure, air.ratio))
    return min(mach, 1.0) * sound / np.sqrt(1 + 0.5 * (air.ratio - 1) * mach**2)


def choked_flow(setup):
    """Mass flow at which the throat chokes, by the relative total state at mid-span, kg/s."""
    air, g, inlet = setup.air, setup.air.gamma, setup.inlet_mean
    warm = 1 + 0.5 * (g - 1) * (setup.omega * setup.mean_radius / air.speed_of_sound)**2 / inlet.temperature
    pressure = air.pressure * inlet.pressure * warm**(g / (g - 1))
    temperature = air.temperature * inlet.temperature * warm
    flux = pressure * np.sqrt(g / (air.gas_constant * temperature)) * (2 / (g + 1))**(0.5 * (g + 1) / (g - 1))
    return float(flux * setup.throat_area)


def _throat(row, span):
    """Least distance of neighbouring blades at a span."""
    section = row.section(min(span, row.tip))
    above = section.lower[::3] + [0, row.pitch(span)]
    way = section.upper[::3, None] - above[None]
    return float(np.sqrt((way**2).sum(axis=-1)).min())


def prepare_row(sheet):
    """Build everything a row's run needs but the grid: a `RowSetup`; raises `ShapeError` or ValueError."""
    air, shape = sheet.air, sheet.shape
    air.check_gas()
    row, scale = build_row(shape, sheet.domain)
    is_open = shape.setting == "open"
    pressure, temperature = (air.pressure, air.temperature) if is_open else (air.total_pressure,
                                                                             air.total_temperature)
    density = pressure / (air.constant * temperature)
    viscosity = gas.sutherland_viscosity(temperature) if air.viscosity_law == "sutherland" else air.viscosity
    sound = float(np.sqrt(air.ratio * air.constant * temperature))
    outer = shape.tip_radius if is_open else shape.casing_radius
    tip = abs(air.speed) * 2 * np.pi / 60 * outer
    annulus = np.pi * (row.casing[0]**2 - row.hub[0]**2) * scale**2
    through = air.wind if is_open else _through(air, sound, density, annulus)
    speed = max(tip, through, LEAST_MACH * sound)
    if tip / sound > MOST_TIP_MACH:
        raise ShapeError(
            f"air.speed = {air.speed:g} rpm: the tip would turn at Mach {tip / sound:.2f}, and this program "
            f"goes to "
            f"{MOST_TIP_MACH}. Up to {MOST_TIP_MACH * sound / outer * 30 / np.pi:.0f} rpm are accepted here")
    if not is_open and air.outlet == "pressure":
        # What the row could do at most: all of the tip's speed made into pressure.
        most = air.total_pressure * (1 + (air.ratio - 1) * (tip / sound)**2)**(air.ratio / (air.ratio - 1))
        if air.back_pressure >= most:
            raise ShapeError(
                f"air.back_pressure = {air.back_pressure:g} Pa: no air would pass. At this speed the row can "
                f"reach {most:.4g} Pa at the very most. Lower it, or take a throttle as the outlet")
    state = gas.AirState(temperature, pressure, density, viscosity, float(speed), air.ratio, air.constant,
                         air.prandtl, air.viscosity_law == "sutherland", scale)
    viscous = sheet.flow.model == "turbulent"
    stream = FreeStream(state.mach, 0.0, air.ratio,
                        state.reynolds(scale) if viscous else None,
                        gas.SUTHERLAND_CONSTANT / temperature if state.sutherland else 0.0, air.prandtl,
                        0.01 * air.turbulence_intensity, air.viscosity_ratio)
    return RowSetup(sheet, row, scale, state, stream, LEVELS[:LEVELS.index(sheet.grid.level) + 1])
