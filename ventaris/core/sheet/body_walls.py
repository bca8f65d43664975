"""What named surfaces of a body, or sides of its box, do: openings, blowing, heat, motion."""
from typing import Literal

from pydantic import model_validator

from .fields import SheetSection, choice, number, text

ACTIONS = {
    "takes in": "takes air in, by its mass flow",
    "vents": "is open to a pressure",
    "supplies": "supplies air of a total pressure",
    "feeds": "supplies air by its mass flow",
    "supersonic": "supplies a supersonic stream",
    "blows": "blows at a normal speed",
    "blows mass": "blows a mass flow",
    "slides": "slides at a velocity",
    "turns": "turns about its axle",
    "slips": "slips without friction",
    "held": "is held at a temperature",
    "heated": "is heated",
}
FLOWING = ("takes in", "feeds", "blows mass")
WARM = ("supplies", "feeds", "vents")
CLOSED = ("slides", "turns", "slips", "held", "heated")


class SurfaceAction(SheetSection):
    """What a surface does at this operating point."""

    surface: str = text(
        "body", "Surface",
        "A named surface, a part, “body” for all walls, or a side of the box: inflow, outflow, left, right, "
        "floor, ceiling.", 60)
    action: Literal[tuple(ACTIONS)] = choice(
        "takes in", "Does",
        "Openings that take in or supply air pass it as an engine's intake and exhaust do; blowing is "
        "positive out of the wall, suction negative.", **ACTIONS)
    mass_flow: float = number(1.0, "kg/s", -1e6, 1e6, "Mass flow", "Through the whole surface.",
                              when={"action": FLOWING})
    pressure: float = number(
        101325.0, "Pa", 1e-3, 1e9, "Pressure (absolute)",
        "Behind the opening; what comes back comes from rest at "
        "this pressure. Of a supersonic stream its static pressure.",
        when={"action": ("vents", "supersonic")})
    total_pressure: float = number(2e5, "Pa", 1e-3, 1e9, "Total pressure (absolute)", "",
                                   when={"action": "supplies"})
    total_temperature: float = number(288.15, "K", 10, 4000, "Total temperature", "Of what comes in.",
                                      when={"action": WARM})
    mach: float = number(2.0, "", 1.01, 10, "Mach number", "", when={"action": "supersonic"})
    static_temperature: float = number(288.15, "K", 10, 4000, "Static temperature", "",
                                       when={"action": "supersonic"})
    speed: float = number(10.0, "m/s", -1000, 1000, "Speed", "Normal to the wall; suction negative.",
                          when={"action": "blows"})
    blown_temperature: float | None = number(None, "K", 10, 4000, "Temperature of the air",
                                             "Empty takes the undisturbed air's.",
                                             when={"action": ("blows", "blows mass")})
    along: float = number(0.0, "m/s", -5000, 5000, "Velocity along x", "", when={"action": "slides"})
    across: float = number(0.0, "m/s", -5000, 5000, "along y", "", when={"action": "slides"})
    upwards: float = number(0.0, "m/s", -5000, 5000, "along z", "", when={"action": "slides"})
    turn_axis: Literal["across", "along", "upwards"] = choice(
        "across", "Axle", "Through the middle of the surface's box.", across="along y, as a wheel's",
        along="along x", upwards="along z", when={"action": "turns"})
    turn_speed: float | None = number(
        None, "rpm", -2e5, 2e5, "Speed of rotation",
        "Positive about y moves the lowest point with the stream, about x and z as a right-handed screw. "
        "Empty rolls about y: the lowest point moves with the stream.", when={"action": "turns"})
    temperature: float = number(320.0, "K", 10, 3000, "Temperature of the wall", "", when={"action": "held"})
    heat: float = number(0.0, "W/m^2", -1e8, 1e8, "Heat into the flow", "Negative cools it.",
                         when={"action": "heated"})

    @model_validator(mode="after")
    def _goes_one_way(self):
        if self.action in ("takes in", "feeds") and self.mass_flow <= 0:
            raise ValueError(
                f"mass_flow = {self.mass_flow:g} kg/s: what an opening takes in or supplies is more than 0. "
                "Give it as a positive number, or choose the other action")
        if self.action == "turns" and self.turn_speed is None and self.turn_axis != "across":
            raise ValueError(
                "turn_speed: without one a surface rolls, and that is about an axle along y. Give a speed, "
                "for example 1200 rpm, or take the axle along y")
        return self

    @property
    def is_open(self):
        """Whether air passes."""
        return self.action not in CLOSED
