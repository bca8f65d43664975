"""What the result of a run holds, declared once: archives are checked against it before anything is
stored."""
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

# Longest lists and texts that a result needs, with room to spare.
MOST_ROWS, MOST_WORDS = 20_000, 4_000
FORCE_UNITS = ("N", "lbf", "kgf")
Number = Annotated[float, Field(allow_inf_nan=False)]
Words = Annotated[str, Field(max_length=MOST_WORDS)]
Name = Annotated[str, Field(max_length=200)]
Numbers = dict[Name, Number]
# Some readings have no value: a probe in a wall, a ratio without a divisor.
Readings = dict[Name, Number | None]


class _Part(BaseModel):
    model_config = ConfigDict(strict=True, extra="allow")


class TrendPart(_Part):
    """Of one coefficient, as `grid_trend` makes it."""

    values: list[Number] = Field(max_length=20)
    order: Number | None
    extrapolated: Number | None
    error: Number | None
    behaviour: Name
    words: Words
    # Of the sizes of neighbouring levels; results of earlier versions do not tell it.
    ratio: Number | None = Field(None, gt=1)


class WallUnitsPart(_Part):
    mean: Number
    largest: Number


class AirPart(_Part):
    """Of sections and bodies."""

    mach: Number
    speed: Number
    reynolds: Number
    temperature: Number
    pressure: Number
    density: Number
    dynamic_pressure: Number
    incidence: Number
    yaw: Number = 0.0


class SupplyPart(_Part):
    """Of nozzles."""

    ambient: Number
    supply: Number
    supply_temperature: Number
    back_pressure: Number
    ratio: Number = Field(gt=0)
    ideal_mach: Number


class SectionShapePart(_Part):
    chord: Number = Field(gt=0)


class NozzleShapePart(_Part):
    length: Number
    exit_radius: Number = Field(gt=0)
    throat_radius: Number


class TheoryPart(_Part):
    regime: Name
    mass_flow: Number
    thrust: Number
    exit_mach: Number
    exit_pressure: Number
    shock: Number | None


class CellsPart(_Part):
    spacing: Number
    ends: list[Number] = Field(max_length=200)


class MeterPart(_Part):
    kilograms_per_second: Number
    cubic_metres_per_second: Number
    speed: Number
    cp: Number
    total_pressure: Number
    covered: Number


class LevelPart(_Part):
    """A level of the climb."""

    level: Literal["coarse", "medium", "fine", "neighbour"]
    cells: int = Field(ge=0)
    steps: int = Field(ge=0)
    residual: Number
    settled: bool
    seconds: Number
    coefficients: Readings
    quality: Readings
    y_plus: WallUnitsPart | None = None


class VerdictPart(_Part):
    """What the program says of the run."""

    settled: bool
    words: Words
    warnings: list[Words] = Field(max_length=200)


class ShockPart(_Part):
    """A shock on a wall or in a nozzle."""

    mach_ahead: Number
    surface: Name | None = None
    x: Number | None = None
    mean: Number | None = None
    axis: Number | None = None
    wall: Number | None = None


class PlacePart(_Part):
    """Where a layer leaves a wall or comes back to it."""

    surface: Name
    x: Number
    kind: Name


class LayerPart(_Part):
    """A boundary layer at a station."""

    surface: Name
    x: Number
    cf: Number
    thickness: Number | None
    displacement: Number | None
    momentum: Number | None
    shape: Number | None


class ChannelPart(_Part):
    """Statistics of a channel in time."""

    mean: Number
    mean_error: Number
    rms: Number
    amplitude: Number
    frequency: Number | None
    frequency_error: Number | None
    periods: Number | None


class CycleNumbers(_Part):
    """Of one channel over one cycle, as `cycle_numbers` makes them."""

    mean: Number
    rms: Number
    low: Number
    high: Number
    amplitude: Number
    harmonic: Number
    phase: Number
    mean_change: Number | None
    amplitude_change: Number | None


class CyclePart(_Part):
    """What repeats in a run followed in time."""

    period: Number = Field(gt=0)
    steps: int = Field(ge=1)
    count: int = Field(ge=0)
    changes: Numbers
    alike: bool
    over: Name
    channels: dict[Name, CycleNumbers]
    coarser: dict[Name, CycleNumbers]


class ExtremesPart(_Part):
    """Least and largest value of a channel and when they come."""

    low: Number
    low_at: Number
    high: Number
    high_at: Number


class TimePart(_Part):
    """A run followed in time."""

    step: Number = Field(gt=0)
    steps: int = Field(ge=0)
    from_: Number = Field(alias="from")
    to: Number
    channels: dict[Name, ChannelPart]
    cycle: CyclePart | None = None
    extremes: dict[Name, ExtremesPart] | None = None


class AveragesPart(_Part):
    """What means of a moving wake were taken over."""

    of: Name
    steps: int
    deviations: Numbers


class ForceAveragesPart(AveragesPart):
    """Those of a body."""

    @model_validator(mode="after")
    def _complete(self):
        if not {"lift", "drag"} <= set(self.deviations):
            raise ValueError("deviations of lift and drag are missing")
        return self


class TonePart(_Part):
    frequency: Number
    level: Number
    prominence: Number
    harmonic: int


class MicrophonePart(_Part):
    level: Number
    tones: list[TonePart] = Field(max_length=200)
    segments: int
    step: Number
    seconds: Number
    change: Number | None


class ExitPart(_Part):
    from_: Name = Field(alias="from")
    mach: Number
    pressure: Number
    layer: Number


class FormulaPart(_Part):
    cell: Number
    speed: Number
    frequency: Number


class FarFieldPart(_Part):
    distance: Number
    angles: list[Number] = Field(max_length=400)
    levels: list[Number] = Field(max_length=400)
    loudest: Number
    loudest_levels: list[Number] = Field(max_length=400)
    valid_angles: list[Number] = Field(min_length=2, max_length=2)
    valid_frequencies: list[Number] = Field(min_length=2, max_length=2)
    radius: Number


class NoisePart(_Part):
    """A jet in time."""

    microphones: dict[Name, MicrophonePart | None]
    formula: Number | None
    formula_source: Words
    rate: Number
    discard: Number
    strouhal_unit: Number
    exit: ExitPart
    measured_formula: FormulaPart | None = None
    far_field: FarFieldPart | None = None


class BuildUpPart(_Part):
    x: list[Number] = Field(max_length=MOST_ROWS)
    drag: list[Number] = Field(max_length=MOST_ROWS)
    lift: list[Number] = Field(max_length=MOST_ROWS)


class SpanLoadPart(_Part):
    y: list[Number] = Field(max_length=MOST_ROWS)
    drag: list[Number] = Field(max_length=MOST_ROWS)
    lift: list[Number] = Field(max_length=MOST_ROWS)


class ControlVolumePart(_Part):
    lift: Number
    drag: Number
    mass: Number
    reach: Number


class _Result(_Part):
    """What every kind of run leaves behind."""

    format: Literal[1]
    title: Words
    coefficients: Readings
    trends: dict[Name, TrendPart]
    forces: dict[Name, Number | Name]
    formulas: list[Name] = Field(max_length=100)
    levels: list[LevelPart] = Field(min_length=1, max_length=10)
    verdict: VerdictPart
    shocks: list[ShockPart] = Field(max_length=500)
    separations: list[PlacePart] = Field(max_length=500)
    layer: list[LayerPart] = Field(max_length=2000)
    control_volume: ControlVolumePart | None
    unsteady: TimePart | None
    y_plus: WallUnitsPart | None
    cells: int = Field(ge=0)
    steps: int = Field(ge=0)
    seconds: Number
    probes: dict[Name, Readings | None]

    needed: tuple = ()
    headlines: tuple = ()

    @model_validator(mode="after")
    def _complete(self):
        if not set(self.headlines) <= set(self.trends):
            raise ValueError(f"trends: {', '.join(self.headlines)} are needed")
        missing = [name for name in self.needed if not isinstance(self.coefficients.get(name), float | int)]
        if missing:
            raise ValueError(f"coefficients: {', '.join(missing)} missing")
        lost = [name for name in self.trends if not isinstance(self.coefficients.get(name), float | int)]
        if lost:
            raise ValueError(f"trends: {', '.join(lost[:3])} without a coefficient")
        return self


class SectionResult(_Result):
    """A run of sections in a plane."""

    needed: tuple = ("lift", "drag", "moment", "drag_pressure", "drag_friction")
    headlines: tuple = ("lift", "drag", "moment")
    air: AirPart
    shape: SectionShapePart

    @model_validator(mode="after")
    def _forces(self):
        if not all(
                isinstance(self.forces.get(n), float | int)
                for n in ("lift", "drag", "moment", "drag_pressure", "drag_friction")):
            raise ValueError("forces: lift, drag or moment is missing")
        if self.forces.get("unit", "N") not in FORCE_UNITS:
            raise ValueError("forces: the unit is none")
        return self


class SurfacePart(_Part):
    """Forces on a named surface, as coefficients."""

    drag: Number
    lift: Number
    side: Number
    drag_pressure: Number
    drag_friction: Number


class BodyShapePart(_Part):
    area: Number = Field(gt=0)
    length: Number
    width: Number
    height: Number
    triangles: int
    parts: list[Name] = Field(max_length=2000)
    surfaces: list[Name] = Field(max_length=4000)
    frontal_area: Number
    wetted_area: Number
    volume: Number
    reference_length: Number
    notes: list[Words] = Field(max_length=200)


class BodyResult(SectionResult):
    """A run of a body in space."""

    needed: tuple = ("lift", "drag", "moment", "side", "roll", "turn", "drag_pressure", "drag_friction")
    space: Literal["body"]
    shape: BodyShapePart
    averages: ForceAveragesPart | None
    meters: dict[Name, MeterPart | None]
    surfaces: dict[Name, SurfacePart]
    build_up: BuildUpPart
    # Results of earlier versions have none.
    span_load: SpanLoadPart | None = None
    weight: Number | None


class NozzleResult(_Result):
    """A run of a nozzle or its jet."""

    space: Literal["nozzle"]
    needed: tuple = ("mass_flow", "thrust", "exit_mach")
    headlines: tuple = ("mass_flow", "thrust", "exit_mach")
    air: SupplyPart
    shape: NozzleShapePart
    theory: TheoryPart | None
    shock_cells: CellsPart | None
    noise: NoisePart | None = None


class TurningPart(_Part):
    """Of blade rows."""

    temperature: Number
    pressure: Number
    density: Number
    speed_of_rotation: Number
    tip_speed: Number
    tip_mach: Number
    wind: Number
    advance: Number
    tip_speed_ratio: Number


class RowShapePart(_Part):
    blades: int = Field(gt=0)
    hub_radius: Number
    tip_radius: Number = Field(gt=0)
    tip_gap: Number
    chord: Number
    stagger: Number
    solidity: Number
    throat_area: Number


class RowTheoryPart(_Part):
    thrust: Number | None = None
    torque: Number | None = None
    power: Number | None = None
    choked_flow: Number | None = None


class RowResult(_Result):
    """A run of a blade row."""

    space: Literal["row"]
    needed: tuple = ("torque", "power", "thrust")
    headlines: tuple = ("torque", "thrust")
    air: TurningPart
    shape: RowShapePart
    theory: RowTheoryPart | None
    averages: AveragesPart | None = None


def check_result(result, declared):
    """Look a result of a run over; raises ValueError that names what is wrong.

    Parameters
    ----------
    result : dict
        As read from JSON.
    declared : type
        What a result of its kind is declared to hold.
    """
    if not isinstance(result, dict):
        raise ValueError("the result is not a table")
    try:
        declared.model_validate({k: v for k, v in result.items() if k not in ("needed", "headlines")})
    except ValidationError as error:
        first = error.errors()[0]
        raise ValueError(
            f"result.{'.'.join(str(part) for part in first['loc'])[:80]}: {first['msg'][:160]}") from None
    check_values(result, "the result")


def check_values(value, what, depth=0):
    """Raises ValueError for what JSON can hold but a page cannot show: numbers without end, nesting without
    end, broken text."""
    if depth > 14:
        raise ValueError(f"{what} is nested too deeply")
    if isinstance(value, float) and not abs(value) < 1e300 or isinstance(value,
                                                                         int) and not abs(value) < 1e18:
        raise ValueError(f"{what} holds a number without end")
    if isinstance(value, str):
        check_text(value)
    for inner in value.values() if isinstance(value, dict) else value if isinstance(value, list) else ():
        check_values(inner, what, depth + 1)
    for key in value if isinstance(value, dict) else ():
        check_text(key)


def check_text(text):
    """Raises ValueError for text that cannot be written: half of a character, or the character nought."""
    if any("\ud800" <= letter <= "\udfff" or letter == "\0" for letter in text):
        raise ValueError("a text holds a character that is none")
