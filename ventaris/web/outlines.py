"""Built sections, kept while they are the same: pages show many of them."""
import functools
import json

from ..core.sheet import read_section
from ..core.look.silhouette import side_view
from ..core.shapes.assembly import assemble
from ..core.shapes.build import build
from ..core.shapes.families import NOSES
from ..core.shapes.coordinates import ShapeError
from ..core.shapes.nozzles import build_nozzle, port_spans, wall_pieces


@functools.lru_cache(maxsize=256)
def _built(text):
    try:
        return build(read_section("shape", json.loads(text))), ""
    except (ShapeError, ValueError) as error:
        return None, str(error)


def built(shape):
    """(BuiltSection or None, error) of a shape section given as a dict."""
    return _built(json.dumps(shape, sort_keys=True))


@functools.lru_cache(maxsize=128)
def _side_view(text):
    try:
        return side_view(assemble(read_section("shape", json.loads(text), "body")).surface)
    except (ShapeError, ValueError):
        return None


@functools.lru_cache(maxsize=128)
def _nozzle_walls(text):
    """Both walls of a nozzle over its length, as closed loops; None when it cannot be built."""
    try:
        section = read_section("shape", json.loads(text), "nozzle")
        contour = build_nozzle(section)
    except (ShapeError, ValueError):
        return None
    pieces = wall_pieces(contour, max(section.lip, 0.02 * contour.length), port_spans(section), 120)
    return [piece / contour.length * [1, sign] for piece in pieces for sign in (1, -1)]


def nozzle_words(shape):
    """One line that tells a nozzle from its siblings."""
    ports = ", ".join(f"{p['name']} at {1000 * p['x']:g} mm" for p in shape["ports"])
    if shape["kind"] == "coordinates":
        words = f"contour of {len(shape['points'] or ())} points"
    else:
        opened = "convergent" if shape[
            "diverge_length"] == 0 else f"{shape['kind']}, exit {1000 * shape['exit_radius']:g} mm"
        words = f"{opened}, throat {1000 * shape['throat_radius']:g} mm"
    return ", ".join([words + (" half height" if shape["form"] == "planar" else " radius")] +
                     ([ports] if ports else []))


def outline(shape, space="section", points=160):
    """Outlines of a shape as a list of loops (of a body its side view), or None when it cannot be built."""
    if space == "body":
        return _side_view(json.dumps(shape, sort_keys=True))
    if space == "nozzle":
        return _nozzle_walls(json.dumps(shape, sort_keys=True))
    section, _ = built(shape)
    if section is None:
        return None
    if section.is_single and not section.inverted:
        return [section.section.at(section.section.stations(points))]
    return [o.polygon(points) for o in section.outlines()]


def body_words(shape):
    """One line that tells a body from its siblings."""
    words = []
    for part in shape["parts"]:
        if part["used"] == "no":
            continue
        if part["kind"] == "surface":
            words.append(f"{part['name']} (imported)")
        elif part["kind"] == "wing":
            words.append(f"{part['name']}: span {part['span']:g} m, {part['incidence']:g}°")
        else:
            words.append(f"{part['name']}: {part['length']:g} m long")
    for edit in shape["edits"]:
        words.append(
            f"{'stretched' if edit['kind'] == 'stretch' else 'tapered'} {edit['share']:+.3g} % from x = "
            f"{edit['start']:g} to {edit['end']:g} m"
        )
    return ", ".join(words[:3] + ([f"{len(words) - 4} more parts"] if len(words) > 4 else words[3:3]) +
                     words[3:][-1:])


def shape_words(shape, space="section"):
    """One line that tells a shape from its siblings."""
    if space == "body":
        return body_words(shape)
    if space == "nozzle":
        return nozzle_words(shape)
    kind, edits = shape["kind"], shape["edits"]
    words = {
        "four-digit": f"four-digit, {100 * shape['thickness']:g} % thick, {100 * shape['camber']:g} % camber",
        "ellipse": "circle" if shape["thickness"] == 1 else f"ellipse, {100 * shape['thickness']:g} % thick",
        "double wedge": f"double wedge, {100 * shape['thickness']:g} % thick",
        "revolution": f"{NOSES[shape.get('nose', 'ogive')].lower()} nose of "
                      f"{100 * shape.get('nose_length', 0.3):g} %, diameter {100 * shape['thickness']:g} % "
                      "of the length"
        + (f", boat-tail to {100 * shape['base']:g} %" if shape.get("tail_length") else ""),
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
