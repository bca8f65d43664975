"""The made-up Tarnholt Mountain Works: campaigns, variants, operating points, and a made-up tunnel table."""

DRONE = {
    "name": "Courier drone wing section",
    "question": "Lift and drag at 28 m/s, and what a thinner section or a deflected flap does to the jet sister's transonic dash.",
    "setup": {"instruments": {"span": 1.6, "probes": [{"name": "behind the wing", "x": 1.5, "y": 0.05}]}},
    "variants": [
        ("Section TMW-12", {"kind": "four-digit", "chord": "240 mm", "thickness": 0.12, "camber": 0.02, "camber_position": 0.4}),
        ("Thinner", {"kind": "four-digit", "chord": "240 mm", "thickness": 0.12, "camber": 0.02, "camber_position": 0.4,
                     "edits": {"thickness_scale": 0.75}}),
        ("Flap 8° down", {"kind": "four-digit", "chord": "240 mm", "thickness": 0.12, "camber": 0.02, "camber_position": 0.4,
                          "edits": {"flap_deflection": 8, "flap_hinge": 0.75}})],
    "points": [
        ("Delivery, 28 m/s", {"motion": "speed", "speed": 28, "altitude": 400, "incidence": 2}),
        ("Climb, 36 m/s", {"motion": "speed", "speed": 36, "altitude": 1200, "incidence": 5}),
        ("Dash, Mach 0.73", {"motion": "mach", "mach": 0.73, "altitude": 7600, "incidence": 0.5})]}

DART = {
    "name": "Dash vane, double wedge",
    "question": "How much wave drag does the jet sister's vane cost at Mach 1.8, and what does a thinner wedge save?",
    "setup": {"domain": {"far_field": 20}},
    "variants": [("Wedge 8 %", {"kind": "double wedge", "chord": "0.12 m", "thickness": 0.08}),
                 ("Wedge 6 %", {"kind": "double wedge", "chord": "0.12 m", "thickness": 0.06})],
    "points": [("Mach 1.8, 2°", {"motion": "mach", "mach": 1.8, "altitude": 9000, "incidence": 2})]}

TURBULENT = {
    "name": "Courier drone, turbulent",
    "question": "What does the drone's section really cost at 28 m/s, with friction: thick or thin, slow or at a high lift?",
    "setup": {"instruments": {"span": 1.6}, "flow": {"model": "turbulent"}},
    "variants": [DRONE["variants"][0], DRONE["variants"][1]],
    "points": [("28 m/s, 2°", {"motion": "speed", "speed": 28, "altitude": 400, "incidence": 2}),
               ("28 m/s, 6°", {"motion": "speed", "speed": 28, "altitude": 400, "incidence": 6})]}

CAMPAIGNS = {"1-drone": DRONE, "2-vane": DART, "3-turbulent": TURBULENT}
