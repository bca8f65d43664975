"""What sections are compared by."""
from ...cycles import ahead_of, off_coarser
from ...verdict import SECTION_FLOORS
from ..contract import Quantities
from ..forces import COEFFICIENTS, force, glide

WORDS = {
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
    "lift_most": ("Peak of the lift, CL", "", 4),
    "lift_least": ("Trough of the lift, CL", "", 4),
}
BY_LEVEL = (("lift", "CL", 5), ("drag", "CD", 5), ("drag_pressure", "CD, pressure", 5),
            ("drag_friction", "CD, friction", 5), ("moment", "CM", 5))
# Only what moves has them.
RARE = frozenset(list(WORDS)[list(WORDS).index("wheel_power"):])


def other(result, key):
    """See `Quantities`."""
    if key == "glide":
        return glide(result)
    if key == "shock":
        places = [s["x"] for s in result["shocks"] if s["surface"] == "upper"]
        return (places[0] if places else None), None
    if key in ("drag_force", "lift_force"):
        return force(result, key)
    return in_motion(result, key) if key in RARE else (None, None)


def in_motion(result, key):
    """(value, error) of what only a section has that moves: swings and phases over a cycle, with the change
    from the coarser level as error, or the extremes of what happens once, with theirs."""
    in_time, (name, what) = result.get("unsteady") or {}, key.rsplit("_", 1)
    cycle, extremes = in_time.get("cycle"), in_time.get("extremes")
    if extremes and name in extremes and what in ("most", "least"):
        end = "high" if what == "most" else "low"
        return extremes[name][end], extremes[name].get(f"{end}_error")
    if not cycle or name not in cycle["channels"]:
        return None, None
    if what == "ahead":
        return ahead_of(cycle, name), off_coarser(cycle, name, "phase")
    kept = {"swing": "amplitude", "most": "high", "least": "low"}.get(what)
    if kept is None:
        return None, None
    return cycle["channels"][name][kept], off_coarser(cycle, name, kept)


def reference(result):
    """See `Quantities`: by the larger of the forces over its coefficient."""
    c = result["coefficients"]
    name = max(("lift", "drag"), key=lambda n: abs(c.get(n) or 0.0))
    pressure = result["air"]["dynamic_pressure"]
    return abs(result["forces"][name] / (c[name] * pressure)) if c.get(name) and pressure else None


QUANTITIES = Quantities(WORDS, COEFFICIENTS, BY_LEVEL, SECTION_FLOORS, other, reference, fair="drag_force",
                        rather=(("wheel_power", -1.0), ("lift_swing", 1.0), ("lift_most", 1.0)), rare=RARE)
