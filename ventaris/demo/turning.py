"""Demo campaigns of wheels that turn in their surroundings."""

WHIRL_BLADES = {
    "kind": "four-digit", "thickness": 0.18, "chord": 0.25, "blades": 3, "wheel_x": 0.5, "wheel_y": 3.0
}


def _mast(x, y):
    """An old antenna mast, 15 cm thick, its nose at a place in chords of the blades."""
    return {"name": "mast", "role": "free", "kind": "ellipse", "thickness": 1.0, "chord": 0.6, "x": x, "y": y}


WHIRL = {
    "name": "Ridge whirl",
    "question": "A small wind wheel for the ridge hut, beside the old antenna mast: what does the mast cost, "
                "ahead of it or at its side?",
    "setup": {
        "flow": {"model": "turbulent", "time": "unsteady"},
        "grid": {"around": 128, "layers": 24, "level": "medium"},
        "run": {"cycle_steps": 90, "cycles": 10, "frames": 30}
    }, "variants": [
        ("Free-standing", WHIRL_BLADES),
        ("Mast ahead", {**WHIRL_BLADES, "elements": [_mast(-4.9, 3.0)]}),
        ("Mast at the side", {**WHIRL_BLADES, "elements": [_mast(0.2, 8.1)]}),
    ], "points": [("9 m/s, ωR/U 2.5", {
        "motion": "speed", "speed": 9, "altitude": 1400, "motions": [{
            "does": "turn", "whole": "circle", "edge": 3.5, "radius": 3.0, "tip_speed_ratio": 2.5,
            "pivot_x": 0.5, "pivot_y": 3.0
        }]
    })]
}

TURNING = {"17-whirl": WHIRL}
