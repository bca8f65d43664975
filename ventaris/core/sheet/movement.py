"""What moves while a flow is followed in time, and gusts that come with the stream."""
from typing import Literal

from pydantic import Field, model_validator

from .fields import SheetSection, choice, number

SWINGING, TURNING = ("pitch", "heave"), ("pitch", "ramp", "turn", "table")
GUSTS = ("wave", "edge")


class Movement(SheetSection):
    """One movement, of everything that stands in the air or of what is inside a circle, or one gust."""

    does: Literal["pitch", "heave", "ramp", "turn", "table", "wave", "edge"] = choice(
        "pitch", "Does",
        "Pitching, a ramp, a table and turning are about a pivot; a gust comes with the stream and blows "
        "across it.", pitch="pitches (sine)", heave="heaves (sine)", ramp="pitches up once and stays",
        turn="turns at constant speed", table="pitches by a table", wave="meets a gust (sine)",
        edge="meets a sharp-edged gust")
    whole: Literal["all", "circle"] = choice(
        "all", "What moves",
        "Inside a circle: everything else stands still, casings, guide vanes and walls among it. The circle "
        "must not cut a wall.", when={"does": TURNING}, all="everything", circle="what is inside a circle")
    edge: float = number(1.0, "", 0.01, 100, "Circle's radius",
                         "In chords, round the pivot: halfway between what turns and what stands still.",
                         when={"does": TURNING, "whole": "circle"})
    angle: float = number(
        2.0, "deg", -180, 180, "Angle",
        "Amplitude of pitching, or what a ramp rises to; nose up, on top of the incidence.",
        when={"does": ("pitch", "ramp")})
    travel: float = number(0.1, "", -10, 10, "Heave", "Amplitude in chords.", when={"does": "heave"})
    given: Literal["reduced",
                   "hertz"] = choice("reduced", "Frequency given as", "The reduced frequency is ω c / 2U.",
                                     when={"does": SWINGING}, reduced="reduced frequency", hertz="frequency")
    reduced: float = number(0.1, "", 1e-3, 10, "Reduced frequency", "ω c / 2U.",
                            when={"does": SWINGING, "given": "reduced"})
    hertz: float = number(5.0, "Hz", 1e-4, 1e6, "Frequency", "", when={"does": SWINGING, "given": "hertz"})
    phase: float = number(0.0, "deg", -360, 360, "Ahead by",
                          "Of a sine that begins at zero; 90° begins at the crest.", when={"does": SWINGING})
    begin: float = number(1.0, "", 0, 5000, "Begins at", "In chords travelled by the stream.",
                          when={"does": "ramp"})
    end: float = number(6.0, "", 0.01, 5000, "Ends at",
                        "In chords travelled by the stream; it sets off and stops smoothly.",
                        when={"does": "ramp"})
    speed_as: Literal["ratio",
                      "revolutions"] = choice("ratio", "Speed given as", "The tip-speed ratio is ω R / U.",
                                              when={"does": "turn"}, ratio="tip-speed ratio",
                                              revolutions="revolutions per minute")
    tip_speed_ratio: float = number(3.0, "", -30, 30, "Tip-speed ratio",
                                    "ω R / U; positive turns clockwise, as pitching nose up does.",
                                    when={"does": "turn", "speed_as": "ratio"})
    revolutions: float = number(60.0, "rpm", -1e6, 1e6, "Speed",
                                "Positive turns clockwise, as pitching nose up does.",
                                when={"does": "turn", "speed_as": "revolutions"})
    radius: float = number(1.0, "", 0.01, 100, "Wheel's radius",
                           "In chords, to the tips; power and torque coefficients refer to it and to twice "
                           "it as width.",
                           when={"does": "turn"})
    start: float = number(0.0, "deg", -360, 360, "Begins turned by", "", when={"does": "turn"})
    pivot_x: float = number(0.25, "", -100, 100, "Pivot at x", "In chords from the nose.",
                            when={"does": TURNING})
    pivot_y: float = number(0.0, "", -100, 100, "Pivot at y", "In chords from the chord line.",
                            when={"does": TURNING})
    gust: float = number(
        0.05, "", -1, 1, "Gust",
        "Speed across the stream over that of the stream, positive up; of a sine its "
        "amplitude.", when={"does": GUSTS})
    length: float = number(10.0, "", 0.2, 1000, "Wave length", "In chords.", when={"does": "wave"})
    front: float = number(
        -1.0, "", -500, 500, "Front stands at",
        "At the beginning, along the stream in chords from the nose; of a sine where it is "
        "zero.", when={"does": GUSTS})
    repeats: Literal["no", "yes"] = choice("no", "After its end", "", when={"does": "table"},
                                           no="stays as it is", yes="begins again")
    points: list[tuple[float, float]] | None = Field(
        None, json_schema_extra={
            "kind": "points", "when": {"does": "table"}, "label": "Table", "help":
            "Chords travelled by the stream, and degrees nose up on top of the incidence."
        })

    @model_validator(mode="after")
    def _whole(self):
        if self.does == "ramp" and self.end <= self.begin:
            raise ValueError(f"end = {self.end:g}: a ramp ends after it begins (at {self.begin:g} chords)")
        if self.in_circle and self.does == "turn" and self.radius > self.edge:
            raise ValueError(f"edge = {self.edge:g}: a wheel of radius {self.radius:g} does not fit into "
                             "that circle. Make it larger, by half of the gap to what stands still")
        if self.does == "turn" and not (self.tip_speed_ratio
                                        if self.speed_as == "ratio" else self.revolutions):
            raise ValueError("a speed of 0 turns nothing: give the speed, or take the row out")
        if self.does == "table":
            check_table(self.points, self.repeats, "angle", "degrees")
        return self

    @property
    def in_circle(self):
        """Whether only what is inside a circle moves."""
        return self.does in TURNING and self.whole == "circle"


def check_table(points, repeats, what, unit):
    """Raise ValueError where a table against time cannot be followed.

    Parameters
    ----------
    points : list of (float, float) or None
        Chords travelled by the stream, and what it gives then.
    repeats : {"no", "yes"}
    what, unit : str
        What it gives, and in which unit, as people say it.
    """
    if not points or len(points) < 3:
        raise ValueError(f"the table needs three pairs of time and {what} or more, one pair per line: chords "
                         f"travelled by the stream, {what} in {unit}")
    for before, here in zip(points, points[1:]):
        if here[0] <= before[0]:
            raise ValueError(f"the table goes back in time: {here[0]:g} chords come after {before[0]:g}. "
                             "Sort its lines")
    if repeats == "yes" and abs(points[0][1] - points[-1][1]) > 1e-9:
        raise ValueError(f"a table that begins again ends where it began: its last {what} is "
                         f"{points[-1][1]:g} {unit} and its first {points[0][1]:g} {unit}")
