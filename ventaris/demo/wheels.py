"""The campaigns of the made-up Tarnholt Mountain Works that are about wheels turning in a plane."""
import numpy as np

from ..core.shapes.coordinates import order_loop
from ..core.shapes.families import four_digit
from ..core.shapes.section import elements_beside

BLADE = {
    "kind": "four-digit", "chord": "0.5 m", "thickness": 0.18, "blades": 3, "wheel_x": 0.4, "wheel_y": 4.0
}


def _turning(ratio):
    """Wind on the ridge, and a wheel of radius 4 chords that turns in it at a tip-speed ratio."""
    return {
        "motion": "speed", "speed": 11, "altitude": 1900, "motions": [{
            "does": "turn", "whole": "circle", "edge": 5.0, "radius": 4.0, "pivot_x": 0.4, "pivot_y": 4.0,
            "tip_speed_ratio": ratio
        }]
    }


WHIRL = {
    "name": "Ridge whirl",
    "question": "How much of the wind's power does the wheel on the ridge take, at which tip-speed ratio, and "
                "do blades set nose out by 3° take more?",
    "setup": {
        "flow": {"model": "turbulent", "time": "unsteady"}, "grid": {"level": "medium"},
        "domain": {"far_field": 40}, "run": {"cycle_steps": 72, "cycles": 5, "frames": 24}
    }, "variants": [("Along the circle", BLADE), ("Nose out by 3°", {**BLADE, "wheel_turn": 3})],
    "points": [(f"ωR/U {ratio:g}", _turning(ratio)) for ratio in (2.0, 2.6, 3.2)]
}

# The cross-flow rotor of the cellar's blower, in chords of its blades: middle, and radius to the blades' outer
# edges.
MIDDLE, RADIUS = np.array([0.5, 4.2]), 4.65


def _plate(line, thickness):
    """Closed outline of a plate to the left of a line of points, its ends rounded."""
    along = np.gradient(line, axis=0)
    along /= np.linalg.norm(along, axis=1)[:, None]
    left, half = np.stack([-along[:, 1], along[:, 0]], axis=1), 0.5 * thickness
    middle, turn = line + half * left, np.linspace(0, np.pi, 11)[1:-1, None]
    end = middle[-1] + half * (-np.cos(turn) * left[-1] + np.sin(turn) * along[-1])
    begin = middle[0] + half * (np.cos(turn) * left[0] - np.sin(turn) * along[0])
    return np.concatenate([middle - half * left, end, (middle + half * left)[::-1], begin, line[:1]])


def _casing(tongue_gap):
    """Elements of the casing: the wall that winds outwards with the turning and leads to the outlet, and the
    tongue, a share of the radius away from the blades."""
    turn = np.radians(np.linspace(190, 78, 50))
    reach = RADIUS * (1.08 + 0.25 * (turn[0] - turn) / np.ptp(turn))
    winding = reach[:, None] * np.stack([np.cos(turn), np.sin(turn)], axis=1)
    share = np.linspace(0, 1, 25)[1:, None]
    slope, last, end = winding[-1] - winding[-2], winding[-1], np.array([2.4, 1.2]) * RADIUS
    slope *= np.linalg.norm(end - last) / 3 / np.linalg.norm(slope)
    corners = last, last + slope, end - [np.linalg.norm(slope), 0.0], end
    weights = (1 - share)**3, 3 * (1 - share)**2 * share, 3 * (1 - share) * share**2, share**3
    wall = np.concatenate([winding, sum(w * corner for w, corner in zip(weights, corners))])
    nose = RADIUS * (1 + tongue_gap) * np.array([np.cos(0.12), np.sin(0.12)]) + [0.25, 0.0]
    tongue = nose + np.linspace(0, 1, 40)[:, None] * (np.array([2.4, 0.05]) * RADIUS - nose)
    return elements_beside(four_digit(0.08), [(order_loop(_plate(wall, 0.3) + MIDDLE), "wall"),
                                              (order_loop(_plate(tongue, 0.5) + MIDDLE), "tongue")])


def _blower(tongue_gap):
    return {
        "kind": "four-digit", "chord": "100 mm", "thickness": 0.08, "camber": -0.12, "blades": 20,
        "wheel_x": float(MIDDLE[0]), "wheel_y": float(MIDDLE[1]), "wheel_turn": 55, "edits": {"trailing_edge_gap": 0.04},
        "elements": _casing(tongue_gap)
    }


BLOWER = {
    "name": "Cellar blower",
    "question": "A cross-flow rotor of twenty blades blows the cellar out: how much air passes its casing, "
                "and what does it take, with the tongue close to the blades or twice as far away?",
    "setup": {
        "flow": {"model": "turbulent", "time": "unsteady"},
        "grid": {"level": "coarse", "around": 96, "layers": 24, "first_height": 1e-3, "wake_size": 0, "growth": 0.25},
        "domain": {"far_field": 60}, "run": {"cycle_steps": 180, "cycles": 5, "frames": 30, "steps": 8},
        "instruments": {
            "meters": [{"name": "outlet", "x1": 10.5, "y1": 4.6, "x2": 10.5, "y2": 9.7}],
            "probes": [{"name": "tongue", "x": 5.9, "y": 5.4}],
            # Flow over what the wheel's rim would sweep; power in the air over power at the shaft.
            "formulas": [{"name": "throughflow", "expression": "flow_outlet / 101.9"},
                         {"name": "fan_efficiency",
                          "expression": "(1 - total_pressure_outlet) * flow_outlet / (9.3 * wheel_power)"}]
        }
    }, "variants": [("Tongue close", _blower(0.05)), ("Tongue twice as far", _blower(0.1))],
    "points": [("900 rpm", {
        "motion": "speed", "speed": 4, "altitude": 600, "motions": [{
            "does": "turn", "whole": "circle", "edge": 4.8, "radius": RADIUS, "pivot_x": float(MIDDLE[0]),
            "pivot_y": float(MIDDLE[1]), "speed_as": "revolutions", "revolutions": 900
        }]
    })]
}

CAMPAIGNS = {"17-whirl": WHIRL, "18-blower": BLOWER}
