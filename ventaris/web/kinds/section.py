"""What pages show of sections in a plane."""
import functools
import json

from ...core.shapes.build import build
from ...core.shapes.coordinates import ShapeError
from ...core.shapes.families import NOSES
from ...core.sheet import read_section
from ...core.study.cycles import ahead_of, off_coarser
from ...core.study.kinds.section.motion import words_of
from ...core.study.verdict import SECTION_FLOORS
from . import forces
from .contract import RowList, Shown

QUANTITIES = {
    "drag": ("Drag coefficient CD", "good", 5),
    "lift": ("Lift coefficient CL", "", 4),
    "glide": ("Lift over drag", "bad", 1),
    "moment": ("Moment coefficient CM", "", 4),
    "drag_pressure": ("CD from pressure", "good", 5),
    "drag_friction": ("CD from friction", "good", 5),
    "drag_force": ("Drag in N", "good", 3),
    "lift_force": ("Lift in N", "", 2),
    "shock": ("Upper shock at x/c", "", 3),
    "wheel_power": ("Power from the wind, of what blows through the wheel", "bad", 4),
    "wheel_torque": ("Torque coefficient of the wheel", "bad", 4),
    "lift_swing": ("Swing of the lift, CL", "good", 4),
    "lift_ahead": ("Lift ahead of what moves, °", "", 1),
    "drag_swing": ("Swing of the drag, CD", "good", 5),
    "moment_swing": ("Swing of the moment, CM", "good", 5),
    "moment_ahead": ("Moment ahead of what moves, °", "", 1),
    "lift_most": ("Largest lift, CL", "", 4),
    "lift_least": ("Least lift, CL", "", 4),
}
# Only what moves has them.
RARE = frozenset(list(QUANTITIES)[list(QUANTITIES).index("wheel_power"):])
BY_LEVEL = (("lift", "CL", 5), ("drag", "CD", 5), ("drag_pressure", "CD, pressure", 5),
            ("drag_friction", "CD, friction", 5), ("moment", "CM", 5))
LINES = {
    "cp": "Pressure coefficient Cp", "mach": "Mach number at the wall", "cf": "Skin-friction coefficient Cf",
    "y_plus": "y+ of the first cell", "thickness": "Boundary-layer thickness, c", "shape": "Shape factor"
}


def other(result, key):
    """See `Shown`."""
    if key == "glide":
        return forces.glide(result)
    if key == "shock":
        places = [s["x"] for s in result["shocks"] if s["surface"] == "upper"]
        return (places[0] if places else None), None
    if key in ("drag_force", "lift_force"):
        return forces.force(result, key)
    return in_motion(result, key) if key in RARE else (None, None)


def in_motion(result, key):
    """(value, error) of what only a section has that moves: swings and phases over a cycle, with the change
    from the coarser level as error, or the extremes of what happens once."""
    in_time, (name, what) = result.get("unsteady") or {}, key.rsplit("_", 1)
    cycle, extremes = in_time.get("cycle"), in_time.get("extremes")
    if extremes and name in extremes and what in ("most", "least"):
        return extremes[name]["high" if what == "most" else "low"], None
    if not cycle or name not in cycle["channels"]:
        return None, None
    if what == "ahead":
        return ahead_of(cycle, name), off_coarser(cycle, name, "phase")
    kept = {"swing": "amplitude", "most": "high", "least": "low"}.get(what)
    if kept is None:
        return None, None
    return cycle["channels"][name][kept], off_coarser(cycle, name, kept)


def reference(result):
    """See `Shown`: by the larger of the forces over its coefficient."""
    c = result["coefficients"]
    name = max(("lift", "drag"), key=lambda n: abs(c.get(n) or 0.0))
    pressure = result["air"]["dynamic_pressure"]
    return abs(result["forces"][name] / (c[name] * pressure)) if c.get(name) and pressure else None


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
    """See `Shown`: also what moves."""
    return " · ".join([forces.point_words(setup, air), *(words_of(row) for row in air.get("motions", ()))])


ROWS = {
    "shape": (RowList("elements", "Further elements", "element",
                      "in chords of this one, set to each other by their slots"),
              RowList("surfaces", "Named surfaces", "surface",
                      "stretches of a wall that do something of their own")),
    "air": (RowList("walls", "What walls do", "wall action",
                    "blowing, suction, moving walls at this operating point"),
            RowList("motions", "What moves", "movement",
                    "everything, grid and all, and gusts; followed where time is unsteady",
                    "domain.kind=far field")),
    "grid": (RowList("zones", "Refined zones", "zone", "on grids of triangles",
                     "grid.kind=automatic|hybrid"), ),
    "instruments": (RowList("probes", "Probes", "probe", "in chords from the nose"), forces.FORMULAS),
}

SHOWN = Shown(outline, words, ROWS, QUANTITIES, forces.COEFFICIENTS, BY_LEVEL, SECTION_FLOORS,
              forces.HISTORIES, LINES, "Round the section", "cp", ("lift / drag", "largest"), forces.AXES,
              forces.SWEPT, "Polars", ("taps.csv", "field.vtu"), "partials/section_result.html", point_words,
              forces.point_air, station="x/c", other=other, reference=reference, fair="drag_force",
              rather=(("wheel_power", -1.0), ("lift_swing", 1.0), ("lift_most", 1.0)), rare=RARE)
