"""What pages show of sections in a plane."""
from ...core.study.verdict import SECTION_FLOORS
from . import forces
from .contract import Shown

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
}
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
    return None, None


def reference(result):
    """See `Shown`: by the larger of the forces over its coefficient."""
    c = result["coefficients"]
    name = max(("lift", "drag"), key=lambda n: abs(c.get(n) or 0.0))
    pressure = result["air"]["dynamic_pressure"]
    return abs(result["forces"][name] / (c[name] * pressure)) if c.get(name) and pressure else None


SHOWN = Shown(QUANTITIES, forces.COEFFICIENTS, BY_LEVEL, SECTION_FLOORS, forces.HISTORIES, LINES,
              "Round the section", "cp", ("lift / drag", "largest"), forces.AXES, forces.SWEPT, "Polars",
              ("taps.csv", "field.vtu"), "partials/section_result.html", ("lift", "drag"), forces.point_words,
              forces.point_air, station="x/c", other=other, reference=reference, fair="drag_force")
