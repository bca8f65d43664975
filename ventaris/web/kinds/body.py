"""What pages show of bodies in space."""
from . import forces
from .contract import RowList, Shown

# What has been gathered from the nose to each station, and what acts on each strip across the stream.
LINES = {
    "build_drag": "Drag gathered along the body, CD", "build_lift": "Lift gathered along the body, CL",
    "span_lift": "Lift across the span, per length over q and reference length",
    "span_drag": "Drag across the span, per length over q and reference length",
    "cut_cp": "Cp along a cut of the wall", "cut_cf": "Friction along a cut of the wall"
}


ROWS = {
    "shape": (RowList("parts", "Parts", "part",
                      "each made from parameters or imported; metres, x downstream, z up"),
              RowList("stations", "Sections along a wing", "section",
                      "from the middle outwards, in place of the wing's own span, chord, taper, sweep, "
                      "dihedral and twist: breaks, sections of a file, winglets"),
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

SHOWN = Shown(ROWS, forces.HISTORIES, LINES, "Along the body", "build_drag", ("drag", "smallest"),
              forces.AXES, forces.SWEPT, "Polars", ("surface.csv", "surface.vtp", "field.vtu"),
              "partials/body_result.html",
              lambda form: forces.point_air(form) | forces.given(form, ("yaw", )))
