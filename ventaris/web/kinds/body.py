"""What pages show of bodies in space."""
import functools
import json

from ...core.look.silhouette import side_view
from ...core.shapes.assembly import assemble
from ...core.shapes.coordinates import ShapeError
from ...core.sheet import read_section
from ...core.study.verdict import BODY_FLOORS
from . import forces
from .contract import RowList, Shown
from .section import BY_LEVEL

# What has been gathered from the nose to each station, and what acts on each strip across the stream.
LINES = {
    "build_drag": "Drag gathered along the body, CD", "build_lift": "Lift gathered along the body, CL",
    "span_lift": "Lift across the span, per length over q and reference length",
    "span_drag": "Drag across the span, per length over q and reference length",
    "cut_cp": "Cp along a cut of the wall", "cut_cf": "Friction along a cut of the wall"
}


@functools.lru_cache(maxsize=128)
def _side_view(text):
    try:
        return side_view(assemble(read_section("shape", json.loads(text), "body")).surface)
    except (ShapeError, ValueError):
        return None


def outline(shape):
    """The side view as a list of loops, or None when the body cannot be built."""
    return _side_view(json.dumps(shape, sort_keys=True))


def words(shape):
    """One line that tells a body from its siblings."""
    words = []
    for part in shape["parts"]:
        if part["used"] == "no":
            continue
        if part["kind"] == "surface":
            words.append(f"{part['name']} (imported)")
        elif part["kind"] == "wing":
            more = "".join(f", {key} {part[key]:g}°" for key in ("sweep", "dihedral", "twist") if part[key])
            words.append(f"{part['name']}: span {part['span']:g} m, {part['incidence']:g}°{more}")
        else:
            words.append(f"{part['name']}: {part['length']:g} m long")
    for edit in shape["edits"]:
        words.append(
            f"{'stretched' if edit['kind'] == 'stretch' else 'tapered'} {edit['share']:+.3g} % from x = "
            f"{edit['start']:g} to {edit['end']:g} m")
    return ", ".join(words[:3] + ([f"{len(words) - 4} more parts"] if len(words) > 4 else words[3:3]) +
                     words[3:][-1:])


ROWS = {
    "shape": (RowList("parts", "Parts", "part",
                      "each made from parameters or imported; metres, x downstream, z up"),
              RowList("regions", "Named surfaces", "named surface",
                      "picked in the picture, or by a box; forces are read for each"),
              RowList("edits", "Edits that make this variant", "edit",
                      "applied to the assembled body, one after another")),
    "air": (RowList("walls", "What surfaces do", "surface action",
                    "intakes, exhausts, vents, blowing, heated and moving walls at this operating point"), ),
    "grid": (RowList("zones", "Refined zones", "zone", "regions with small cells"), ),
    "instruments": (RowList("probes", "Probes", "probe", "points at which the flow is read"),
                    RowList("meters", "Flow meters", "flow meter",
                            "rectangles across x: mass flow, mean velocity, total pressure"),
                    forces.FORMULAS),
}

SHOWN = Shown(outline, words, ROWS, forces.COEFFICIENTS,
              (*BY_LEVEL[:4], ("drag_induced", "CD, induced", 5), ("drag_lost", "CD, lost", 5),
               ("drag_openings", "CD, openings", 5), BY_LEVEL[4], ("side", "CY", 5)), BODY_FLOORS,
              forces.HISTORIES, LINES, "Along the body", "build_drag", ("drag", "smallest"), forces.AXES,
              forces.SWEPT, "Polars", ("surface.csv", "surface.vtp", "field.vtu"),
              "partials/body_result.html", forces.point_words,
              lambda form: forces.point_air(form) | forces.given(form, ("yaw", )))
