"""What sections look like, and what tells them from their siblings."""
import functools
import json

from ....shapes.build import build
from ....shapes.coordinates import ShapeError
from ....shapes.families import NOSES
from ....sheet import read_section
from ..contract import Portrait
from ..forces import stream_words
from .motion import words_of


@functools.lru_cache(maxsize=256)
def _built(text):
    try:
        return build(read_section("shape", json.loads(text))), ""
    except (ShapeError, ValueError) as error:
        return None, str(error)


def built(shape):
    """(BuiltSection or None, error) of a shape section given as a dict."""
    return _built(json.dumps(shape, sort_keys=True))


def outline(shape, points=160):
    """Outlines of a shape as a list of loops, or None when it cannot be built."""
    section, _ = built(shape)
    if section is None:
        return None
    if section.is_single and not section.inverted:
        return [section.section.at(section.section.stations(points))]
    return [o.polygon(points) for o in section.outlines()]


def words(shape):
    """One line that tells a shape from its siblings."""
    kind, edits = shape["kind"], shape["edits"]
    words = {
        "four-digit": f"four-digit, {100 * shape['thickness']:g} % thick, {100 * shape['camber']:g} % camber",
        "ellipse": "circle" if shape["thickness"] == 1 else f"ellipse, {100 * shape['thickness']:g} % thick",
        "double wedge": f"double wedge, {100 * shape['thickness']:g} % thick",
        "revolution": f"{NOSES[shape.get('nose', 'ogive')].lower()} nose of "
        f"{100 * shape.get('nose_length', 0.3):g} %, diameter {100 * shape['thickness']:g} % "
        "of the length" + (f", boat-tail to {100 * shape['base']:g} %" if shape.get("tail_length") else ""),
        "coordinates": shape.get("title") or "imported coordinates"
    }[kind]
    changes = []
    if edits["thickness_scale"] != 1:
        changes.append(f"thickness × {edits['thickness_scale']:g}")
    if edits["camber_scale"] != 1:
        changes.append(f"camber × {edits['camber_scale']:g}")
    if edits["trailing_edge_gap"] is not None:
        changes.append(f"gap {100 * edits['trailing_edge_gap']:g} %")
    if edits["flap_deflection"]:
        changes.append(f"flap {edits['flap_deflection']:g}° at {edits['flap_hinge']:g} c")
    for e in shape.get("elements", []):
        slot = f", gap {100 * e['gap']:g} %, overlap {100 * e['overlap']:g} %" if e["role"] != "free" else ""
        changes.append(f"{e['name']} {e['deflection']:g}°{slot}")
    if shape.get("attitude") == "inverted":
        changes.append("inverted")
    if shape.get("surfaces"):
        changes.append("named: " + ", ".join(s["name"] for s in shape["surfaces"]))
    return ", ".join([words] + changes)


def point_words(setup, air):
    """See `Portrait`: also what moves."""
    return " · ".join([stream_words(setup, air), *(words_of(row) for row in air.get("motions", ()))])


CURVES = (("cp", "x/c", "Pressure coefficient Cp", True), ("cf", "x/c", "Skin-friction coefficient Cf",
                                                           False))
PORTRAIT = Portrait(outline, words, point_words, CURVES)
