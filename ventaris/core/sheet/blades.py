"""The sections of a run sheet for blade rows, in a duct or in the open."""
from typing import Literal

from pydantic import Field, model_validator

from .arrangement import CLOSURES, Closure, Formula
from .fields import SheetSection, choice, number
from .keeping import Keep, keeping, own_cores
from .fluid import GasGiven, OfGas, gas_given, heat_capacity, heat_ratio, molar_mass, specific_constant
from .model import SheetBase

SETTINGS = {"duct": "In a duct, between hub and casing", "open": "In the open"}
FORMS = {"circular arc": "Circular arcs", "four-digit": "Four-digit thickness", "coordinates": "Coordinates"}
IN_DUCT, IN_OPEN = {"setting": "duct"}, {"setting": "open"}
DUCT, OPEN = {"shape.setting": "duct"}, {"shape.setting": "open"}
BY_SECTIONS, BY_PLAN = {"made": "sections"}, {"made": "plan"}
TURBULENT = {"flow.model": "turbulent"}


class BladeSection(SheetSection):
    """The blade at one radius."""

    radius: float = number(0.2, "m", above=0, high=1e3, label="Radius", help="Where it stands.")
    chord: float = number(0.045, "m", above=0, high=100, label="Chord", help="")
    stagger: float = number(
        45.0, "deg", -89, 89, "Stagger",
        "Of the chord against the axis; positive where the nose leads the way it turns. 90° less the pitch "
        "of a propeller.")
    camber: float = number(20.0, "deg", -120, 120, "Camber",
                           "By how much the camber line turns towards the axis from nose to tail.")
    front: float = number(
        0.5, "", -0.5, 1.5, "Camber ahead of mid-chord",
        "As a share of the whole: 0.5 is an arc of a circle, 0 or a little less the S-shape for a supersonic "
        "inflow.")
    thickness: float = number(0.06, "", 0.01, 0.4, "Thickness", "Largest, in chords.")
    edge: float = number(0.004, "", 0.001, 0.05, "Radius of the edges", "Of nose and tail, in chords.")
    sweep: float = number(0.0, "m", -10, 10, "Sweep", "Moved along the axis, downstream positive.")
    lean: float = number(0.0, "m", -10, 10, "Lean", "Moved round the axis, against the turning positive.")


class WallPoint(SheetSection):
    """A point of the contours of hub and casing."""

    x: float = number(0.0, "m", -1e3, 1e3, "x", "From the blades' stacking line.")
    hub: float = number(0.17, "m", above=0, high=1e3, label="Hub radius", help="")
    casing: float = number(0.25, "m", above=0, high=1e3, label="Casing radius", help="")


class InletStation(SheetSection):
    """What comes in at one share of the span."""

    span: float = number(50.0, "%", 0, 100, "Share of the span", "0 % is the hub, 100 % the casing.")
    total_pressure: float = number(101325.0, "Pa", above=0, high=1e8, label="Total pressure", help="")
    total_temperature: float = number(288.15, "K", 50, 3000, "Total temperature", "")
    swirl: float = number(0.0, "deg", -80, 80, "Flow angle", "At rest; positive with the turning.")


def default_sections():
    """The row that a sheet begins with: at hub, middle and casing."""
    rows = ((0.17, 0.0825, 50.5, 12.0, 0.09), (0.21, 0.0825, 60.5, 0.5, 0.065), (0.25, 0.0825, 66.5, -2.0,
                                                                                 0.04))
    return [BladeSection(radius=r, chord=c, stagger=s, camber=b, thickness=t) for r, c, s, b, t in rows]


class RowShape(SheetSection):
    """The blades, and what they stand between."""

    setting: Literal["duct", "open"] = choice(
        "duct", "Setting", "Compressors, fans and turbines stand in a "
        "duct; propellers, wind wheels and hovering rotors in the open.", **SETTINGS)
    made: Literal["sections", "plan"] = choice(
        "sections", "Blades from",
        "Sections at radii; or a plan of what the row shall do, from which sections follow by radial "
        "equilibrium and the rules for incidence and deviation.", when=IN_DUCT, sections="sections at radii",
        plan="a plan of the row")
    blades: int = number(24, "", 1, 200, "Blades", "", whole=True)
    hub_radius: float = number(0.17, "m", above=0, high=1e3, label="Hub radius",
                               help="In the open that of the spinner, which reaches up- and downstream.")
    casing_radius: float = number(0.25, "m", above=0, high=1e3, label="Casing radius", help="", when=IN_DUCT)
    tip_radius: float = number(1.0, "m", above=0, high=1e3, label="Tip radius", help="", when=IN_OPEN)
    tip_gap: float = number(0.0, "m", 0, 10, "Tip gap", "Between the blades' tips and the casing.",
                            when=IN_DUCT)
    form: Literal["circular arc", "four-digit",
                  "coordinates"] = choice("circular arc", "Thickness",
                                          "How it is spread along the chord; both edges are rounded.",
                                          **FORMS)
    outline: list[tuple[float, float]] | None = Field(
        None, json_schema_extra={"kind": "points", "when": {"form": "coordinates"}})
    stacked_at: float = number(0.5, "", 0, 1, "Stacked at",
                               "Share of the chord that stands on a straight line outwards.")
    plan_mass_flow: float = number(17.0, "kg/s", above=0, high=1e5, label="Mass flow of the plan", help="",
                                   when=BY_PLAN)
    plan_speed: float = number(14000.0, "rpm", above=0, high=1e6, label="Speed of the plan", help="",
                               when=BY_PLAN)
    plan_ratio: float = number(1.35, "", 1.005, 3, "Total-pressure ratio of the plan", "", when=BY_PLAN)
    plan_efficiency: float = number(0.88, "", 0.3, 1, "Efficiency that is expected",
                                    "Isentropic; with the pressure ratio it gives the work.", when=BY_PLAN)
    plan_solidity: float = number(1.5, "", 0.3, 3, "Solidity at mid-span", "Chord over the blades' pitch.",
                                  when=BY_PLAN)
    sections: list[BladeSection] = Field(default_factory=default_sections, max_length=24)
    walls: list[WallPoint] = Field(default_factory=list, max_length=40)

    @model_validator(mode="after")
    def _fits(self):
        outer = self.tip_radius if self.setting == "open" else self.casing_radius
        name = "shape.tip_radius" if self.setting == "open" else "shape.casing_radius"
        if outer <= self.hub_radius:
            raise ValueError(f"{name} = {outer:g} m is not beyond the hub's {self.hub_radius:g} m "
                             "(shape.hub_radius). Make the hub smaller, or the blades longer")
        if self.setting == "duct" and self.tip_gap >= 0.3 * (outer - self.hub_radius):
            raise ValueError(
                f"shape.tip_gap = {self.tip_gap:g} m is more than 0.3 of the span of "
                f"{outer - self.hub_radius:g} m. Give a smaller gap, or 0 for blades that reach the casing")
        if self.form == "coordinates" and not self.outline:
            raise ValueError("shape.outline is empty: bring in the section's coordinates, or choose another "
                             "thickness")
        if self.made == "sections" or self.setting == "open":
            if not self.sections:
                raise ValueError("shape.sections is empty: a blade needs a section at one radius at least")
            radii = [s.radius for s in self.sections]
            for one, two in zip(radii, radii[1:]):
                if two <= one:
                    raise ValueError(
                        f"shape.sections: a section at {two:g} m follows one at {one:g} m. List them from "
                        "the hub outwards, each at its own radius")
        stations = [w.x for w in self.walls]
        for one, two in zip(stations, stations[1:]):
            if two <= one:
                raise ValueError(
                    f"shape.walls: x = {two:g} m follows x = {one:g} m. List the points downstream")
        for w in self.walls:
            if w.hub >= w.casing:
                raise ValueError(
                    f"shape.walls: at x = {w.x:g} m the hub ({w.hub:g} m) is not below the casing "
                    f"({w.casing:g} m)")
        return self


class RowAir(OfGas, SheetSection):
    """The air that comes, how fast the row turns, and what stands behind it."""

    speed: float = number(14000.0, "rpm", -1e6, 1e6, "Speed of rotation",
                          "Positive: the noses of blades with positive stagger lead. 0 is a row at rest.")
    total_pressure: float = number(101325.0, "Pa", above=0, high=1e8, label="Total pressure",
                                   help="Of what comes in, at rest.", seen=DUCT)
    total_temperature: float = number(288.15, "K", 50, 3000, "Total temperature", "", seen=DUCT)
    swirl: float = number(0.0, "deg", -80, 80, "Inlet flow angle",
                          "Against the axis, in axes at rest; positive with the turning.", seen=DUCT)
    profile: list[InletStation] = Field(default_factory=list, max_length=60)
    outlet: Literal["pressure", "throttle", "flow"] = choice(
        "pressure", "Outlet held by",
        "A static pressure at the hub; or a throttle, behind which the pressure grows with the square of the "
        "flow: it holds points near and beyond the peak of the pressure, where a fixed pressure runs away; "
        "or the mass flow, for which the pressure is found, between the choke and that peak.",
        pressure="static pressure at the hub", throttle="a throttle", flow="the mass flow", seen=DUCT)
    outlet_flow: float = number(14.0, "kg/s", above=0, high=1e5, label="Mass flow", help="Of the whole row.",
                                when={"outlet": "flow"}, seen=DUCT)
    back_pressure: float = number(112000.0, "Pa", above=0, high=1e8, label="Static pressure at the hub",
                                  help="At the outlet; outwards it grows with the swirl.",
                                  when={"outlet": "pressure"}, seen=DUCT)
    ambient: float = number(101325.0, "Pa", above=0, high=1e8, label="Pressure behind the throttle", help="",
                            when={"outlet": "throttle"}, seen=DUCT)
    throttle_rise: float = number(
        20000.0, "Pa", 0, 1e8, "Throttle: pressure above that",
        "At the hub, at the mass flow below; in between it grows with the square of the flow. The larger, "
        "the further the throttle is closed.", when={"outlet": "throttle"}, seen=DUCT)
    throttle_flow: float = number(14.0, "kg/s", above=0, high=1e5, label="at a mass flow of", help="",
                                  when={"outlet": "throttle"}, seen=DUCT)
    pressure: float = number(101325.0, "Pa", above=0, high=1e8, label="Pressure (absolute)",
                             help="Of the air around.", seen=OPEN)
    temperature: float = number(288.15, "K", 50, 3000, "Temperature", "Of the air around.", seen=OPEN)
    wind: float = number(0.0, "m/s", 0, 1000, "Air comes along the axis at",
                         "Flight speed of a propeller, wind of a wheel; 0 hovers.", seen=OPEN)
    gas: GasGiven = gas_given()
    gamma: float = heat_ratio()
    gas_constant: float = specific_constant()
    heat_capacity: float = heat_capacity()
    molar_mass: float = molar_mass()
    viscosity_law: Literal["sutherland",
                           "constant"] = choice("sutherland", "Viscosity", "", sutherland="Sutherland (air)",
                                                constant="Constant")
    viscosity: float = number(1.81e-5, "Pa*s", 1e-9, 1e3, "Dynamic viscosity", "",
                              when={"viscosity_law": "constant"})
    prandtl: float = number(0.72, "", 0.1, 10, "Prandtl number", "0.72 for air.")
    turbulence_intensity: float = number(1.0, "%", 0.001, 30, "Turbulence intensity", "Of what comes in.",
                                         seen=TURBULENT, usual={
        "0.5": "a bell-mouth intake", "1": "a clean duct", "4": "a compressor's inlet behind vanes",
        "8": "behind another row"
    })
    viscosity_ratio: float = number(3.0, "", 1e-4, 1000, "Eddy over molecular viscosity", "Of what comes in.",
                                    seen=TURBULENT, usual={
        "3": "a quiet chamber", "10": "a pipe", "100": "behind a valve, a bend, another row"
    })

    @model_validator(mode="after")
    def _gas(self):
        self.check_gas()
        spans = [station.span for station in self.profile]
        for one, two in zip(spans, spans[1:]):
            if two <= one:
                raise ValueError(f"air.profile: {two:g} % of the span follows {one:g} %. List the stations "
                                 "from the hub outwards, each at its own share of the span")
        if len(spans) == 1:
            raise ValueError("air.profile has one station: a profile needs two. Add another, or give the "
                             "values above alone")
        return self


class RowDomain(SheetSection):
    """How far the air is computed."""

    ahead: float = number(1.0, "", 0.3, 20, "Duct ahead of the blades", "In axial chords of mid-span.",
                          seen=DUCT)
    behind: float = number(1.2, "", 0.3, 20, "Duct behind the blades", "In axial chords of mid-span.",
                           seen=DUCT)
    reach: float = number(6.0, "", 1.5, 30, "Air around", "In tip radii from the middle, in all directions; "
                          "cells grow outwards.", seen=OPEN)


class RowGrid(SheetSection):
    """The cells of one passage; counts are those of the fine level."""

    level: Literal["coarse", "medium",
                   "fine"] = choice("fine", "Climb to",
                                    "The run solves coarse, medium and fine in turn and stops here.",
                                    coarse="coarse", medium="medium", fine="fine")
    side_cells: int = number(56, "", 16, 400, "Cells along each side of a blade", "", whole=True)
    edge_cells: int = number(20, "", 8, 120, "Cells from blade to blade", "Ahead and behind; also round each "
                             "edge.", whole=True, multiple=2)
    off_cells: int = number(26, "", 10, 200, "Cells off the blade", "To the middle of the passage.",
                            whole=True)
    span_cells: int = number(36, "", 8, 400, "Cells along the span", "", whole=True)
    gap_cells: int = number(8, "", 4, 100, "Cells in the tip gap", "", whole=True, seen=DUCT)
    beyond_cells: int = number(26, "", 6, 200, "Cells beyond the tip", "", whole=True, seen=OPEN)
    ahead_cells: int = number(14, "", 4, 400, "Cells ahead", "", whole=True)
    behind_cells: int = number(22, "", 4, 400, "Cells behind", "", whole=True)
    y_plus: float = number(
        40.0, "", 0.5, 300, "y+ of the first cells",
        "On the fine level: 30 to 100 bridges the layer by a wall function, 1 resolves it.", seen=TURBULENT,
        usual={"40": "bridged by a wall function", "1": "resolved to the wall"})


class RowInstruments(SheetSection):
    """What is measured; averages, torque and loads always are."""

    span: float = number(50.0, "%", 2, 98, "Sections read at",
                         "Share of the span at which blade pressures are read beside 10, 50 and 90 %.")
    formulas: list[Formula] = Field(default_factory=list, max_length=20)


class RowFlow(SheetSection):
    """The physics."""

    model: Literal["inviscid", "turbulent"] = choice(
        "turbulent", "Flow model",
        "Inviscid: slip walls, no friction. Turbulent: no-slip walls and a closure.", inviscid="Inviscid",
        turbulent="Turbulent")
    closure: Closure = choice("spalart-allmaras", "Closure", "One equation, or two (k and ω).",
                              when={"model": "turbulent"}, **CLOSURES)


class RowRun(SheetSection):
    """How long, and how."""

    start: Literal["neighbour", "nothing"] = choice(
        "neighbour", "Start from",
        "Near its stall a row has two flows, and keeps to the one it comes from: throttled step by step it "
        "holds on longer than when it is started there. A neighbour is the nearest finished operating point "
        "of the same variant with the same grid that is throttled less; where there is none, the run begins "
        "with an open throttle.", neighbour="the nearest finished point", nothing="an open throttle")
    residual: float = number(1e-5, "", 1e-12, 1e-2, "Residual to reach",
                             "Share of the impulsive start's residual.")
    steady: float = number(1e-4, "", 1e-8, 1e-1, "Instruments steady within",
                           "Share of mass flow, pressure ratio and torque over the last steps.")
    steps: int = number(200, "", 5, 5000, "Most steps per level",
                        "The level ends here even if it has not settled.", whole=True)
    courant_start: float = number(5.0, "", 0.1, 1000, "Courant number at the start",
                                  "Smaller is slower and safer.")
    courant_most: float = number(200.0, "", 1, 1e6, "Largest Courant number", "")
    first_order_steps: int = number(20, "", 0, 500, "First-order steps",
                                    "Steps on the coarse level before second order takes over.", whole=True)
    krylov_vectors: int = number(30, "", 5, 200, "Krylov vectors", "Most vectors of one linear solution.",
                                 whole=True)
    keep: Keep = keeping()
    cores: int = own_cores()


class RowSheet(SheetBase):
    """One run of a blade row, whole."""

    space: Literal["row"] = "row"
    shape: RowShape = Field(default_factory=RowShape)
    air: RowAir = Field(default_factory=RowAir)
    domain: RowDomain = Field(default_factory=RowDomain)
    grid: RowGrid = Field(default_factory=RowGrid)
    instruments: RowInstruments = Field(default_factory=RowInstruments)
    flow: RowFlow = Field(default_factory=RowFlow)
    run: RowRun = Field(default_factory=RowRun)


SECTIONS = {
    "shape": RowShape, "air": RowAir, "domain": RowDomain, "grid": RowGrid, "instruments": RowInstruments,
    "flow": RowFlow, "run": RowRun
}
