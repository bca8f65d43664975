"""The sections along a wing, as a run sheet gives them."""
from typing import Literal

from pydantic import Field

from .fields import SheetSection, choice, number, text


class WingStation(SheetSection):
    """A section of a wing at a place along its span."""

    part: str = text("", "Wing", "Name of the part; empty is the only wing.", 40)
    y: float = number(0.0, "m", 0, 1e4, "From the middle", "To the right; the left half is its mirror image.")
    x: float = number(0.0, "m", -1e4, 1e4, "Nose back by", "Of the leading edge, against the part's origin.")
    z: float = number(0.0, "m", -1e4, 1e4, "Up by", "Of the chord line's nose; a winglet goes up steeply.")
    chord: float = number(0.3, "m", above=0, high=1000, label="Chord", help="")
    twist: float = number(0.0, "deg", -45, 45, "Nose up by", "About the quarter point.")
    form: Literal["part", "four-digit", "coordinates"] = choice(
        "part", "Section", "Between two stations sections change evenly.", part="the wing's own",
        **{"four-digit": "four-digit", "coordinates": "coordinates"})
    thickness: float = number(0.12, "", 0.02, 0.4, "Thickness", "In chords.", when={"form": "four-digit"})
    camber: float = number(0.0, "", -0.15, 0.15, "Camber", "In chords; negative for downforce.",
                           when={"form": "four-digit"})
    points: list[tuple[float, float]] | None = Field(
        None, json_schema_extra={"kind": "points", "when": {"form": "coordinates"}})


def check_stations(shape):
    """Raises ValueError where a body's sections along wings do not fit them."""
    lifting = {p.name: p for p in shape.parts if p.kind == "wing"}
    for station in shape.stations:
        if station.part not in lifting and (station.part or len(lifting) != 1):
            raise ValueError(
                f"shape.stations: “{station.part}” is not the name of a wing. There are: "
                f"{', '.join(lifting) or 'none; add a part made as a wing'}")
        if station.form == "coordinates" and not station.points:
            raise ValueError(
                f"shape.stations: the section at y = {station.y:g} m has no coordinates. Paste them, or "
                "choose another section")
    for name, part in lifting.items():
        own = shape.stations_of(name)
        if own:
            _check_one(name, part, own)


def _check_one(name, part, stations):
    if part.flap_chord > 0:
        raise ValueError(
            f"shape.stations: “{name}” has a flap (flap_chord = {part.flap_chord:g}), and a wing of stations "
            "has none. Set it to 0, or make the flap a wing of its own")
    if len(stations) < 2 or stations[0].y != 0:
        raise ValueError(
            f"shape.stations: “{name}” needs two stations at least, the first of them in the middle (y = 0); "
            f"its first is at y = {stations[0].y:g} m")
    for one, two in zip(stations, stations[1:]):
        if two.y < one.y or (two.y - one.y, two.z - one.z) == (0, 0):
            raise ValueError(
                f"shape.stations: of “{name}” y = {two.y:g}, z = {two.z:g} m follows y = {one.y:g}, "
                f"z = {one.z:g} m. List stations from the middle outwards, each at a place of its own")
    if stations[1].y == 0:
        raise ValueError(
            f"shape.stations: “{name}” begins by going straight up in the middle. Give its second station a "
            "y above 0")
