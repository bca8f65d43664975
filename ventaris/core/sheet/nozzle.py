"""The sections of a run sheet for nozzles, ducts and their jets."""
from typing import Literal

from pydantic import Field, model_validator

from .. import units
from .arrangement import CLOSURES, Closure, Formula
from .fields import SheetSection, choice, number, text
from .keeping import Keep, keeping, own_cores
from .fluid import GasGiven, OfGas, gas_given, heat_capacity, heat_ratio, molar_mass, specific_constant
from .model import SheetBase

FORMS = {"round": "Round, about its axis", "planar": "Flat, two walls"}


class Port(SheetSection):
    """A slot all round the wall that is open to the air outside."""

    name: str = text("port", "Name", "Its mass flow is read under this name.", 30)
    x: float = number(0.12, "m", 0, 1e3, "Middle at x", "From the inlet.")
    width: float = number(0.004, "m", above=0, high=1e3, label="Width", help="Along the wall.")


class NozzleShape(SheetSection):
    """The inner wall of a nozzle or duct, from inlet to exit."""

    kind: Literal["conical", "bell", "coordinates"] = choice(
        "conical", "Contour", "How the divergent part is made; without one the nozzle is convergent.",
        conical="Conical divergence", bell="Bell-shaped divergence", coordinates="Coordinates")
    form: Literal["round", "planar"] = choice(
        "round", "Form", "Round about its axis, or flat with two equal walls; radii are then half heights.",
        **FORMS)
    inlet_radius: float = number(0.05, "m", above=0, high=1e3, label="Inlet radius", help="",
                                 when={"kind": ("conical", "bell")})
    inlet_length: float = number(0.03, "m", 0, 1e3, "Straight inlet", "Length ahead of the convergence.",
                                 when={"kind": ("conical", "bell")})
    converge_length: float = number(0.07, "m", above=0, high=1e3, label="Convergence length",
                                    help="From the inlet's end to the throat.",
                                    when={"kind": ("conical", "bell")})
    inlet_blend: float = number(0.5, "", 0, 10, "Blend at the inlet",
                                "Radius of the wall's bend, in inlet radii.",
                                when={"kind": ("conical", "bell")})
    throat_radius: float = number(0.03, "m", above=0, high=1e3, label="Throat radius", help="",
                                  when={"kind": ("conical", "bell")})
    throat_blend: float = number(1.0, "", 0, 20, "Blend ahead of the throat",
                                 "Radius of the wall's bend, in throat radii.",
                                 when={"kind": ("conical", "bell")})
    exit_blend: float = number(0.5, "", 0, 20, "Blend behind the throat",
                               "Radius of the wall's bend, in throat radii.",
                               when={"kind": ("conical", "bell")})
    diverge_length: float = number(0.10, "m", 0, 1e3, "Divergence length",
                                   "From the throat to the exit; 0 is a convergent nozzle.",
                                   when={"kind": ("conical", "bell")})
    exit_radius: float = number(0.04, "m", above=0, high=1e3, label="Exit radius",
                                help="A convergent nozzle (divergence length 0) ends at its throat.",
                                when={"kind": ("conical", "bell"), "diverge_length": ("!0", )})
    bell_start: float = number(22.0, "deg", 1, 60, "Bell angle at the throat", "", when={"kind": "bell"})
    bell_end: float = number(7.0, "deg", 0, 40, "Bell angle at the exit", "", when={"kind": "bell"})
    lip: float = number(0.004, "m", above=0, high=100, label="Lip thickness",
                        help="Of the wall at its exit; matters where air surrounds the nozzle.")
    points: list[tuple[float, float]] | None = Field(
        None, json_schema_extra={"kind": "points", "when": {"kind": "coordinates"}})
    ports: list[Port] = Field(default_factory=list, max_length=8)

    @model_validator(mode="after")
    def _complete(self):
        if self.kind == "coordinates" and not self.points:
            raise ValueError("shape.points is empty: bring in the contour, or choose another kind")
        if self.kind != "coordinates":
            if self.throat_radius > self.inlet_radius:
                raise ValueError(
                    f"shape.throat_radius = {self.throat_radius:g} m is larger than the inlet's "
                    f"{self.inlet_radius:g} m. A throat is the narrowest place: lower it, or widen the inlet"
                )
            if self.diverge_length > 0 and self.exit_radius < self.throat_radius:
                raise ValueError(
                    f"shape.exit_radius = {self.exit_radius:g} m is smaller than the throat's "
                    f"{self.throat_radius:g} m. Widen the exit, or set the divergence length to 0"
                )
        names = [p.name for p in self.ports]
        for name in names:
            if not name or names.count(name) > 1 or name in ("wall", "inlet", "outlet", "axis", "lip",
                                                             "outside", "plate"):
                raise ValueError(
                    f"shape.ports: “{name}” cannot be a port's name: it is empty, taken, or used twice. Give "
                    "every port its own"
                )
        return self


# Where the form shows a field. A jet in time whose exit is computed takes the turbulent run of the inside
# with it.
COMPUTED_EXIT = {"flow.exit_profile": "computed"}
STEADY = {"flow.model": ("inviscid", "laminar", "turbulent")}
STEADY_OR_INSIDE = [STEADY, COMPUTED_EXIT]
VISCOUS_OR_INSIDE = [{"flow.model": ("laminar", "turbulent")}, COMPUTED_EXIT]
TURBULENT_OR_INSIDE = [{"flow.model": "turbulent"}, COMPUTED_EXIT]
AIR_AROUND = {"domain.kind": ("open air", "plate")}
STEADY_AROUND = {**STEADY, **AIR_AROUND}
INSIDE_ALONE = {"domain.kind": "duct"}


class NozzleAir(OfGas, SheetSection):
    """The air around, and what is supplied."""

    state: Literal["standard atmosphere", "pressure and temperature"] = choice(
        "standard atmosphere", "Air around", "Where the ambient pressure and temperature come from.", **{
            "standard atmosphere": "Standard atmosphere",
            "pressure and temperature": "Pressure and temperature"
        })
    altitude: float = number(0.0, "m", -1000, 86000, "Altitude",
                             "Geometric altitude in the standard atmosphere.",
                             when={"state": "standard atmosphere"})
    temperature: float = number(288.15, "K", 10, 3000, "Temperature", "Static temperature of the air around.",
                                hint="Temperatures are absolute; write degrees Celsius as -5 degC",
                                when={"state": "pressure and temperature"})
    pressure: float = number(101325.0, "Pa", 1e-3, 1e9, "Pressure (absolute)",
                             "Static pressure of the air around.", when={"state": "pressure and temperature"})
    coflow: float = number(0.0, "m/s", 0, 3000, "Air around moves at",
                           "Along the axis; 0 is still air. Felt where air surrounds the nozzle.",
                           seen=AIR_AROUND)
    given_as: Literal["absolute", "relative"] = choice(
        "absolute", "Pressures below are",
        "Supply and back pressure: absolute, or above the ambient pressure. Both are always shown.",
        absolute="absolute", relative="relative to ambient")
    supply: Literal["total", "jet mach", "mass flow", "supersonic"] = choice(
        "total", "Supply given by",
        "What comes in: a total pressure, the one that expands without loss to a Mach number behind the "
        "exit, a mass flow, or a supersonic stream with its static pressure.",
        **{
            "total": "total pressure", "jet mach": "fully expanded Mach number", "mass flow": "mass flow",
            "supersonic": "supersonic stream"
        })
    jet_mach: float = number(
        1.5, "", 0.02, 6, "Fully expanded Mach number",
        "Of the jet after a loss-free expansion to the pressure behind the exit; the supply's total pressure "
        "follows.",
        when={"supply": "jet mach"})
    total_pressure: float = number(3e5, "Pa", -1e9, 1e9, "Total pressure", "Of the supply.",
                                   when={"supply": "total"})
    total_temperature: float = number(288.15, "K", 10, 4000, "Total temperature", "Of the supply.")
    mass_flow: float = number(1.0, "kg/s", above=0, high=1e6, label="Mass flow",
                              help="Of the whole nozzle; per metre of width where it is flat.",
                              when={"supply": "mass flow"})
    inlet_mach: float = number(2.0, "", 1.01, 10, "Mach number of the supply", "",
                               when={"supply": "supersonic"})
    inlet_pressure: float = number(101325.0, "Pa", -1e9, 1e9, "Static pressure of the supply", "",
                                   when={"supply": "supersonic"})
    outlet: Literal["pressure",
                    "mass flow"] = choice("pressure", "Exit held by",
                                          "For a duct alone; a jet meets the air around.",
                                          **{"pressure": "back pressure",
                                             "mass flow": "mass flow"}, seen=INSIDE_ALONE)
    back_pressure: float | None = number(
        None, "Pa", -1e9, 1e9, "Back pressure",
        "Static pressure behind the exit of a duct; empty takes the ambient's.", when={"outlet": "pressure"})
    outlet_mass_flow: float = number(1.0, "kg/s", above=0, high=1e6, label="Mass flow out", help="",
                                     when={"outlet": "mass flow"})
    wall_heat: Literal["adiabatic", "temperature", "heat flux"] = choice(
        "adiabatic", "Walls", "Of viscous flow.",
        **{"adiabatic": "adiabatic", "temperature": "held at a temperature",
           "heat flux": "heated"}, seen=VISCOUS_OR_INSIDE)
    wall_temperature: float = number(288.15, "K", 10, 3000, "Wall temperature", "",
                                     when={"wall_heat": "temperature"})
    wall_flux: float = number(0.0, "W/m^2", -1e8, 1e8, "Heat into the flow", "Negative cools it.",
                              when={"wall_heat": "heat flux"})
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
    prandtl: float = number(0.72, "", 0.1, 10, "Prandtl number", "0.72 for air.", seen=VISCOUS_OR_INSIDE)
    turbulence_intensity: float = number(1.0, "%", 0.001, 30, "Turbulence intensity", "Of what comes in.",
                                         seen=TURBULENT_OR_INSIDE, usual={
        "0.5": "a large settling chamber", "1": "a smooth pipe's core", "5": "behind a valve or bend",
        "10": "behind a burner"
    })
    viscosity_ratio: float = number(3.0, "", 1e-4, 1000, "Eddy over molecular viscosity", "Of what comes in.",
                                    seen=TURBULENT_OR_INSIDE, usual={
        "3": "a quiet chamber", "10": "a pipe", "100": "behind a valve, a bend, another row"
    })


class NozzleDomain(SheetSection):
    """What surrounds the nozzle."""

    kind: Literal["duct", "open air", "plate"] = choice(
        "duct", "Computed",
        "The inside alone, or with the air around; lengths below are in exit diameters (flat: exit heights).",
        **{"duct": "the inside alone", "open air": "jet in the open", "plate": "jet on a plate"})
    distance: float = number(
        4.0, "", 0.2, 100, "Plate behind the exit",
        "In exit diameters, where no length is given below; a length typed here goes there.",
        when={"kind": "plate"})
    plate_at: float | None = number(None, "m", above=0, high=1e4, label="or at a length of",
                                    help="From the exit; stays when the exit's diameter changes.",
                                    when={"kind": "plate"})
    reach: float = number(20.0, "", 2, 200, "Air behind the exit", "In exit diameters.",
                          when={"kind": "open air"}, seen=STEADY)
    width: float = number(8.0, "", 1, 200, "Air to the side", "In exit diameters, from the wall.",
                          when={"kind": ("open air", "plate")}, seen=STEADY)
    ahead: float = number(1.5, "", 0.2, 50, "Air ahead of the exit",
                          "In exit diameters; at most as long as the nozzle.",
                          when={"kind": ("open air", "plate")}, seen=STEADY)

    @model_validator(mode="before")
    @classmethod
    def _length_of_the_plate(cls, values):
        """A distance with a unit of length ("32 mm") is the plate's place in metres."""
        if not isinstance(values, dict) or not isinstance(values.get("distance"), str):
            return values
        try:
            units.parse(values["distance"], "")
            return values
        except units.UnitError:
            try:
                metres = units.parse(values["distance"], "m")
            except units.UnitError:
                return values
        return {**{k: v for k, v in values.items() if k != "distance"}, "plate_at": metres}


class NozzleGrid(SheetSection):
    """The cells; counts are those of the fine level."""

    level: Literal["coarse", "medium",
                   "fine"] = choice("fine", "Climb to",
                                    "The run solves coarse, medium and fine in turn and stops here.",
                                    coarse="coarse", medium="medium", fine="fine", seen=STEADY_OR_INSIDE)
    along: int = number(160, "", 32, 1600, "Cells along the nozzle", "", whole=True, multiple=8,
                        seen=STEADY_OR_INSIDE)
    across: int | None = number(None, "", 8, 400, "Cells from axis to wall",
                                "Empty takes 24, or 56 where the wall layer is resolved.", whole=True,
                                multiple=4, seen=STEADY_OR_INSIDE)
    first_height: float | None = number(None, "m", 1e-9, 0.1, "First cell at the walls",
                                        "Empty lets the program choose.", seen=STEADY_OR_INSIDE)
    jet: int = number(160, "", 32, 1600, "Cells along the jet", "Where air surrounds the nozzle.", whole=True,
                      multiple=8, seen=STEADY_AROUND)
    outside: int = number(56, "", 16, 400, "Cells to the side", "From the nozzle's outer wall to the border.",
                          whole=True, multiple=4, seen=STEADY_AROUND)


class NozzleProbe(SheetSection):
    """A point where the flow is read."""

    name: str = text("probe", "Name", "", 40)
    x: float = number(0.2, "m", -1e4, 1e4, "x", "From the inlet.")
    y: float = number(0.0, "m", 0, 1e4, "r", "From the axis.")


class Microphone(SheetSection):
    """A point at which the pressure is recorded; for noise runs."""

    name: str = text("near", "Name", "", 30)
    x: float = number(0.0, "m", -1e3, 1e3, "x behind the exit", "Negative is upstream of it.")
    r: float = number(0.12, "m", 0, 1e3, "From the axis", "")


class Station(SheetSection):
    """A cross-section over which the flow is averaged."""

    name: str = text("throat", "Name", "Channels are called after it.", 30)
    x: float | None = number(
        None, "m", 0, 1e4, "At x",
        "From the inlet; inside the nozzle, or in the jet out to one nozzle radius. Empty is the throat, "
        "wherever it lies."
    )


class NozzleInstruments(SheetSection):
    """What is measured; inlet and exit always are."""

    width: float = number(1.0, "m", above=0, high=1000, label="Width",
                          help="Of a flat nozzle, for mass flow and forces.", seen={"shape.form": "planar"})
    stations: list[Station] = Field(default_factory=list, max_length=12)
    microphones: list[Microphone] = Field(default_factory=list, max_length=8)
    probes: list[NozzleProbe] = Field(default_factory=list, max_length=20)
    formulas: list[Formula] = Field(default_factory=list, max_length=20)


class NozzleFlow(SheetSection):
    """The physics."""

    model: Literal["inviscid", "laminar", "turbulent", "noise"] = choice(
        "inviscid", "Flow model",
        "Inviscid: slip walls, no friction. Laminar: no-slip walls, no turbulence. Turbulent: no-slip walls "
        "and a closure. Noise: the jet alone, followed in time at high order, "
        "from the exit state of one-dimensional theory.", inviscid="Inviscid", laminar="Laminar",
        turbulent="Turbulent", noise="Jet in time: noise")
    closure: Closure = choice(
        "spalart-allmaras", "Closure",
        "One equation, or two (k and ω); with a1 = 0.355 where a shock separates the layer.",
        when={"model": "turbulent"}, **CLOSURES)
    exit_profile: Literal["theory", "computed"] = choice(
        "theory", "What leaves the exit",
        "One-dimensional theory, or what a steady turbulent run of the nozzle's inside finds across its "
        "exit; that run comes first and takes some seconds.",
        when={"model": "noise"}, theory="from theory", computed="from the inside")
    exit_layer: float | None = number(
        None, "", 0, 0.45, "Boundary layer at the exit",
        "In exit diameters, to 99 % of the speed; for the theory's exit. Empty takes what a wall of one "
        "diameter grows at the Reynolds number below (0.1 at 2500); 0 is none.",
        when={"model": "noise", "exit_profile": "theory"})
    cells_per_diameter: int = number(24, "", 8, 64, "Cells per exit diameter",
                                     "Along the axis, over the first seven diameters; a third more across.",
                                     when={"model": "noise"}, whole=True)
    duration: float = number(180.0, "", 5, 2000, "Time to follow",
                             "In exit diameters over the ambient speed of sound.", when={"model": "noise"})
    discard: float = number(80.0, "", 0, 1000, "Start-up left out",
                            "At least, in the same unit; more is left out while the signals still grow.",
                            when={"model": "noise"})
    frames: int = number(
        48, "", 0, 200, "Moments kept",
        "Of the last twelve diameters over the speed of sound, to play back. Each holds the whole field.",
        when={"model": "noise"}, whole=True)
    frame_every: float | None = number(
        None, "", 1e-3, 1000, "A moment every",
        "In exit diameters over the ambient speed of sound; empty spreads them over the last twelve.",
        when={"model": "noise"})
    noise_reynolds: float = number(
        2500.0, "", 500, 100000, "Reynolds number of its viscosity",
        "Constant viscosity on the expanded jet and the exit's diameter. From some 5 000 on rings pair and "
        "blur the tone; below 1 000 the jet is too viscous to ring.",
        when={"model": "noise"})


class NozzleRun(SheetSection):
    """How long, and how."""

    residual: float = number(1e-6, "", 1e-12, 1e-2, "Residual to reach",
                             "Share of the impulsive start's residual.", seen=STEADY_OR_INSIDE)
    steady: float = number(1e-4, "", 1e-8, 1e-1, "Instruments steady within",
                           "Share of mass flow and thrust over the last steps.", seen=STEADY_OR_INSIDE)
    steps: int = number(300, "", 5, 5000, "Most steps per level",
                        "The level ends here even if it has not settled.", whole=True, seen=STEADY_OR_INSIDE)
    courant_start: float = number(5.0, "", 0.1, 1000, "Courant number at the start",
                                  "Smaller is slower and safer.", seen=STEADY_OR_INSIDE)
    courant_most: float | None = number(
        None, "", 1, 1e8, "Largest Courant number",
        "Empty takes a million, and 200 where a jet meets the air around without turbulence.",
        seen=STEADY_OR_INSIDE)
    first_order_steps: int = number(15, "", 0, 500, "First-order steps",
                                    "Steps on the coarse level before second order takes over.", whole=True,
                                    seen=STEADY_OR_INSIDE)
    krylov_vectors: int = number(40, "", 5, 200, "Krylov vectors", "Most vectors of one linear solution.",
                                 whole=True, seen=STEADY_OR_INSIDE)
    keep: Keep = keeping()
    cores: int = own_cores()


class NozzleSheet(SheetBase):
    """One run of a nozzle, whole."""

    space: Literal["nozzle"] = "nozzle"
    shape: NozzleShape = Field(default_factory=NozzleShape)
    air: NozzleAir = Field(default_factory=NozzleAir)
    domain: NozzleDomain = Field(default_factory=NozzleDomain)
    grid: NozzleGrid = Field(default_factory=NozzleGrid)
    instruments: NozzleInstruments = Field(default_factory=NozzleInstruments)
    flow: NozzleFlow = Field(default_factory=NozzleFlow)
    run: NozzleRun = Field(default_factory=NozzleRun)

    @property
    def kind(self):
        """A jet in time where noise is asked for, else the steady nozzle."""
        return "jet" if self.flow.model == "noise" else "nozzle"


SECTIONS = {
    "shape": NozzleShape, "air": NozzleAir, "domain": NozzleDomain, "grid": NozzleGrid,
    "instruments": NozzleInstruments, "flow": NozzleFlow, "run": NozzleRun
}
