"""A casing in a plane, as a run sheet gives it: corners, and what lies between them."""
from typing import Literal

from .fields import SheetSection, choice, number

IN_CASING = {"kind": "casing"}
MOST_CORNERS = 240


class CasingCorner(SheetSection):
    """A corner, and the side from it to the next one."""

    x: float = number(0.0, "", -500, 500, "x", "In chords, as the sections.")
    y: float = number(0.0, "", -500, 500, "y", "")
    side: Literal["wall", "inlet", "outlet"] = choice(
        "wall", "From here on", "To the next corner; the last one goes back to the first.", wall="a wall",
        inlet="inlet", outlet="outlet")


def default_casing():
    """A straight duct round a section of one chord."""
    corners = ((-3, -1, "wall"), (5, -1, "outlet"), (5, 1, "wall"), (-3, 1, "inlet"))
    return [CasingCorner(x=x, y=y, side=side) for x, y, side in corners]


def check_casing(corners):
    """See that corners make a casing with an inlet and an outlet; raises ValueError."""
    if len(corners) < 4:
        raise ValueError(f"domain.corners: {len(corners)} corners make no casing with two openings: at least "
                         "4 are needed")
    sides = [corner.side for corner in corners]
    for wanted in ("inlet", "outlet"):
        if wanted not in sides:
            raise ValueError(f"domain.corners: no side is an {wanted}. Make the side behind one of the "
                             f"corners the {wanted}")
    for k, corner in enumerate(corners):
        after = corners[(k + 1) % len(corners)]
        if (after.x, after.y) == (corner.x, corner.y):
            raise ValueError(f"domain.corners: two corners in a row stand at x = {corner.x:g}, "
                             f"y = {corner.y:g}. Take one of them out")
        if corner.side != "wall" and after.side != "wall":
            raise ValueError(
                f"domain.corners: an {corner.side} and an {after.side} meet at x = {after.x:g}, "
                f"y = {after.y:g}. Each opening is one straight side, with a wall between it and the next")
