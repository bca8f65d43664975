"""The campaigns of the made-up Tarnholt Mountain Works that are about wheels turning in a plane."""
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
    "question": "How much of the wind's power does the wheel on the ridge take, at which tip-speed ratio, "
                "and do blades set nose out by 3° take more?",
    "setup": {
        "flow": {"model": "turbulent", "time": "unsteady"}, "grid": {"level": "medium"},
        "domain": {"far_field": 40}, "run": {"cycle_steps": 72, "cycles": 14, "frames": 24}
    }, "variants": [("Along the circle", BLADE), ("Nose out by 3°", {**BLADE, "wheel_turn": 3})],
    "points": [(f"ωR/U {ratio:g}", _turning(ratio)) for ratio in (2.0, 2.6, 3.2)]
}

CAMPAIGNS = {"17-whirl": WHIRL}
