"""The campaigns of the made-up Tarnholt Mountain Works that are about nozzles, jets and the weather dart."""

from ..core.study.search import Constraint, Parameter, Plan

BARREL = {
    "kind": "conical", "inlet_radius": 0.05, "inlet_length": 0.03, "converge_length": 0.07,
    "throat_radius": 0.03, "diverge_length": 0.12, "exit_radius": 0.036, "lip": 0.004
}

BLASTER = {
    "name": "Avalanche blaster", "space": "nozzle",
    "question": "Where does the shock stand in the blaster's nozzle at three back pressures, and what does a "
                "shorter cone change?",
    "setup": {
        "instruments": {
            "stations": [{"name": "throat", "x": 0.10}],
            "formulas": [{"name": "recovery", "expression": "exit_p_total / inlet_p_total"}]
        }, "grid": {"along": 200}, "run": {"steps": 600}
    }, "variants": [("Long cone", BARREL), ("Short cone", {**BARREL, "diverge_length": 0.07})],
    "points": [(f"4 bar against {back:g} bar", {"total_pressure": 4e5, "back_pressure": back * 1e5})
               for back in (3.0, 2.6, 1.01325)]
}

JETS = {
    "name": "Avalanche blaster, its jet", "space": "nozzle",
    "question": "How does the blaster's jet look at three supply pressures: how far apart are its shock "
                "cells, and how fast does it still run ten diameters out?",
    "setup": {
        "domain": {"kind": "open air", "reach": 20, "width": 6}, "flow": {"model": "turbulent"},
        "grid": {"along": 128, "jet": 240, "outside": 64, "across": 48,
                 "level": "medium"}, "run": {"steps": 700}
    }, "variants": [("Convergent barrel", {**BARREL, "diverge_length": 0.0})], "points": [
        (f"{ratio:g} bar", {"total_pressure": ratio * 1e5, "altitude": 0}) for ratio in (2.2, 2.6, 3.4)
    ]
}

NOISE = {
    "name": "Avalanche blaster, its noise", "space": "nozzle",
    "question": "How loud is the blaster's jet at the two places where people stand, and at what tone does "
                "it screech, at three supply pressures?",
    "setup": {
        "domain": {"kind": "open air"}, "flow": {"model": "noise", "frames": 16, "duration": 220.0},
        "instruments": {
            "microphones": [{"name": "at the exit", "x": 0.0, "r": 0.12},
                            {"name": "down the slope", "x": 0.3, "r": 0.18}]
        }
    }, "variants": [("Convergent barrel, thick lip", {**BARREL, "diverge_length": 0.0, "lip": 0.015})],
    "points": [(f"{bar:g} bar", {"total_pressure": bar * 1e5, "altitude": 0}) for bar in (2.16, 2.30, 2.46)]
}

LANCE_BODY = {
    "kind": "conical", "inlet_radius": 0.010, "inlet_length": 0.02, "converge_length": 0.02,
    "throat_radius": 0.006, "diverge_length": 0.0, "lip": 0.0015
}

TUBE = {"throat_radius": 0.005, "diverge_length": 0.03, "exit_radius": 0.0062, "exit_blend": 2.0}

LANCE = {
    "name": "De-icing lance", "space": "nozzle",
    "question": "Which throat makes the most shear on the plate at 65 mm for the same mass flow, and does an "
                "intake slot behind it help?",
    "setup": {
        "domain": {"kind": "plate", "distance": 5, "width": 6}, "flow": {"model": "turbulent"},
        "grid": {"along": 96, "jet": 112, "outside": 48, "across": 36}, "run": {"steps": 260}
    }, "variants": [("Throat 12 mm", LANCE_BODY), ("Throat 10 mm", {**LANCE_BODY, "throat_radius": 0.005}),
                    ("Throat 10 mm, tube", {**LANCE_BODY, **TUBE}),
                    ("Throat 10 mm, tube with intake",
                     {**LANCE_BODY,
                      **TUBE, "ports": [{"name": "intake", "x": 0.046, "width": 0.003}]})], "points": [
                          ("15 g/s", {"supply": "mass flow", "mass_flow": 0.015})
                      ], "searches": [("Throat 10 mm, tube with intake",
                                       Plan([
                                           Parameter("throat_radius", "Throat radius", "m", 0.0042, 0.0060),
                                           Parameter("exit_radius", "Exit radius", "m", 0.0060, 0.0080),
                                           Parameter("ports.0.width", "intake: Width", "m", 0.001, 0.006)
                                       ], "plate_shear", "largest",
                                            [Constraint("inlet_p_total", "at most", 125e3)], 8, 20))]
}

OGIVE = {
    "kind": "revolution", "chord": "1.2 m", "thickness": 0.1, "nose": "ogive", "nose_length": 0.3,
    "tail_length": 0.15, "base": 0.7
}

WEATHER_DART = {
    "name": "Weather dart",
    "question": "Drag of the dart's body from Mach 0.8 to 3: what do a longer nose and a boat-tail save?",
    "setup": {
        "domain": {"kind": "round", "far_field": 15}, "flow": {"model": "turbulent"},
        "grid": {"around": 160, "layers": 80,
                 "wake": 40}, "run": {"steps": 400, "residual": 1e-5, "steady": 2e-3}
    }, "variants": [("Ogive, boat-tail", OGIVE), ("Ogive, no boat-tail", {**OGIVE, "tail_length": 0.0}),
                    ("Long nose, boat-tail", {**OGIVE, "nose": "least drag", "nose_length": 0.45})],
    "points": [(f"Mach {m:g}", {"motion": "mach", "mach": m, "altitude": 6000}) for m in (0.8, 1.2, 2.0, 3.0)]
}

FINNED = {
    "name": "dart", "kind": "revolution", "length": 1.2, "diameter": 0.12, "nose": "ogive",
    "nose_length": 0.36, "tail_length": 0.18, "rear_diameter": 0.084
}
FINS = {"fins": 4, "fin_chord": 0.16, "fin_span": 0.09, "fin_sweep": 35}

DART_IN_SPACE = {
    "name": "Weather dart with fins", "space": "body",
    "question": "What do four fins add to the dart's drag at Mach 2, and what do they weigh in when it flies "
                "4° nose up?",
    "setup": {
        "domain": {"kind": "free", "half": "yes", "ahead": 0.6, "behind": 1.2,
                   "beside": 0.9}, "flow": {"model": "turbulent", "closure": "spalart-allmaras"},
        "grid": {"level": "medium", "surface_size": 0.006, "wake_length": 0.3},
        "instruments": {"area": 0.01130973, "reference_length": 1.2, "moment_x": 0.6}, "run": {"steps": 160}
    }, "variants": [("Body alone", {"parts": [FINNED]}), ("With four fins", {"parts": [{**FINNED, **FINS}]})],
    "points": [("Mach 2", {"motion": "mach", "mach": 2.0, "altitude": 6000}),
               ("Mach 2, 4° nose up", {"motion": "mach", "mach": 2.0, "altitude": 6000, "incidence": 4})]
}

CAMPAIGNS = {
    "10-blaster": BLASTER, "11-jets": JETS, "11-noise": NOISE, "12-lance": LANCE, "13-dart": WEATHER_DART,
    "14-fins": DART_IN_SPACE
}
