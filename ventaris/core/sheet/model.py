"""The run sheet: everything that defines one run."""
from typing import Literal

from pydantic import Field, model_validator

from ..shapes.families import NOSES
from .arrangement import CLOSURES, Closure, Element, Formula, Meter, NamedSurface, RefinedZone
from .casings import IN_CASING, MOST_CORNERS, CasingCorner, check_casing, default_casing
from .fields import SheetSection, choice, number, text
from .keeping import Keep, keeping, own_cores
from .fluid import GasGiven, OfGas, gas_given, heat_capacity, heat_ratio, molar_mass, specific_constant
from .movement import Movement
from .wall_actions import WallAction

FORMAT = 1


class Edits(SheetSection):
    """What makes a variant of a shape."""

    thickness_scale: float = number(1.0, "", 0.05, 5, "Thickness scale",
                                    "Multiplies the thickness; the camber line stays.")
    camber_scale: float = number(1.0, "", -5, 5, "Camber scale",
                                 "Multiplies the camber line; the thickness stays.")
    trailing_edge_gap: float | None = number(
        None, "", 0, 0.1, "Trailing-edge gap",
        "Thickness at the trailing edge in chords; empty keeps what the shape has.")
    flap_hinge: float = number(0.75, "", 0.2, 0.95, "Flap hinge at",
                               "Where the rear part is hinged, in chords from the nose.")
    flap_deflection: float = number(0.0, "deg", -45, 45, "Flap deflection",
                                    "Positive turns the trailing edge down.")
    flap_blend: float = number(0.06, "", 0.01, 0.4, "Flap joint length",
                               "Length over which the joint is rounded, in chords.")


class Shape(SheetSection):
    """A wing section."""

    kind: Literal["four-digit", "ellipse", "double wedge", "revolution", "coordinates"] = choice(
        "four-digit", "Family", "How the outline is made.", **{
            "four-digit": "Four-digit family", "ellipse": "Ellipse or circle", "double wedge": "Double wedge",
            "revolution": "Body of revolution", "coordinates": "Coordinates"
        })
    chord: float = number(1.0, "m", above=0, high=1000, label="Chord",
                          help="Length of the section; coefficients refer to it.",
                          hint="Coefficients divide by the chord; give the real length, for example 240 mm")
    thickness: float = number(
        0.12, "", 0.005, 1.0, "Thickness",
        "Largest thickness in chords; 1 is a circle. Of a body of revolution its diameter over its length.",
        when={"kind": ("four-digit", "ellipse", "double wedge", "revolution")})
    camber: float = number(0.0, "", -0.15, 0.15, "Camber", "Largest height of the camber line in chords.",
                           when={"kind": "four-digit"})
    camber_position: float = number(0.4, "", 0.05, 0.95, "Camber at",
                                    "Station of the largest camber in chords.", when={"kind": "four-digit"})
    trailing_edge: Literal["closed",
                           "open"] = choice("closed", "Trailing edge",
                                            "Closed to a point, or with the family's own thickness.",
                                            when={"kind": "four-digit"}, closed="closed", open="open")
    ridge_position: float = number(0.5, "", 0.1, 0.9, "Ridge at",
                                   "Station of the largest thickness in chords.",
                                   when={"kind": "double wedge"})
    nose: Literal["cone", "ogive", "ellipsoid", "least drag"] = choice("ogive", "Nose", "",
                                                                       when={"kind": "revolution"}, **NOSES)
    nose_length: float = number(0.3, "", 0.02, 1.0, "Nose length", "In body lengths.",
                                when={"kind": "revolution"})
    tail_length: float = number(0.0, "", 0.0, 0.9, "Boat-tail length", "In body lengths; 0 is none.",
                                when={"kind": "revolution"})
    base: float = number(0.7, "", 0.05, 1.0, "Base over diameter", "Of a boat-tail.",
                         when={"kind": "revolution"})
    title: str = text("", "Source", "Title line of the coordinates, for your own memory.", 120)
    points: list[tuple[float, float]] | None = Field(
        None, json_schema_extra={"kind": "points", "when": {"kind": "coordinates"}})
    attitude: Literal["upright", "inverted"] = choice(
        "upright", "Attitude",
        "Inverted turns the whole arrangement upside down, as on a car; incidence then counts nose down.",
        upright="upright", inverted="inverted")
    blades: int = number(
        0, "", 0, 24, "Blades of a wheel",
        "This section is repeated, evenly spaced round the wheel's centre, further elements stand once; 0 is "
        "no wheel.", whole=True)
    wheel_x: float = number(0.5, "", -100, 100, "Wheel's centre at x", "In chords from this section's nose.",
                            when={"blades": "!0"})
    wheel_y: float = number(3.0, "", -100, 100, "Wheel's centre at y",
                            "In chords from its chord line; above it, what turns clockwise goes nose first.",
                            when={"blades": "!0"})
    wheel_turn: float = number(0.0, "deg", -90, 90, "Blades set nose out by",
                               "About where the wheel's radius meets the chord line.", when={"blades": "!0"})
    edits: Edits = Field(default_factory=Edits)
    elements: list[Element] = Field(default_factory=list, max_length=8)
    surfaces: list[NamedSurface] = Field(default_factory=list, max_length=40)

    @model_validator(mode="after")
    def _points_present(self):
        if self.kind == "coordinates" and not self.points:
            raise ValueError("shape.points is empty: bring in coordinates, or choose another family")
        if self.kind == "four-digit" and self.thickness > 0.4:
            raise ValueError(f"shape.thickness = {self.thickness:g}: the four-digit family ends at 0.4; "
                             "take the ellipse for thicker bodies")
        if self.kind == "revolution" and self.nose_length + self.tail_length > 1:
            raise ValueError(
                f"shape.nose_length + shape.tail_length = {self.nose_length + self.tail_length:g}: nose and "
                "boat-tail together are longer than the body (1). Shorten one"
            )
        self._names_differ()
        return self

    def _names_differ(self):
        elements = [e.name for e in self.elements]
        for name in elements:
            if name in ("main", "body") or elements.count(name) > 1:
                raise ValueError(
                    f"shape.elements: the name “{name}” is taken; give every element a name of its own")
        taken = {"upper", "lower", "base", "body", "main", *elements}
        for surface in self.surfaces:
            if surface.name in taken:
                raise ValueError(
                    f"shape.surfaces: the name “{surface.name}” is taken; give the surface another")
            taken.add(surface.name)
            if surface.element not in ("", "main", *elements):
                raise ValueError(
                    f"shape.surfaces: “{surface.name}” lies on the element “{surface.element}”, which does "
                    f"not exist; there {'are' if elements else 'is'} {', '.join(['main', *elements])}")


# Where the form shows a field.
VISCOUS = {"flow.model": ("laminar", "turbulent")}
TURBULENT = {"flow.model": "turbulent"}
IN_TIME = {"flow.time": "unsteady"}


class Air(OfGas, SheetSection):
    """The fluid, its ambient state, and the motion through it."""

    state: Literal["standard atmosphere", "pressure and temperature", "density and temperature"] = choice(
        "standard atmosphere", "Ambient state", "Where temperature, pressure and density come from.", **{
            "standard atmosphere": "Standard atmosphere",
            "pressure and temperature": "Pressure and temperature",
            "density and temperature": "Density and temperature"
        })
    altitude: float = number(
        0.0, "m", -1000, 86000, "Altitude", "Geometric altitude in the standard atmosphere.",
        hint="The standard atmosphere here ends at 86 km; beyond it give pressure and temperature",
        when={"state": "standard atmosphere"})
    temperature: float = number(288.15, "K", 10, 3000, "Temperature",
                                "Static temperature of the undisturbed air.",
                                hint="Temperatures are absolute; write degrees Celsius as -5 degC",
                                when={"state": ("pressure and temperature", "density and temperature")})
    pressure: float = number(101325.0, "Pa", 1e-3, 1e9, "Pressure (absolute)",
                             "Static pressure, absolute, not relative to ambient.",
                             when={"state": "pressure and temperature"})
    density: float = number(1.225, "kg/m^3", 1e-9, 1e4, "Density", "Density of the undisturbed air.",
                            when={"state": "density and temperature"})
    motion: Literal["speed", "mach"] = choice("speed", "Motion given as", "Give one; the other is derived.",
                                              speed="Speed", mach="Mach number")
    speed: float = number(50.0, "m/s", above=0, high=5000, label="Speed",
                          help="Speed of the undisturbed air.",
                          hint="Air at rest makes no forces; the solver was checked down to Mach 0.02",
                          when={"motion": "speed"})
    mach: float = number(0.15, "", above=0, high=5, label="Mach number",
                         help="Speed over the speed of sound.",
                         hint="Air at rest makes no forces; the solver was checked from Mach 0.02 to 3",
                         when={"motion": "mach"})
    incidence: float = number(
        0.0, "deg", -30, 30, "Incidence", "Angle between the stream and the chord line, positive nose up.",
        hint="Beyond 30° the flow is separated and unsteady, which this solver does not compute")
    gas: GasGiven = gas_given()
    gamma: float = heat_ratio()
    gas_constant: float = specific_constant()
    heat_capacity: float = heat_capacity()
    molar_mass: float = molar_mass()
    viscosity_law: Literal["sutherland", "constant", "from Reynolds number"] = choice(
        "sutherland", "Viscosity",
        "Sutherland's law for air, a constant, or whatever meets the Reynolds number you give.", **{
            "sutherland": "Sutherland (air)", "constant": "Constant",
            "from Reynolds number": "Meet a Reynolds number"
        })
    viscosity: float = number(1.81e-5, "Pa*s", 1e-9, 1e3, "Dynamic viscosity", "",
                              when={"viscosity_law": "constant"})
    reynolds: float = number(1e6, "", 0.1, 1e10, "Reynolds number",
                             "On the chord; the viscosity is set to meet it exactly.",
                             when={"viscosity_law": "from Reynolds number"})
    prandtl: float = number(0.72, "", 0.1, 10, "Prandtl number", "0.72 for air.", seen=VISCOUS)
    turbulence_intensity: float = number(
        0.1, "%", 0.001, 30, "Turbulence intensity",
        "Velocity fluctuations over the speed. Calm air and good tunnels: 0.03 to 0.1 %; ordinary tunnels: "
        "0.2 to 0.5 %; "
        "behind grids, fans or other bodies: 1 to 10 %.", hint="Write 0.1 for a tenth of a per cent",
        seen=TURBULENT, usual={
            "0.03": "calm air at cruise", "0.1": "a quiet tunnel", "0.3": "an ordinary tunnel",
            "1": "an open road on a calm day", "5": "a road with wind and traffic",
            "10": "behind a grid or fan"
        })
    viscosity_ratio: float = number(
        0.21, "", 1e-4, 1000, "Eddy over molecular viscosity",
        "Of the oncoming air. External flow: 0.01 to 1 (0.21 keeps a boundary layer fully turbulent without "
        "thickening the stream); internal or upstream-disturbed flow: 1 to 100.", seen=TURBULENT,
        usual={
            "0.01": "calm air", "0.21": "keeps layers fully turbulent", "1": "a tunnel, a road",
            "10": "behind other bodies", "100": "behind a grid or fan"
        })
    walls: list[WallAction] = Field(default_factory=list, max_length=40)
    motions: list[Movement] = Field(default_factory=list, max_length=4)


class Domain(SheetSection):
    """The air around the section and what bounds it."""

    kind: Literal["far field", "ground", "channel", "half", "round", "casing"] = choice(
        "far field", "Bounded by",
        "Free air, a ground line, a channel's two walls, a symmetry line with half of the body, a body of "
        "revolution (the section turned about its chord line), or a casing with openings: a fan's, a bend.",
        **{
            "far field": "Far field all round", "ground": "Far field over a ground", "channel": "Channel",
            "half": "Symmetric half", "round": "Round body, far field", "casing": "Casing with openings"
        })
    far_field: float = number(
        50.0, "", 1, 500, "Far field at",
        "Distance of the outer boundary in chords; 50 is safe with lift, 3 to 10 will do in supersonic flow.",
        when={"kind": ("far field", "ground", "half", "round")})
    clearance: float = number(0.3, "", 0.005, 100, "Ground clearance",
                              "From the ground to the lowest point of the arrangement, in chords.",
                              when={"kind": "ground"})
    ground: Literal["moving", "fixed", "slip"] = choice(
        "moving", "Ground",
        "Moving with the stream as under a vehicle, fixed as a plain tunnel floor, or frictionless.",
        when={"kind": "ground"}, moving="moves with the stream", fixed="stands still", slip="slips")
    height: float = number(4.0, "", 0.1, 500, "Channel height",
                           "In chords; the body's origin lies in the middle.", when={"kind": "channel"})
    ahead: float = number(6.0, "", 1, 500, "Inlet ahead", "Of the nose, in chords.", when={"kind": "channel"})
    behind: float = number(12.0, "", 1, 500, "Outlet behind", "The nose, in chords.",
                           when={"kind": "channel"})
    side_walls: Literal["slip", "no-slip"] = choice("slip", "Walls of channel or casing", "",
                                                    when={"kind": ("channel", "casing")},
                                                    **{"slip": "slip", "no-slip": "no-slip"})
    inlet_pressure: float = number(0.0, "Pa", -1e7, 1e7, "Total pressure at the inlet",
                                   "Above the ambient pressure: 0 draws in air at rest.", when=IN_CASING)
    outlet: Literal["pressure", "flow"] = choice("pressure", "Outlet held by", "", when=IN_CASING,
                                                 pressure="static pressure", flow="mass flow")
    outlet_pressure: float = number(0.0, "Pa", -1e7, 1e7, "Static pressure at the outlet",
                                    "Above the ambient pressure: 0 blows into air at rest.",
                                    when={"kind": "casing", "outlet": "pressure"})
    outlet_flow: float = number(1.0, "kg/s", above=0, high=1e5, label="Mass flow through the outlet",
                                help="Per metre of span, of all outlets together.",
                                when={"kind": "casing", "outlet": "flow"})
    corners: list[CasingCorner] = Field(default_factory=default_casing, max_length=MOST_CORNERS,
                                        json_schema_extra={"when": IN_CASING})

    @model_validator(mode="after")
    def _encloses(self):
        if self.kind == "casing":
            check_casing(self.corners)
        return self


class Grid(SheetSection):
    """The cells; counts and sizes are those of the fine level."""

    kind: Literal["automatic", "lines", "hybrid"] = choice(
        "automatic", "Cells",
        "Lines of quadrilaterals round one section, or wall layers filled up with triangles round anything.",
        **{
            "automatic": "whichever suits", "lines": "lines round one section",
            "hybrid": "wall layers and triangles"
        })
    level: Literal["coarse", "medium",
                   "fine"] = choice("fine", "Climb to",
                                    "The run solves coarse, medium and fine in turn and stops here.",
                                    coarse="coarse", medium="medium", fine="fine")
    around: int = number(208, "", 64, 1600, "Cells around the section",
                         "On the fine level; with triangles the largest wall cell is two chords over it.",
                         whole=True, multiple=16)
    layers: int | None = number(
        None, "", 4, 400, "Layers off the wall",
        "On the fine level; empty takes 64 out to the far field (88 with turbulence); with triangles 12, 28 "
        "or 40.",
        whole=True, multiple=4)
    wake: int = number(48, "", 16, 400, "Cells along the wake", "On the fine level.", whole=True, multiple=4)
    first_height: float | None = number(None, "", 1e-7, 0.02, "First layer's height",
                                        "In chords, fine level; empty lets the program choose.")
    nose_size: float | None = number(None, "", 1e-5, 0.05, "Cell at the nose",
                                     "In chords; empty lets the program choose.")
    tail_size: float | None = number(None, "", 1e-5, 0.05, "Cell at the trailing edge",
                                     "In chords; empty lets the program choose.")
    least_size: float = number(3e-4, "", 1e-6, 0.05, "Smallest wall cell",
                               "In chords; curvature and slots ask for no less. Triangles only.",
                               when={"kind": ("automatic", "hybrid")})
    layer_growth: float = number(1.3, "", 1.02, 1.8, "Growth of the layers",
                                 "At most, each over the one before. Triangles only.",
                                 when={"kind": ("automatic", "hybrid")})
    growth: float = number(0.17, "", 0.03, 0.6, "Growth of the triangles",
                           "Share of the distance from what is small. Triangles only.",
                           when={"kind": ("automatic", "hybrid")})
    gap_cells: float = number(4.5, "", 1, 30, "Wall cells per slot gap",
                              "How long wall cells may be where another wall is near. Triangles only.",
                              when={"kind": ("automatic", "hybrid")})
    wake_size: float = number(
        0.03, "", 0, 1, "Cells in the wakes",
        "In chords, two chords behind every element; 0 leaves them out. Triangles only.",
        when={"kind": ("automatic", "hybrid")})
    planned_speed: float | None = number(
        None, "m/s", above=0, high=5000, label="Layers planned at", help=
        "The speed for which the boundary-layer planner filled this section; a note to yourself that the "
        "preflight compares."
    )
    zones: list[RefinedZone] = Field(default_factory=list, max_length=20)


class Probe(SheetSection):
    """A point where the flow is read."""

    name: str = text("probe", "Name", "", 40)
    x: float = number(1.5, "", -500, 500, "x", "In chords.")
    y: float = number(0.0, "", -500, 500, "y", "In chords.")


class Instruments(SheetSection):
    """What is measured."""

    moment_x: float = number(0.25, "", -10, 10, "Moment about x", "In chords from the nose.")
    moment_y: float = number(0.0, "", -10, 10, "Moment about y", "In chords from the chord line.")
    span: float = number(1.0, "m", above=0, high=1000, label="Span for forces",
                         help="Forces in newtons are for this length of wing.")
    probes: list[Probe] = Field(default_factory=list, max_length=20)
    meters: list[Meter] = Field(default_factory=list, max_length=8)
    formulas: list[Formula] = Field(default_factory=list, max_length=20)


class Flow(SheetSection):
    """The physics."""

    model: Literal["inviscid", "laminar", "turbulent"] = choice(
        "inviscid", "Flow model",
        "Inviscid: slip walls, no friction. Laminar: no-slip walls, no turbulence. Turbulent: no-slip walls "
        "and a closure.",
        inviscid="Inviscid", laminar="Laminar", turbulent="Turbulent")
    closure: Closure = choice(
        "spalart-allmaras", "Closure",
        "One equation for attached and mildly separated flow; two equations (k and ω) see adverse pressure "
        "gradients and the stream's turbulence better. "
        "Where a shock separates the layer, both leave it separated for too long; SST with its shear limit "
        "recalibrated for that (a1 = 0.355 instead of 0.31) meets the tunnel.",
        when={"model": "turbulent"}, **CLOSURES)
    time: Literal["steady",
                  "unsteady"] = choice("steady", "Time", "Steady, or followed in time from the steady field.",
                                       steady="steady", unsteady="unsteady")
    trip: float | None = number(
        None, "", 0.005, 0.95, "Laminar up to x/c",
        "Where the boundary layer is tripped, in chords; empty is turbulent from the nose.",
        when={"model": "turbulent"})


class Run(SheetSection):
    """How long, and how."""

    start: Literal["climb", "neighbour"] = choice(
        "climb", "Start from",
        "The climb gives an error bar. A neighbour is the nearest finished operating point of the same "
        "variant on the same grid: quicker in a "
        "sweep and it follows one branch into a stall, but gives no error bar.",
        climb="coarse, medium, fine in turn", neighbour="the nearest finished point")

    residual: float = number(1e-6, "", 1e-12, 1e-2, "Residual to reach",
                             "Share of the impulsive start's residual.")
    steady: float = number(1e-4, "", 1e-8, 1e-1, "Instruments steady within",
                           "Share of the coefficient over the last three steps.")
    steps: int = number(150, "", 5, 5000, "Most steps per level",
                        "The level ends here even if it has not settled.", whole=True)
    courant_start: float = number(10.0, "", 0.1, 1000, "Courant number at the start",
                                  "Smaller is slower and safer.")
    first_order_steps: int = number(25, "", 0, 500, "First-order steps",
                                    "Steps on the coarse level before second order takes over.", whole=True)
    duration: float = number(60.0, "", 0.5, 5000, "Time to follow",
                             "In chords travelled by the stream, after the steady start.", seen=IN_TIME)
    time_step: float | None = number(
        None, "", 1e-5, 10, "Time step",
        "In chords travelled by the stream; empty takes 80 steps for one period of shedding, and a fiftieth "
        "of a chord for sections that shed nothing for certain.",
        seen=IN_TIME)
    time_courant: float | None = number(
        None, "", 0.1, 5000, "Target Courant number in time",
        "Of the stream in a typical cell near the body; for those who want the step to follow the cells.",
        seen=IN_TIME)
    cycle_steps: int | None = number(
        None, "", 16, 2000, "Steps per cycle",
        "Of what moves; empty takes 72 for a swing, 180 for a turn. A time step or Courant number given "
        "above goes first.", whole=True, seen=IN_TIME)
    cycles: int = number(
        10, "", 2, 500, "Most cycles",
        "Of what moves, on each of the two finest levels; a level ends when two cycles in a row are alike.",
        whole=True, seen=IN_TIME)
    disturbance: float = number(
        0.3, "", 0, 0.5, "Puff at the start",
        "Cross wind behind the body at time zero, as a share of the speed, so that shedding need not wait "
        "for rounding errors.",
        seen=IN_TIME)
    discard: float = number(0.5, "", 0, 0.95, "Start-up left out",
                            "Share of the time before statistics begin.", seen=IN_TIME)
    frames: int = number(40, "", 0, 120, "Frames to keep", "Of the last part of the run, to play back.",
                         whole=True, seen=IN_TIME)
    frame_every: float | None = number(
        None, "", 1e-4, 1000, "A frame every",
        "In chords travelled by the stream; empty spreads them over the last part of the run, or over one "
        "cycle of what moves.", seen=IN_TIME)
    krylov_vectors: int = number(40, "", 5, 200, "Krylov vectors", "Most vectors of one linear solution.",
                                 whole=True)
    keep: Keep = keeping()
    cores: int = own_cores()


class SheetBase(SheetSection):
    """What every run sheet begins with."""

    format: Literal[1] = FORMAT
    title: str = text("", "Title", "", 120)

    @property
    def kind(self):
        """Name of the kind of campaign that runs it."""
        return self.space


class Sheet(SheetBase):
    """One run of sections in a plane, whole."""

    space: Literal["section"] = "section"
    shape: Shape = Field(default_factory=Shape)
    air: Air = Field(default_factory=Air)
    domain: Domain = Field(default_factory=Domain)
    grid: Grid = Field(default_factory=Grid)
    instruments: Instruments = Field(default_factory=Instruments)
    flow: Flow = Field(default_factory=Flow)
    run: Run = Field(default_factory=Run)


SECTIONS = {
    "shape": Shape, "air": Air, "domain": Domain, "grid": Grid, "instruments": Instruments, "flow": Flow,
    "run": Run
}
