"""The sections of a run sheet for bodies in space."""
from typing import Literal

from pydantic import Field, model_validator

from .arrangement import CLOSURES, Closure, Formula
from ..shapes.families import NOSES
from .body_edits import Edit, check_edits
from .body_walls import SurfaceAction
from .fields import SheetSection, choice, number, text
from .keeping import Keep, keeping, own_cores
from .model import Air, SheetBase
from .wings import WingStation, check_stations

ROLE_OF = {
    "vehicle": "Vehicle body", "box": "Box or plate", "ellipsoid": "Ellipsoid",
    "frustum": "Cylinder, cone or ring", "revolution": "Body of revolution with fins", "wing": "Wing",
    "surface": "Imported surface"
}


class Part(SheetSection):
    """One part of a body."""

    name: str = text("body", "Name", "Its surfaces are called after it.", 40)
    kind: Literal["vehicle", "box", "ellipsoid", "frustum", "revolution", "wing",
                  "surface"] = choice("vehicle", "Made as", "From parameters, or imported.", **ROLE_OF)
    used: Literal["yes", "no"] = choice("yes", "In the run", "Parts that are left out stay in the sheet.",
                                        yes="yes", no="left out")
    merge: str = text(
        "", "Merged into",
        "Another part's name: both are then one part, as the halves or pieces of one closed body must be.",
        40)
    length: float = number(4.0, "m", above=0, high=1000, label="Length",
                           help="Along the stream, before it is turned.",
                           when={"kind": ("vehicle", "box", "ellipsoid", "frustum", "revolution")})
    width: float = number(1.6, "m", above=0, high=1000, label="Width", help="Across the stream.",
                          when={"kind": ("vehicle", "box", "ellipsoid")})
    height: float = number(1.4, "m", above=0, high=1000, label="Height", help="",
                           when={"kind": ("vehicle", "box", "ellipsoid")})
    corner: float = number(0.1, "m", 0, 100, "Radius of the long edges",
                           "Of the edges along the body; 0 is sharp.", when={"kind": "vehicle"})
    nose_length: float = number(
        0.6, "m", 0, 1000, "Nose length",
        "Over which it narrows in front; of a vehicle along quarter ellipses, and equal to the three values "
        "below it is a plain radius.",
        when={"kind": ("vehicle", "revolution")})
    nose_side: float = number(0.3, "m", 0, 100, "Nose, each side in by", "At the tip.",
                              when={"kind": "vehicle"})
    nose_roof: float = number(0.4, "m", 0, 100, "Nose, roof down by", "At the tip.", when={"kind": "vehicle"})
    nose_floor: float = number(0.15, "m", 0, 100, "Nose, floor up by", "At the tip.",
                               when={"kind": "vehicle"})
    tail_length: float = number(0.0, "m", 0, 1000, "Tail length",
                                "Over which it narrows behind; 0 is a square back.",
                                when={"kind": ("vehicle", "revolution")})
    tail_kind: Literal["straight", "rounded"] = choice("straight", "Tail", "", when={"kind": "vehicle"},
                                                       straight="tapers straight", rounded="rounded")
    tail_side: float = number(0.0, "m", 0, 100, "Tail, each side in by", "At the rear end.",
                              when={"kind": "vehicle"})
    tail_roof: float = number(0.0, "m", 0, 100, "Tail, roof down by", "At the rear end.",
                              when={"kind": "vehicle"})
    tail_floor: float = number(0.0, "m", 0, 100, "Tail, floor up by", "At the rear end.",
                               when={"kind": "vehicle"})
    front_diameter: float = number(0.5, "m", 0, 1000, "Front diameter", "Outside.", when={"kind": "frustum"})
    rear_diameter: float = number(0.5, "m", 0, 1000, "Rear diameter",
                                  "Outside; of a body of revolution its base, where it has a boat-tail.",
                                  when={"kind": ("frustum", "revolution")})
    diameter: float = number(0.6, "m", above=0, high=1000, label="Diameter", help="The largest.",
                             when={"kind": "revolution"})
    nose: Literal["cone", "ogive", "ellipsoid", "least drag"] = choice("ogive", "Nose", "",
                                                                       when={"kind": "revolution"}, **NOSES)
    fins: int = number(0, "", 0, 12, "Fins", "At the rear end, evenly spaced.", when={"kind": "revolution"},
                       whole=True)
    fin_chord: float = number(0.4, "m", above=0, high=1000, label="Fin chord",
                              help="Where the fin meets the largest radius.", when={"kind": "revolution"})
    fin_span: float = number(0.3, "m", above=0, high=1000, label="Fin span",
                             help="Beyond the largest radius.", when={"kind": "revolution"})
    fin_thickness: float = number(0.05, "", 0.01, 0.3, "Fin thickness", "Of its double wedge, in chords.",
                                  when={"kind": "revolution"})
    fin_sweep: float = number(30.0, "deg", 0, 75, "Fin sweep",
                              "Of the leading edge; the trailing edge is square to the axis.",
                              when={"kind": "revolution"})
    wall: float = number(0.0, "m", 0, 100, "Wall thickness", "Of a hollow ring; 0 is solid.",
                         when={"kind": "frustum"})
    span: float = number(1.2, "m", above=0, high=1000, label="Span", help="", when={"kind": "wing"})
    chord: float = number(0.3, "m", above=0, high=1000, label="Chord",
                          help="Of the main element in the middle.", when={"kind": "wing"})
    thickness: float = number(0.12, "", 0.02, 0.4, "Thickness", "In chords.", when={"kind": "wing"})
    camber: float = number(0.0, "", -0.15, 0.15, "Camber", "In chords; negative for downforce.",
                           when={"kind": "wing"})
    tip_share: float = number(1.0, "", 0.05, 3, "Tip over middle chord", "", when={"kind": "wing"})
    sweep: float = number(0.0, "deg", -70, 70, "Sweep", "", when={"kind": "wing"})
    dihedral: float = number(0.0, "deg", -60, 60, "Dihedral", "", when={"kind": "wing"})
    twist: float = number(0.0, "deg", -45, 45, "Twist to the tips", "Positive turns the tips' noses up.",
                          when={"kind": "wing"})
    incidence: float = number(0.0, "deg", -60, 60, "Incidence", "Of the wing on the body; positive nose up.",
                              when={"kind": "wing"})
    flap_chord: float = number(0.0, "", 0, 1, "Flap chord", "In chords of the main element; 0 is no flap.",
                               when={"kind": "wing"})
    flap_deflection: float = number(25.0, "deg", -90, 90, "Flap deflection",
                                    "Positive turns its tail to the pressure side of a cambered wing.",
                                    when={"kind": "wing"})
    flap_gap: float = number(0.02, "", 0.002, 0.5, "Slot gap", "In chords.", when={"kind": "wing"})
    flap_overlap: float = number(0.0, "", -0.5, 0.5, "Overlap", "In chords.", when={"kind": "wing"})
    source: str = text(
        "", "Surface", "Name or number of the imported surface; on the command line a file beside the sheet.",
        200, when={"kind": "surface"})
    unit: Literal["m", "mm", "cm", "in",
                  "ft"] = choice("m", "File's unit", "", when={"kind": "surface"}, m="metre", mm="millimetre",
                                 cm="centimetre", **{"in": "inch"}, ft="foot")
    downstream: Literal["+x", "-x", "+y", "-y", "+z",
                        "-z"] = choice("+x", "Downstream is the file's", "", when={"kind": "surface"},
                                       **{a: a
                                          for a in ("+x", "-x", "+y", "-y", "+z", "-z")})
    up: Literal["+x", "-x", "+y", "-y", "+z",
                "-z"] = choice("+z", "Up is the file's", "", when={"kind": "surface"},
                               **{a: a
                                  for a in ("+z", "-z", "+y", "-y", "+x", "-x")})
    split: Literal["no", "yes"] = choice("no", "Name by sharp edges",
                                         "Divides each part's surface where it turns by more than 35°.",
                                         when={"kind": "surface"}, no="no", yes="yes")
    mirror: Literal["no", "yes"] = choice("no", "Mirror", "For a file that holds one half (y > 0 or y < 0).",
                                          when={"kind": "surface"}, no="no", yes="at y = 0")
    x: float = number(0.0, "m", -1e4, 1e4, "Moved by x", "Downstream.")
    y: float = number(0.0, "m", -1e4, 1e4, "y", "")
    z: float = number(0.0, "m", -1e4, 1e4, "z", "Up.")
    roll: float = number(0.0, "deg", -360, 360, "Turned about x", "First.")
    pitch: float = number(0.0, "deg", -360, 360, "about y", "Then; positive nose up.")
    yaw: float = number(0.0, "deg", -360, 360, "about z", "Last.")
    scale: float = number(1.0, "", 1e-4, 1e4, "Scaled by", "About its own origin, before it is turned.")
    wheel: Literal["no", "yes"] = choice(
        "no", "Rolls",
        "A wheel: its wall turns about the axis across the body through its middle, at the ground's speed.",
        no="no", yes="with the ground")

    @model_validator(mode="after")
    def _complete(self):
        if not self.name:
            raise ValueError("a part needs a name")
        if self.kind == "surface" and not self.source:
            raise ValueError(f"the part “{self.name}” has no surface yet: import a file for it")
        if self.kind == "revolution" and self.tail_length > 0 and self.rear_diameter > self.diameter:
            raise ValueError(
                f"the part “{self.name}” has a boat-tail that ends wider ({self.rear_diameter:g} m) than the "
                f"body is ({self.diameter:g} m): lower its rear diameter, or set the tail's length to 0"
            )
        if self.kind == "frustum" and max(self.front_diameter, self.rear_diameter) <= 0:
            raise ValueError(f"the part “{self.name}” has no diameter: give at least one end a diameter")
        return self


class Region(SheetSection):
    """A named surface of the assembled body."""

    name: str = text("nose", "Name", "Forces are read for it, and it may be shown alone.", 40)
    kind: Literal["piece", "box"] = choice(
        "piece", "Holds",
        "The smooth piece at a point ends at sharp edges; a box takes the triangles whose middle lies in it.",
        piece="smooth piece", box="box")
    x: float = number(0.0, "m", -1e4, 1e4, "x", "Of the point, or of the box's middle; before the edits.")
    y: float = number(0.0, "m", -1e4, 1e4, "y", "")
    z: float = number(0.0, "m", -1e4, 1e4, "z", "")
    angle: float = number(35.0, "deg", 1, 180, "Ends where it turns by", "", when={"kind": "piece"})
    length: float = number(1.0, "m", above=0, high=1e4, label="Box length", help="Along x.",
                           when={"kind": "box"})
    width: float = number(1.0, "m", above=0, high=1e4, label="Box width", help="Along y.",
                          when={"kind": "box"})
    height: float = number(1.0, "m", above=0, high=1e4, label="Box height", help="Along z.",
                           when={"kind": "box"})

    @model_validator(mode="after")
    def _named(self):
        if not self.name:
            raise ValueError("shape.regions: a named surface has no name. Give it one, or take it out")
        return self


class BodyShape(SheetSection):
    """A body of one or several parts."""

    parts: list[Part] = Field(default_factory=lambda: [Part()], max_length=60)
    stations: list[WingStation] = Field(default_factory=list, max_length=60)
    regions: list[Region] = Field(default_factory=list, max_length=40)
    edits: list[Edit] = Field(default_factory=list, max_length=12)

    @model_validator(mode="after")
    def _names_differ(self):
        names = [p.name for p in self.parts]
        for name in names:
            if names.count(name) > 1:
                raise ValueError(
                    f"shape.parts: two parts are called “{name}”. Give every part a name of its own")
        if not any(p.used == "yes" for p in self.parts):
            raise ValueError("shape.parts: no part is in the run. Add one, or take one in again")
        for part in self.parts:
            if part.merge and (part.merge not in names or part.merge == part.name):
                raise ValueError(
                    f"shape.parts: “{part.name}” cannot be merged into “{part.merge}”: there is no other "
                    f"part of that name. There are: {', '.join(names)}"
                )
            if part.merge and next(p for p in self.parts if p.name == part.merge).merge:
                raise ValueError(
                    f"shape.parts: “{part.name}” is merged into “{part.merge}”, which is merged itself. "
                    "Merge both into the same part"
                )
            if part.merge and next(p for p in self.parts if p.name == part.merge).used == "no":
                raise ValueError(
                    f"shape.parts: “{part.name}” is merged into “{part.merge}”, which is left out. Take it "
                    "in, or merge into another part"
                )
        check_edits(self.edits, names)
        check_stations(self)
        return self

    def stations_of(self, wing):
        """The sections along a wing, by its name, from the middle outwards; none of one of one section."""
        return [s for s in self.stations if not s.part or s.part == wing]


class BodyAir(Air):
    """The fluid, its ambient state, and the motion through it."""

    incidence: float = number(
        0.0, "deg", -90, 90, "Incidence",
        "The stream's angle from below: positive as if the nose were raised. In free air only.")
    walls: list[SurfaceAction] = Field(default_factory=list, max_length=40)
    yaw: float = number(
        0.0, "deg", -90, 90, "Yaw",
        "The stream comes from the side: positive from the right (the stream turns towards −y).")


class BodyDomain(SheetSection):
    """The box of air round the body."""

    kind: Literal["free", "ground"] = choice("free", "Bounded by", "", free="free air",
                                             ground="a ground under the body")
    clearance: float = number(
        0.1, "m", -10, 1000, "Ground clearance",
        "From the ground to the lowest point; negative sinks it in (a tyre's contact).",
        when={"kind": "ground"})
    ground: Literal["moving", "fixed",
                    "slip"] = choice("moving", "Ground", "", when={"kind": "ground"},
                                     moving="moves with the stream", fixed="stands still", slip="slips")
    half: Literal["no", "yes"] = choice(
        "no", "Half body",
        "Only the half y > 0 is computed, against a symmetry plane; forces are reported for the whole.",
        no="whole", yes="half, with a symmetry plane")
    ahead: float = number(3.0, "", 0.3, 100, "Ahead", "In body lengths (the longest side of the body's box).")
    behind: float = number(6.0, "", 0.5, 200, "Behind", "In body lengths.")
    beside: float = number(3.0, "", 0.2, 100, "Beside, above and below",
                           "In body lengths; each side may have a distance of its own below.")
    above: float | None = number(None, "", 0.2, 100, "Above",
                                 "In body lengths; empty takes the value for all sides.")
    below: float | None = number(None, "", 0.2, 100, "Below",
                                 "In body lengths; empty takes the value for all sides.",
                                 when={"kind": "free"})
    left: float | None = number(None, "", 0.2, 100, "To the left",
                                "Towards y < 0, in body lengths; empty takes the value for all sides.",
                                when={"half": "no"})
    right: float | None = number(None, "", 0.2, 100, "To the right",
                                 "Towards y > 0, in body lengths; empty takes the value for all sides.")
    walls: Literal["far field",
                   "slip"] = choice("far field", "Sides and ceiling",
                                    "Far field lets air through; slip walls are a wind tunnel's.",
                                    **{"far field": "far field", "slip": "slip walls (tunnel)"})


class BodyZone(SheetSection):
    """A region with small cells."""

    kind: Literal["box", "cylinder", "cone"] = choice("box", "Form", "A cylinder or cone lies along x.",
                                                      box="box", cylinder="cylinder", cone="cone")
    size: float = number(0.1, "m", 1e-5, 100, "Cell size", "Largest cell in it, on the fine level.")
    x: float = number(0.0, "m", -1e4, 1e4, "From x", "")
    length: float = number(1.0, "m", above=0, high=1e4, label="Length", help="Along x.")
    y: float = number(0.0, "m", -1e4, 1e4, "Middle y", "")
    z: float = number(0.0, "m", -1e4, 1e4, "Middle z", "")
    width: float = number(1.0, "m", above=0, high=1e4, label="Width",
                          help="Of a box; diameter of a cylinder; first diameter of a cone.")
    height: float = number(1.0, "m", above=0, high=1e4, label="Height",
                           help="Of a box; last diameter of a cone.", when={"kind": ("box", "cone")})


LAYERED, CUT = {"layers": ("automatic", "grown")}, {"layers": ("automatic", "none")}


class BodyGrid(SheetSection):
    """Cubes round the body and layers at its wall; sizes are those of the fine level."""

    level: Literal["coarse", "medium", "fine"] = choice(
        "fine", "Climb to",
        "The run solves coarse, medium and fine in turn and stops here; in space two levels say little of "
        "the error.",
        coarse="coarse", medium="medium", fine="fine")
    surface_size: float | None = number(
        None, "m", 1e-6, 100, "Cells on the body",
        "Edge of the cubes on the fine level; empty takes a share of the body's size that meets the budget.")
    budget: int = number(300_000, "", 5_000, 3_000_000, "Cell budget",
                         "Most cells on the fine level, where no size is given.", whole=True)
    layers: Literal["automatic", "grown", "none"] = choice(
        "automatic", "Wall layers",
        "Thin cells that grow from the wall, joined to the cubes outside, or cubes cut by the wall. "
        "Automatic grows them on a wing that stands alone, and on one slender body without edges in free "
        "air, turbulent, both up to Mach 0.95, where they were measured to be far better; elsewhere they are "
        "for trials.",
        automatic="on lone wings and slender hulls",
        grown="grown from every wall", none="none, cubes only")
    y_plus: float = number(
        40.0, "", 15, 300, "First cells at y+",
        "Of turbulent flow: where the centres of the first cells shall stand, by the law of a plate as long "
        "as the body; 30 to 100 suits the wall functions.", when=LAYERED)
    first_height: float | None = number(
        None, "m", 1e-7, 10, "First cells' height", "Empty follows y+, or the thickness of a laminar layer.",
        when=LAYERED)
    layer_growth: float = number(1.35, "", 1.05, 2.0, "Growth of the layers",
                                 "Height of each cell over that of the one below.", when=LAYERED)
    edge_halvings: int = number(
        1, "", 0, 3, "Halvings at sharp edges",
        "Cells where the surface turns by more than 25° are this many times halved again.", whole=True,
        when=CUT)
    curved: float = number(
        12.0, "", 0, 90, "Cells per radius of curvature",
        "Curved surfaces get cells of at most this share of their radius, down to an eighth of the size "
        "above; 0 does not ask.", when=CUT)
    across_gap: float = number(
        6.0, "", 0, 40, "Cells across the gap to the ground",
        "Under the body cells are at most this share of the height over the ground, down to an eighth of the "
        "size above; 0 does not ask.", when=CUT)
    buffer: float = number(3.0, "", 1, 12, "Cells per layer",
                           "How many cells of each size lie between body and the next larger ones.")
    wake_length: float = number(1.0, "", 0, 20, "Wake length", "Refined behind the body, in body lengths.")
    wake_size: float = number(2.0, "", 1, 16, "Cells in the wake", "In cells on the body.")
    shock_size: float | None = number(
        None, "m", 1e-6, 100, "Cells at shocks",
        "Above Mach 1: where the level before found a shock, the next one gets cells of at most this size "
        "(fine level). Empty asks for none. They come on top of the budget."
    )
    zones: list[BodyZone] = Field(default_factory=list, max_length=20)


class BodyProbe(SheetSection):
    """A point where the flow is read."""

    name: str = text("probe", "Name", "", 40)
    x: float = number(0.0, "m", -1e4, 1e4, "x", "")
    y: float = number(0.0, "m", -1e4, 1e4, "y", "")
    z: float = number(0.0, "m", -1e4, 1e4, "z", "")


class FlowMeter(SheetSection):
    """A rectangle across x through which the flow is measured."""

    name: str = text("plane", "Name", "", 40)
    x: float = number(1.0, "m", -1e4, 1e4, "At x", "")
    y: float = number(0.0, "m", -1e4, 1e4, "Middle y", "")
    z: float = number(0.0, "m", -1e4, 1e4, "Middle z", "")
    width: float = number(1.0, "m", above=0, high=1e4, label="Width", help="")
    height: float = number(1.0, "m", above=0, high=1e4, label="Height", help="")


class BodyInstruments(SheetSection):
    """What is measured."""

    reference: Literal["automatic", "frontal", "planform"] = choice(
        "automatic", "Coefficients refer to",
        "The frontal area along x and the body's length, as for vehicles; or the planform area seen from "
        "above and the mean chord, as for wings. "
        "Automatic takes the planform where wings are most of what is seen from above.",
        automatic="whichever suits", frontal="frontal area and length",
        planform="planform area and mean chord")
    area: float | None = number(None, "m^2", above=0, high=1e8, label="Reference area",
                                help="Of the whole body. Empty takes the area chosen above.")
    reference_length: float | None = number(
        None, "m", above=0, high=1e5, label="Reference length", help=
        "For moments and the Reynolds number; empty takes the length that goes with the area chosen above.")
    moment_x: float = number(0.0, "m", -1e4, 1e4, "Moments about x", "")
    moment_y: float = number(0.0, "m", -1e4, 1e4, "y", "")
    moment_z: float = number(0.0, "m", -1e4, 1e4, "z", "")
    front_axle: float | None = number(None, "m", -1e4, 1e4, "Front axle at x",
                                      "With both axles given, lift is shared between them.")
    rear_axle: float | None = number(None, "m", -1e4, 1e4, "Rear axle at x", "")
    mass: float | None = number(None, "kg", above=0, high=1e7, label="Mass", help="Sets lift against weight.")
    force_unit: Literal["N", "lbf", "kgf"] = choice("N", "Forces in", "", N="newton", lbf="pound-force",
                                                    kgf="kilogram-force")
    probes: list[BodyProbe] = Field(default_factory=list, max_length=20)
    meters: list[FlowMeter] = Field(default_factory=list, max_length=12)
    formulas: list[Formula] = Field(default_factory=list, max_length=20)


class BodyFlow(SheetSection):
    """The physics."""

    model: Literal["inviscid", "laminar", "turbulent"] = choice(
        "turbulent", "Flow model",
        "Inviscid: slip walls. Laminar: no-slip walls. Turbulent: wall functions and a closure.",
        inviscid="Inviscid", laminar="Laminar", turbulent="Turbulent")
    closure: Closure = choice(
        "sst", "Closure",
        "All with wall functions. Behind blunt bodies and tails SST came nearer to the published drag, "
        "beyond Mach 1 Spalart-Allmaras (a sphere at Mach 2: 3.8 % high, SST 4.3 %); compare both where the "
        "flow separates from a smooth surface.",
        when={"model": "turbulent"}, **CLOSURES)
    wake: Literal["mean", "detached"] = choice(
        "mean", "Wakes",
        "Mean flow everywhere; or large eddies set free away from walls where the grid can carry them "
        "(shielded detached eddies), averaged over the settled part.",
        when={"model": "turbulent"}, mean="mean flow", detached="detached eddies")


IN_TIME = {"flow.wake": "detached"}


class BodyRun(SheetSection):
    """How long, and how."""

    residual: float = number(1e-5, "", 1e-12, 1e-1, "Residual to reach",
                             "Share of the impulsive start's residual.")
    steady: float = number(
        1e-3, "", 1e-8, 1e-1, "Instruments steady within",
        "Of the drag: change over the last ten steps, or of the means of the last two quarters where the "
        "wake keeps moving."
    )
    steps: int = number(150, "", 5, 5000, "Most steps per level", "", whole=True)
    courant_start: float = number(3.0, "", 0.1, 1000, "Courant number at the start",
                                  "Smaller is slower and safer.")
    courant_most: float | None = number(
        None, "", 1, 1e6, "Largest Courant number",
        "Empty takes 1000 with a closure (80 from Mach 1.2 on), 100 000 without.")
    first_order_steps: int = number(8, "", 0, 500, "First-order steps",
                                    "On the coarse level before second order takes over.", whole=True)
    krylov_vectors: int | None = number(
        None, "", 4, 100, "Krylov vectors",
        "Most vectors of one linear solution; empty takes 20 with a closure (12 from Mach 1.2 on), 30 "
        "without.",
        whole=True)
    duration: float = number(6.0, "", 0.2, 1000, "Time to follow",
                             "In body lengths travelled by the stream, after the steady start.", seen=IN_TIME)
    time_step: float | None = number(
        None, "", 1e-5, 10, "Time step",
        "In body lengths travelled by the stream; empty takes one and a half cells on the body.",
        seen=IN_TIME)
    discard: float = number(0.4, "", 0, 0.95, "Start-up left out",
                            "Share of the time before statistics begin.", seen=IN_TIME)
    keep: Keep = keeping()
    cores: int = own_cores()


class BodySheet(SheetBase):
    """One run of a body in space, whole."""

    space: Literal["body"] = "body"
    shape: BodyShape = Field(default_factory=BodyShape)
    air: BodyAir = Field(default_factory=BodyAir)
    domain: BodyDomain = Field(default_factory=BodyDomain)
    grid: BodyGrid = Field(default_factory=BodyGrid)
    instruments: BodyInstruments = Field(default_factory=BodyInstruments)
    flow: BodyFlow = Field(default_factory=BodyFlow)
    run: BodyRun = Field(default_factory=BodyRun)


SECTIONS = {
    "shape": BodyShape, "air": BodyAir, "domain": BodyDomain, "grid": BodyGrid,
    "instruments": BodyInstruments, "flow": BodyFlow, "run": BodyRun
}
