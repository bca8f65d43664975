"""What pages show of sections in a plane."""
from . import forces
from .contract import RowList, Shown

LINES = {
    "cp": "Pressure coefficient Cp", "mach": "Mach number at the wall", "cf": "Skin-friction coefficient Cf",
    "y_plus": "y+ of the first cell", "thickness": "Boundary-layer thickness, c", "shape": "Shape factor"
}


ROWS = {
    "shape": (RowList("elements", "Further elements", "element",
                      "in chords of this one, set to each other by their slots"),
              RowList("surfaces", "Named surfaces", "surface",
                      "stretches of a wall that do something of their own")),
    "air": (RowList("walls", "What walls do", "wall action",
                    "blowing, suction, moving walls at this operating point"),
            RowList("motions", "What moves", "movement",
                    "everything, or what is inside a circle, and gusts; followed where time is unsteady",
                    "domain.kind=far field|ground|channel|casing")),
    "domain": (RowList("corners", "Corners of the casing", "corner",
                       "in order round it, in chords; each says what the side behind it is",
                       "domain.kind=casing"), ),
    "grid": (RowList("zones", "Refined zones", "zone", "on grids of triangles",
                     "grid.kind=automatic|hybrid"), ),
    "instruments": (RowList("probes", "Probes", "probe", "in chords from the nose"),
                    RowList("meters", "Flow meters", "flow meter", "straight lines, in chords from the nose"),
                    forces.FORMULAS),
}

SHOWN = Shown(ROWS, forces.HISTORIES, LINES,
              "Round the section", "cp", ("lift / drag", "largest"), forces.AXES, forces.SWEPT, "Polars",
              ("taps.csv", "field.vtu"), "partials/section_result.html", forces.point_air,
              station="x/c")
