"""Parts of a run sheet that come in lists: elements, named surfaces, zones, formula channels."""
from typing import Literal

from pydantic import Field, model_validator

from ..flow.closures.catalogue import CATALOGUE
from .fields import SheetSection, choice, number, text

CLOSURES = {name: entry.label for name, entry in CATALOGUE.items()}
Closure = Literal[tuple(CLOSURES)]


class Element(SheetSection):
    """A further element of an arrangement, placed by a slot or by a position; lengths in chords of the main
    element."""

    name: str = text("flap", "Name", "Surfaces are called after it, for example “flap upper”.", 30)
    role: Literal["flap", "slat", "free"] = choice(
        "flap", "Placed",
        "A flap hangs behind the element before it, a slat stands ahead of the main element; both by gap and "
        "overlap.",
        flap="behind, by a slot (flap)", slat="ahead, by a slot (slat)", free="by its nose's position")
    kind: Literal["four-digit", "ellipse", "coordinates"] = choice(
        "four-digit", "Family", "How the outline is made.",
        **{"four-digit": "Four-digit family", "ellipse": "Ellipse or circle", "coordinates": "Coordinates"})
    chord: float = number(0.3, "", 0.01, 20, "Chord", "In chords of the main element.")
    thickness: float = number(0.12, "", 0.005, 1.0, "Thickness",
                              "Largest thickness in the element's own chords.",
                              when={"kind": ("four-digit", "ellipse")})
    camber: float = number(0.0, "", -0.15, 0.15, "Camber", "In the element's own chords.",
                           when={"kind": "four-digit"})
    camber_position: float = number(0.4, "", 0.05, 0.95, "Camber at", "Station of the largest camber.",
                                    when={"kind": "four-digit"})
    deflection: float = number(0.0, "deg", -180, 180, "Deflection",
                               "A flap or free element: trailing edge down; a slat: nose down.")
    gap: float = number(0.02, "", 0.001, 1, "Slot gap",
                        "Distance between the trailing edge ahead and the surface behind it.",
                        when={"role": ("flap", "slat")})
    overlap: float = number(
        0.0, "", -1, 1, "Overlap",
        "How far the nose behind lies ahead of the trailing edge in front of it; negative leaves open air "
        "between.",
        when={"role": ("flap", "slat")})
    x: float = number(1.1, "", -100, 100, "Nose at x", "In chords of the main element.",
                      when={"role": "free"})
    y: float = number(0.0, "", -100, 100, "Nose at y", "In chords of the main element.",
                      when={"role": "free"})
    points: list[tuple[float, float]] | None = Field(
        None, json_schema_extra={"kind": "points", "when": {"kind": "coordinates"}})

    @model_validator(mode="after")
    def _complete(self):
        if self.kind == "coordinates" and not self.points:
            raise ValueError(
                "an element of coordinates needs its points: bring them in, or choose another family")
        if self.kind == "four-digit" and self.thickness > 0.4:
            raise ValueError(
                f"thickness = {self.thickness:g}: the four-digit family ends at 0.4; take the ellipse for "
                "thicker bodies"
            )
        if not self.name:
            raise ValueError("an element needs a name")
        return self


class NamedSurface(SheetSection):
    """A stretch of a wall with a name of its own."""

    name: str = text("slot", "Name", "What the operating point and the readings call it.", 30)
    element: str = text("", "On element", "Empty is the main element.", 30)
    side: Literal["upper", "lower", "angle"] = choice(
        "upper", "Given by",
        "Chord stations of a side, or angles round the middle of the element (counter-clockwise from "
        "downstream).",
        upper="stations, upper side", lower="stations, lower side", angle="angles in degrees")
    start: float = number(0.5, "", -360, 360, "From", "Station in the element's chords, or degrees.")
    end: float = number(0.52, "", -360, 360, "To", "Station in the element's chords, or degrees.")

    @model_validator(mode="after")
    def _not_empty(self):
        if self.side != "angle" and not (0 <= self.start < self.end <= 1):
            raise ValueError(
                f"the surface “{self.name}” runs from {self.start:g} to {self.end:g}: stations lie between 0 "
                "and 1 and the second is the larger"
            )
        if self.start == self.end or not self.name:
            raise ValueError("a named surface needs a name, and two different ends")
        return self


class Meter(SheetSection):
    """A straight line through which the flow is measured."""

    name: str = text("outlet", "Name", "Formulas and curves call it so.", 30)
    x1: float = number(1.5, "", -500, 500, "From x", "In chords.")
    y1: float = number(-0.5, "", -500, 500, "From y", "In chords.")
    x2: float = number(1.5, "", -500, 500, "To x", "In chords.")
    y2: float = number(0.5, "", -500, 500, "To y",
                       "In chords; what passes to the right, seen from the first point to the second, counts "
                       "as positive.")

    @model_validator(mode="after")
    def _has_length(self):
        if (self.x1, self.y1) == (self.x2, self.y2):
            raise ValueError(f"the flow meter “{self.name}” begins and ends at x = {self.x1:g}, "
                             f"y = {self.y1:g}: give it two points")
        if not self.name:
            raise ValueError("a flow meter needs a name")
        return self


class RefinedZone(SheetSection):
    """A region with small cells."""

    kind: Literal["box", "circle",
                  "wake"] = choice("box", "Form", "A wake follows the stream from its start.", box="box",
                                   circle="circle", wake="wake")
    size: float = number(0.03, "", 1e-4, 10, "Cell size", "Largest cell in it, in chords, on the fine level.")
    x: float = number(1.5, "", -500, 500, "x", "Of the middle; of the start of a wake.")
    y: float = number(0.0, "", -500, 500, "y", "Of the middle; of the start of a wake.")
    width: float = number(1.0, "", 1e-3, 500, "Width",
                          "Of a box along x; of a circle its diameter; of a wake across.")
    height: float = number(0.5, "", 1e-3, 500, "Height", "Of a box.", when={"kind": "box"})
    length: float = number(2.0, "", 1e-3, 500, "Length", "Of a wake.", when={"kind": "wake"})


class Formula(SheetSection):
    """A channel computed from others."""

    name: str = text("glide", "Name", "Letters, digits and _; other formulas may use it.", 40)
    expression: str = text(
        "lift / drag", "Formula",
        "Channels by name, or by their label in quotation marks; numbers, + − * / ^, brackets, abs, sqrt, "
        "min, max, sin, cos, tan, exp, log.", 200)
    steady_within: float | None = number(
        None, "", 1e-8, 0.5, "Must be steady within",
        "Share of its value over the last steps before a level counts as settled; empty does not ask.")
