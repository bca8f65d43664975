"""What bodies in space are compared by."""
from ...verdict import BODY_FLOORS
from ..contract import Quantities
from ..forces import COEFFICIENTS, force
from ..section.quantities import BY_LEVEL

WORDS = {
    "drag": ("Drag coefficient CD", "good", 4),
    "drag_area": ("Drag area CD·A in m²", "good", 4),
    "lift": ("Lift coefficient CL", "", 4),
    "drag_force": ("Drag in the sheet's unit", "good", 3),
    "lift_force": ("Lift in the sheet's unit", "", 3),
    "side": ("Side force coefficient CY", "", 4),
    "moment": ("Pitching moment CM", "", 4),
    "drag_pressure": ("CD from pressure", "good", 4),
    "drag_friction": ("CD from friction", "good", 5),
    "drag_induced": ("Induced drag CD", "good", 5),
    "drag_lost": ("CD lost to friction and cells", "good", 5),
    "drag_openings": ("CD from what passes openings", "good", 4),
    "lift_front": ("CL on the front axle", "", 4),
    "lift_rear": ("CL on the rear axle", "", 4),
}


def other(result, key):
    """See `Quantities`."""
    if key == "drag_area":
        area, error = result["shape"]["area"], result["trends"]["drag"]["error"]
        return result["coefficients"]["drag"] * area, None if error is None else error * area
    if key in ("drag_force", "lift_force"):
        return force(result, key)
    return None, None


LEVELS = (*BY_LEVEL[:4], ("drag_induced", "CD, induced", 5), ("drag_lost", "CD, lost", 5),
          ("drag_openings", "CD, openings", 5), BY_LEVEL[4], ("side", "CY", 5))
QUANTITIES = Quantities(WORDS, COEFFICIENTS, LEVELS, BODY_FLOORS, other,
                        lambda result: result["shape"]["area"], fair="drag_area", rare=frozenset(
                            ("drag_induced", "drag_lost")), own_unit=True)
