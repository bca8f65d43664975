"""The campaigns of the made-up Tarnholt Mountain Works that are about bodies in space."""

RAILCAR = {
    "name": "car", "kind": "vehicle", "length": 8.0, "width": 2.4, "height": 2.6, "corner": 0.25,
    "nose_length": 0.3, "nose_side": 0.12, "nose_roof": 0.15, "nose_floor": 0.1, "tail_length": 0.0
}
ROUND_NOSE = {**RAILCAR, "nose_length": 1.6, "nose_side": 0.6, "nose_roof": 1.1, "nose_floor": 0.2}
LONG_TAIL = {**ROUND_NOSE, "tail_length": 2.0, "tail_side": 0.35, "tail_roof": 0.5, "tail_floor": 0.15}

VALLEY_RAILCAR = {
    "name": "Valley railcar nose", "space": "body",
    "question": "Drag and lift at 30 m/s of a blunt, a rounded and a long-tailed railcar: and does 10 % more "
                "length pay?",
    "setup": {
        "domain": {
            "kind": "ground", "clearance": 0.3, "half": "yes", "ahead": 2.5, "behind": 5, "beside": 2.5
        }, "grid": {"level": "fine", "surface_size": 0.08},
        "instruments": {"front_axle": 1.4, "rear_axle": 6.6, "mass": 14_000, "moment_x": 4.0}
    }, "variants": [
        ("Rounded nose", {"parts": [ROUND_NOSE]}), ("Blunt nose", {"parts": [RAILCAR]}),
        ("Rounded nose, +10 % length",
         {"parts": [ROUND_NOSE], "edits": [{"kind": "stretch", "start": 3.0, "end": 6.0, "share": 80 / 3}]}),
        ("Long tail", {"parts": [LONG_TAIL]})
    ], "points": [("Valley line, 30 m/s", {"motion": "speed", "speed": 30, "altitude": 600})]
}

WING = {
    "name": "wing", "kind": "wing", "span": 1.1, "chord": 0.26, "thickness": 0.14, "camber": -0.05,
    "incidence": -4, "flap_chord": 0.4, "flap_deflection": 22, "flap_overlap": 0.01
}
PLATES = [{
    "name": f"end plate {side}", "kind": "box", "length": 0.46, "width": 0.012, "height": 0.26, "x": -0.04,
    "y": y, "z": -0.08
} for side, y in (("right", 0.556), ("left", -0.556))]

KART_WING = {
    "name": "Snow-kart rear wing in space", "space": "body",
    "question": "Downforce against drag of the whole wing: what do its end plates do?", "setup": {
        "domain": {"kind": "free", "half": "yes", "ahead": 2.5, "behind": 5, "beside": 2.5},
        "grid": {"level": "fine", "surface_size": 0.012, "wake_length": 0.6}, "instruments": {
            "area": 0.4, "reference_length": 0.26, "mass": 180,
            "formulas": [{"name": "downforce", "expression": "-lift"},
                         {"name": "efficiency", "expression": "downforce / drag"}]
        }
    }, "variants": [("With end plates", {"parts": [{**WING, "flap_gap": 0.03}, *PLATES]}),
                    ("Without end plates", {"parts": [{**WING, "flap_gap": 0.03}]})],
    "points": [("22 m/s", {"motion": "speed", "speed": 22, "altitude": 900})]
}

STRAIGHT = {"name": "wing", "kind": "wing", "span": 3.2, "chord": 0.46, "thickness": 0.13, "camber": 0.02,
            "tip_share": 0.5}
# The same, and beyond its tip 0.3 m that turn up.
WINGLET = [{"y": 0.0, "chord": 0.46}, {"y": 1.6, "x": 0.0575, "chord": 0.23},
           {"y": 1.66, "x": 0.085, "z": 0.05, "chord": 0.2}, {"y": 1.7, "x": 0.17, "z": 0.3, "chord": 0.12}]

RIDGE_WING = {
    "name": "Ridge-line wing", "space": "body",
    "question": "Lift and drag of the ridge survey's wing at 24 m/s: what do 20° of sweep and 3° of washout "
                "cost, and what does a winglet save?", "setup": {
                    "domain": {"kind": "free", "half": "yes", "ahead": 2, "behind": 3, "beside": 2},
                    "grid": {"level": "fine", "surface_size": 0.03},
                    "flow": {"model": "turbulent", "closure": "spalart-allmaras"},
                    "instruments": {"formulas": [{"name": "glide", "expression": "lift / drag"}]}
                }, "variants": [("Straight", {"parts": [STRAIGHT]}),
                                ("Swept by 20°", {"parts": [{**STRAIGHT, "sweep": 20}]}),
                                ("3° of washout", {"parts": [{**STRAIGHT, "twist": -3}]}),
                                ("With winglets", {"parts": [STRAIGHT], "stations": WINGLET})],
    "points": [("Cruise, 24 m/s, 4°", {"motion": "speed", "speed": 24, "altitude": 1800, "incidence": 4})]
}


def _limb(name, x, z, length, thick, thin, pitch, y=0.0):
    return {
        "name": name, "kind": "frustum", "length": length, "front_diameter": thick, "rear_diameter": thin,
        "pitch": pitch, "x": x, "y": y, "z": z
    }


UPRIGHT = [{
    "name": "torso", "kind": "ellipsoid", "length": 0.30, "width": 0.46, "height": 0.78, "x": -0.15, "z": 1.18
}, {
    "name": "head", "kind": "ellipsoid", "length": 0.26, "width": 0.22, "height": 0.28, "x": -0.15, "z": 1.66
}, *[
    _limb(f"leg {side}", 0.0, 0.02, 1.0, 0.11, 0.17, -90, y) for side, y in (("right", 0.13), ("left", -0.13))
], *[{
    "name": f"ski {side}", "kind": "box", "length": 1.9, "width": 0.10, "height": 0.03, "x": -0.95, "y": y,
    "z": 0.015
} for side, y in (("right", 0.13), ("left", -0.13))]]
TUCKED = [{
    "name": "torso", "kind": "ellipsoid", "length": 0.86, "width": 0.46, "height": 0.32, "x": -0.5, "z": 0.86,
    "pitch": -8
}, {
    "name": "head", "kind": "ellipsoid", "length": 0.30, "width": 0.22, "height": 0.26, "x": -0.72, "z": 0.84
}, *[
    _limb(f"thigh {side}", -0.28, 0.46, 0.52, 0.15, 0.18, -40, y)
    for side, y in (("right", 0.13), ("left", -0.13))
], *[
    _limb(f"shank {side}", 0.02, 0.02, 0.52, 0.11, 0.14, -122, y)
    for side, y in (("right", 0.13), ("left", -0.13))
], *UPRIGHT[-2:]]

SKIER = {
    "name": "Speed-skier postures", "space": "body",
    "question": "How much drag does the tuck save at 35 m/s, by these simple bodies?", "setup": {
        "domain": {"kind": "ground", "clearance": 0.0, "half": "yes", "ahead": 3, "behind": 5, "beside": 3},
        "grid": {"level": "fine", "surface_size": 0.018}, "instruments": {"mass": 85}
    }, "variants": [("Upright", {"parts": UPRIGHT}), ("Tucked", {"parts": TUCKED})],
    "points": [("Speed run, 35 m/s",
                {"motion": "speed", "speed": 35, "altitude": 2400, "state": "standard atmosphere"})]
}

CONE = {"name": "cone", "kind": "frustum", "length": 0.6, "front_diameter": 0.08, "rear_diameter": 0.5}
RINGS = [{
    "name": f"ring {k + 1}", "kind": "frustum", "length": 0.09, "front_diameter": 0.12 + 0.1 * k,
    "rear_diameter": 0.19 + 0.1 * k, "wall": 0.02, "x": 0.12 + 0.125 * k
} for k in range(4)]

WEATHER_CONE = {
    "name": "Weather cone with gaps", "space": "body",
    "question": "What do gaps in the ridge station's drag cone take from its drag?", "setup": {
        "domain": {"ahead": 4, "behind": 8, "beside": 4}, "grid": {"level": "fine", "surface_size": 0.012},
        "instruments": {"area": 0.19635}
    }, "variants": [("Closed cone", {"parts": [CONE]}),
                    ("Four rings with gaps", {
                        "parts": [{
                            "name": "tip", "kind": "ellipsoid", "length": 0.12, "width": 0.1, "height": 0.1,
                            "x": -0.02
                        }, *RINGS]
                    })], "points": [("Gust, 18 m/s", {"motion": "speed", "speed": 18, "altitude": 2100})]
}

CAMPAIGNS = {
    "8-railcar": VALLEY_RAILCAR, "8-wing": KART_WING, "8-ridge": RIDGE_WING, "9-skier": SKIER,
    "9-weather": WEATHER_CONE
}
