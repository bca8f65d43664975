"""The made-up Tarnholt Mountain Works: campaigns, variants, operating points, and a made-up tunnel table."""
from .blades import CAMPAIGNS as BLADES
from .bodies import CAMPAIGNS as BODIES
from .nozzles import CAMPAIGNS as NOZZLES
from .wheels import CAMPAIGNS as WHEELS

DRONE = {
    "name": "Courier drone wing section",
    "question": "Lift and drag at 28 m/s, and what a thinner section or a deflected flap does to the jet "
                "sister's transonic dash.",
    "setup": {"instruments": {"span": 1.6, "probes": [{"name": "behind the wing", "x": 1.5, "y": 0.05}]}},
    "variants": [
        ("Section TMW-12",
         {"kind": "four-digit", "chord": "240 mm", "thickness": 0.12, "camber": 0.02,
          "camber_position": 0.4}),
        ("Thinner", {
            "kind": "four-digit", "chord": "240 mm", "thickness": 0.12, "camber": 0.02,
            "camber_position": 0.4, "edits": {"thickness_scale": 0.75}
        }),
        ("Flap 8° down", {
            "kind": "four-digit", "chord": "240 mm", "thickness": 0.12, "camber": 0.02,
            "camber_position": 0.4, "edits": {"flap_deflection": 8, "flap_hinge": 0.75}
        })
    ], "points": [("Delivery, 28 m/s", {"motion": "speed", "speed": 28, "altitude": 400, "incidence": 2}),
                  ("Climb, 36 m/s", {"motion": "speed", "speed": 36, "altitude": 1200, "incidence": 5}),
                  ("Dash, Mach 0.73", {"motion": "mach", "mach": 0.73, "altitude": 7600, "incidence": 0.5})]
}

DART = {
    "name": "Dash vane, double wedge",
    "question": "How much wave drag does the jet sister's vane cost at Mach 1.8, and what does a thinner "
                "wedge save?",
    "setup": {"domain": {"far_field": 20}}, "variants": [
        ("Wedge 8 %", {"kind": "double wedge", "chord": "0.12 m", "thickness": 0.08}),
        ("Wedge 6 %", {"kind": "double wedge", "chord": "0.12 m", "thickness": 0.06})
    ], "points": [("Mach 1.8, 2°", {"motion": "mach", "mach": 1.8, "altitude": 9000, "incidence": 2})]
}

TURBULENT = {
    "name": "Courier drone, turbulent",
    "question": "What does the drone's section really cost at 28 m/s, with friction: thick or thin, slow or "
                "at a high lift?",
    "setup": {
        "instruments": {"span": 1.6, "formulas": [{"name": "glide", "expression": "lift / drag"}]},
        "flow": {"model": "turbulent"}, "grid": {"around": 160, "layers": 64, "wake": 36}
    }, "variants": [DRONE["variants"][0], DRONE["variants"][1]], "points": [
        (f"28 m/s, {a}°".replace("-", "−"), {"motion": "speed", "speed": 28, "altitude": 400, "incidence": a})
        for a in (-2, 2, 6, 10, 14)
    ]
}

DRONE_AIR = {"motion": "speed", "speed": 28, "altitude": 400, "incidence": 2}

PITCHING = {
    "name": "Courier drone section, pitching",
    "question": "How far does the lift swing when the drone's wing pitches, and when it flies into the edge "
                "of an up-wind: does the thinner section take it any better?",
    "setup": {
        "instruments": {"span": 1.6}, "flow": {"model": "turbulent", "time": "unsteady"},
        "grid": {"around": 128, "layers": 56, "wake": 32},
        "run": {"cycle_steps": 64, "frames": 24, "duration": 10}
    }, "variants": DRONE["variants"][:2], "points": [
        ("Slow, k 0.1", {**DRONE_AIR, "motions": [{"does": "pitch", "angle": 4, "reduced": 0.1}]}),
        ("Quick, k 0.4", {**DRONE_AIR, "motions": [{"does": "pitch", "angle": 4, "reduced": 0.4}]}),
        ("Edge of an up-wind", {**DRONE_AIR, "motions": [{"does": "edge", "gust": 0.08, "front": -1}]})
    ]
}

FLAP = {"name": "flap", "chord": 0.28, "thickness": 0.12, "camber": 0.03, "deflection": 22, "overlap": 0.005}

SLOTTED = {
    "name": "Courier drone, slotted flap",
    "question": "How much lift does a slotted flap add for landing, and which of two gaps is the better one?",
    "setup": {
        "instruments": {"span": 1.6, "formulas": [{"name": "glide", "expression": "lift / drag"}]},
        "flow": {"model": "turbulent"}, "grid": {"around": 176,
                                                 "layers": 36}, "run": {"residual": 1e-5, "steps": 90}
    }, "variants": [(f"Gap {100 * gap:g} %", {
        "kind": "four-digit", "chord": "240 mm", "thickness": 0.12, "camber": 0.02,
        "elements": [{**FLAP, "gap": gap}]
    }) for gap in (0.02, 0.035)],
    "points": [("Landing, 20 m/s, 4°", {"motion": "speed", "speed": 20, "altitude": 400, "incidence": 4})]
}

KART = {
    "name": "Snow-kart rear wing",
    "question": "Two elements upside down over the moving ground: which slot gap gives the most downforce, "
                "and what does it cost in drag?",
    "setup": {
        "instruments": {
            "span": 1.1, "formulas": [{"name": "downforce", "expression": "-lift"},
                                      {"name": "efficiency", "expression": "downforce / drag"}]
        }, "flow": {"model": "turbulent"}, "domain": {"kind": "ground", "clearance": 1.2, "far_field": 40},
        "grid": {"around": 160, "layers": 32}, "run": {"residual": 1e-5, "steps": 90}
    }, "variants": [(f"Gap {100 * gap:g} %", {
        "kind": "four-digit", "chord": "260 mm", "thickness": 0.12, "camber": 0.04, "attitude": "inverted",
        "elements": [{**FLAP, "chord": 0.4, "deflection": 20, "gap": gap, "overlap": 0.01}]
    }) for gap in (0.015, 0.025, 0.04)],
    "points": [("22 m/s", {"motion": "speed", "speed": 22, "altitude": 900, "incidence": 2})]
}

PYLON_SHAPE = {
    "kind": "ellipse", "thickness": 1.0, "chord": "0.4 m",
    "surfaces": [{"name": "upper slot", "side": "angle", "start": 80, "end": 100},
                 {"name": "lower slot", "side": "angle", "start": 260, "end": 280}]
}
PYLON_AIR = {"motion": "mach", "mach": 0.1, "viscosity_law": "from Reynolds number"}


def _slots(speed):
    return [{"surface": "upper slot", "action": "blow", "speed": -speed},
            {"surface": "lower slot", "action": "blow", "speed": speed}]


PYLON = {
    "name": "Cable pylon with blowing slots, steady",
    "question": "A model pylon at Reynolds number 40, which is steady: what lift do a blowing and a sucking "
                "slot make, and what drag?",
    "setup": {"flow": {"model": "laminar"},
              "grid": {"around": 160}}, "variants": [("Round pylon", PYLON_SHAPE)],
    "points": [("slots idle", {**PYLON_AIR, "reynolds": 40, "walls": _slots(0.0)}),
               ("slots at 0.1 U", {**PYLON_AIR, "reynolds": 40, "walls": _slots(3.4)}),
               ("slots at 0.3 U", {**PYLON_AIR, "reynolds": 40, "walls": _slots(10.2)})]
}

SHEDDING = {
    "name": "Cable pylon with blowing slots, in time",
    "question": "The same pylon at Reynolds number 100 sheds vortices: how do the slots change mean drag, "
                "swing and frequency?",
    "setup": {
        "flow": {"model": "laminar",
                 "time": "unsteady"}, "grid": {"around": 128, "layers": 12, "level": "medium"},
        "run": {"duration": 100, "time_step": 0.125, "discard": 0.6, "disturbance": 0.4, "frames": 24}
    }, "variants": [("Round pylon", PYLON_SHAPE)],
    "points": [("slots idle", {**PYLON_AIR, "reynolds": 100, "walls": _slots(0.0)}),
               ("slots at 0.3 U", {**PYLON_AIR, "reynolds": 100, "walls": _slots(10.2)})]
}

CAMPAIGNS = {
    "1-drone": DRONE, "2-vane": DART, "3-turbulent": TURBULENT, "4-slotted": SLOTTED, "5-kart": KART,
    "6-pylon": PYLON, "7-shedding": SHEDDING, **BODIES, **NOZZLES, **BLADES, "16-pitching": PITCHING,
    **WHEELS
}
