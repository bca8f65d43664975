"""What walls of a section do at an operating point: blow, suck, slide, steadily or changing in time."""
from typing import Literal

from pydantic import Field, model_validator

from .fields import SheetSection, choice, number, text
from .movement import check_table

# What may change in time.
DRIVEN = ("blow", "move")
SINE, TABLE, FORMULA = ({"action": DRIVEN, "varies": v} for v in ("sine", "table", "formula"))


class WallAction(SheetSection):
    """What a named surface does at this operating point."""

    surface: str = text(
        "body", "Surface",
        "A named surface, a side (“upper”, “flap lower”), an element's name, or “body” for all walls.", 60)
    action: Literal["blow", "blow mass", "move", "slip"] = choice(
        "blow", "Does",
        "Blowing is positive out of the wall, suction negative. A moving wall slides along itself, positive "
        "counter-clockwise round the body.",
        **{
            "blow": "blows at a normal speed", "blow mass": "blows a mass flow",
            "move": "moves along itself (rotates)", "slip": "slips"
        })
    speed: float = number(0.0, "m/s", -1000, 1000, "Speed",
                          "Normal speed of blowing (suction negative), or speed of the wall along itself; "
                          "what changes in time changes about it.",
                          when={"action": DRIVEN})
    mass_flow: float = number(0.0, "kg/(m*s)", -1e4, 1e4, "Mass flow",
                              "Of the whole stretch per metre of span; suction negative.",
                              when={"action": "blow mass"})
    temperature: float | None = number(None, "K", 10, 3000, "Temperature of the air",
                                       "Empty takes the undisturbed air's.",
                                       when={"action": ("blow", "blow mass")})
    varies: Literal["no", "sine", "table", "formula"] = choice(
        "no", "In time",
        "Followed where time is unsteady; in steady flow it is held as it stands at the beginning.",
        when={"action": DRIVEN}, no="stays", sine="swings (sine)", table="follows a table",
        formula="follows a formula")
    swing: float = number(1.0, "m/s", -1000, 1000, "Swing", "Amplitude about the speed.", when=SINE)
    given: Literal["reduced",
                   "hertz"] = choice("reduced", "Frequency given as", "The reduced frequency is ω c / 2U.",
                                     when=SINE, reduced="reduced frequency", hertz="frequency")
    reduced: float = number(0.5, "", 1e-3, 100, "Reduced frequency", "ω c / 2U.",
                            when={**SINE, "given": "reduced"})
    hertz: float = number(50.0, "Hz", 1e-4, 1e6, "Frequency", "", when={**SINE, "given": "hertz"})
    phase: float = number(0.0, "deg", -360, 360, "Ahead by",
                          "Of a sine that begins at zero; 90° begins at the crest.", when=SINE)
    repeats: Literal["no", "yes"] = choice("no", "After its end", "", when=TABLE, no="stays as it is",
                                           yes="begins again")
    points: list[tuple[float, float]] | None = Field(
        None, json_schema_extra={
            "kind": "points", "when": TABLE, "label": "Table",
            "help": "Chords travelled by the stream, and metres per second on top of the speed."
        })
    formula: str = text(
        "", "Formula",
        "Metres per second on top of the speed, from channels as they stood at the step before and `time` in "
        "chords: for example −20 * (lift − 0.4).", 200, when=FORMULA)
    most: float = number(20.0, "m/s", above=0, high=1000, label="Actuator gives at most",
                         help="Largest speed either way.", when=FORMULA)
    rate: float = number(1e4, "m/s^2", above=0, high=1e9, label="and changes by at most",
                         help="In a second.", when=FORMULA)

    @property
    def is_driven(self):
        """Whether it changes in time."""
        return self.action in DRIVEN and self.varies != "no"

    @model_validator(mode="after")
    def _whole(self):
        if not self.is_driven:
            return self
        if self.varies == "formula" and not self.formula:
            raise ValueError("a wall that follows a formula needs one, for example −20 * (lift − 0.4)")
        if self.varies == "table":
            check_table(self.points, self.repeats, "speed", "m/s")
        return self
