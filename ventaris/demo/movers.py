"""Tarnholt campaigns of what moves: the drone's section, pitching and in the edge of an up-wind."""

DRONE = {"kind": "four-digit", "chord": "240 mm", "thickness": 0.12, "camber": 0.02, "camber_position": 0.4}
AIR = {"motion": "speed", "speed": 28, "altitude": 400, "incidence": 2}

PITCHING = {
    "name":
    "Courier drone section, pitching", "question":
    "How far does the lift swing when the drone's wing pitches, and when it flies into the edge of an "
    "up-wind: does the thinner section take it any better?", "setup": {
        "instruments": {"span": 1.6}, "flow": {"model": "turbulent", "time": "unsteady"}, "grid":
        {"around": 128, "layers": 56, "wake": 32}, "run": {"cycle_steps": 64, "frames": 24, "duration": 10}
    }, "variants": [("Section TMW-12", DRONE), ("Thinner", {**DRONE, "edits": {"thickness_scale": 0.75}})],
    "points": [("Slow, k 0.1", {**AIR, "motions": [{"does": "pitch", "angle": 4, "reduced": 0.1}]}),
               ("Quick, k 0.4", {**AIR, "motions": [{"does": "pitch", "angle": 4, "reduced": 0.4}]}),
               ("Edge of an up-wind", {**AIR, "motions": [{"does": "edge", "gust": 0.08, "front": -1}]})]
}

CAMPAIGNS = {"16-pitching": PITCHING}
