"""What the campaigns of the scenario are after: (sense, quantity, weights, conditions), points by their
names; a condition is (expression, kind, bound, where)."""

AIMS = {
    "1-drone": ("smallest", "drag", {"Dash, Mach 0.73":
                                     1.0}, [("lift", "at least", 0.45, "Delivery, 28 m/s")]),
    "3-turbulent": ("largest", "glide", {"28 m/s, 2°": 1.0, "28 m/s, 6°": 2.0, "28 m/s, 10°": 1.0}, []),
    "4-slotted": ("largest", "lift", {}, []),
    "5-kart": ("largest", "downforce", {}, []),
    "8-ridge": ("largest", "lift / drag", {}, []),
    "8-wing": ("largest", "downforce / drag", {}, []),
    "12-lance": ("largest", "plate_shear", {}, []),
    "13-dart": ("smallest", "drag", {"Mach 1.2": 1.0, "Mach 2": 2.0, "Mach 3": 1.0}, []),
    "15-snowgun":
    ("largest", "efficiency", {"throttle 7 kPa": 1.0, "throttle 11 kPa": 2.0, "throttle 14 kPa": 1.0}, []),
    "16-pitching": ("smallest", "lift_swing", {"Slow, k 0.1": 1.0, "Quick, k 0.4": 1.0}, []),
    "18-hut": ("largest", "wheel_power", {}, []),
    "17-whirl": ("largest", "wheel_power", {}, []),
}
