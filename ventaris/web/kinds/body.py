"""What pages show of bodies in space."""
from ...core.study.verdict import BODY_FLOORS
from . import forces
from .contract import Shown
from .section import BY_LEVEL

QUANTITIES = {
    "drag": ("Drag coefficient CD", "good", 4),
    "drag_area": ("Drag area CD·A in m²", "good", 4),
    "lift": ("Lift coefficient CL", "", 4),
    "drag_force": ("Drag in the sheet's unit", "good", 3),
    "lift_force": ("Lift in the sheet's unit", "", 3),
    "side": ("Side force coefficient CY", "", 4),
    "moment": ("Pitching moment CM", "", 4),
    "drag_pressure": ("CD from pressure", "good", 4),
    "drag_friction": ("CD from friction", "good", 5),
    "drag_openings": ("CD from what passes openings", "good", 4),
    "lift_front": ("CL on the front axle", "", 4),
    "lift_rear": ("CL on the rear axle", "", 4),
}
# What has been gathered from the nose to each station.
LINES = {"build_drag": "Drag gathered along the body, CD", "build_lift": "Lift gathered along the body, CL"}


def other(result, key):
    """See `Shown`."""
    if key == "drag_area":
        area, error = result["shape"]["area"], result["trends"]["drag"]["error"]
        return result["coefficients"]["drag"] * area, None if error is None else error * area
    if key in ("drag_force", "lift_force"):
        return forces.force(result, key)
    return None, None


SHOWN = Shown(QUANTITIES, forces.COEFFICIENTS,
              (*BY_LEVEL[:4], ("drag_openings", "CD, openings", 5), BY_LEVEL[4],
               ("side", "CY", 5)), BODY_FLOORS, forces.HISTORIES, LINES, "Along the body", "build_drag",
              ("drag", "smallest"), forces.AXES, forces.SWEPT, "Polars",
              ("surface.csv", "surface.vtp", "field.vtu"), "partials/body_result.html", ("lift", "drag"),
              forces.point_words, lambda form: forces.point_air(form) | forces.given(form, ("yaw", )),
              other=other, reference=lambda result: result["shape"]["area"], fair="drag_area", own_unit=True)
