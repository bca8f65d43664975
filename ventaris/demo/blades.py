"""The campaigns of the made-up Tarnholt Mountain Works that are about turning blades."""
import math

from ..core.shapes.rows import section_values
from ..core.sheet import read_section

PLAN = {
    "made": "plan", "blades": 24, "hub_radius": 0.085, "casing_radius": 0.125, "tip_gap": 0.0003,
    "plan_mass_flow": 4.2, "plan_speed": 28000.0, "plan_ratio": 1.35
}


def _sections(shape, opened=0.0):
    """Sections of a plan, with the stagger taken back by some degrees."""
    return [{**section, "stagger": round(section["stagger"] - opened, 3)}
            for section in section_values(read_section("shape", shape, "row"), digits=3)]


BASELINE = {**PLAN, "made": "sections", "sections": _sections(PLAN)}

SNOW_GUN = {
    "name":
    "Snow-gun compressor", "space":
    "row", "question":
    "What do two degrees less stagger give the snow gun's rotor in flow, what do they cost in pressure, "
    "and how much efficiency goes through a tip gap twice as wide?", "setup": {
        "grid": {
            "side_cells": 36, "edge_cells": 14, "off_cells": 16, "span_cells": 24, "gap_cells": 5,
            "ahead_cells": 8, "behind_cells": 14
        }
    }, "variants": [("As planned", BASELINE), ("Opened by 2°", {**BASELINE, "sections": _sections(PLAN,
                                                                                                  2.0)}),
                    ("Twice the gap", {**BASELINE, "tip_gap": 0.0006})], "points":
    [(f"throttle {rise:g} kPa",
      {"speed": 28000.0, "outlet": "throttle", "throttle_flow": 4.0, "throttle_rise": 1e3 * rise})
     for rise in (2, 7, 11, 14, 16.5)]
}

# The hut's wind wheel: radius, chord, stagger at the full twist, thickness.
HUT_SECTIONS = ((0.3, 0.22, 70.0, 0.18), (0.75, 0.15, 82.0, 0.14), (1.5, 0.09, 87.0, 0.12))
WIND = 9.0


def _hut_wheel(twist):
    """Three blades, their stagger drawn towards that at 88 degrees by a share of the twist."""
    sections = [{"radius": radius, "chord": chord, "stagger": round(88 - (88 - stagger) * twist, 2),
                 "camber": -12.0, "thickness": thickness}
                for radius, chord, stagger, thickness in HUT_SECTIONS]
    return {"setting": "open", "form": "four-digit", "blades": 3, "hub_radius": 0.3, "tip_radius": 1.5,
            "stacked_at": 0.3, "sections": sections}


def _wind(ratio):
    """Air at a tip-speed ratio."""
    return {"speed": round(ratio * WIND / 1.5 * 30 / math.pi, 2), "wind": WIND}


HUT = {
    "name": "Hut wind wheel", "space": "row",
    "question": "What does the hut's wheel take out of the wind at which tip-speed ratio, and what does half "
                "of the twist, which is easier to build, cost?",
    "setup": {
        "grid": {
            "side_cells": 28, "edge_cells": 12, "off_cells": 12, "span_cells": 20,
            "beyond_cells": 20, "ahead_cells": 8, "behind_cells": 12
        }, "run": {"steps": 320}
    }, "variants": [("Full twist", _hut_wheel(1.0)), ("Half the twist", _hut_wheel(0.5))],
    "points": [(f"ωR/U {ratio:g}", _wind(ratio)) for ratio in (6, 7, 8)]
}

CAMPAIGNS = {"15-snowgun": SNOW_GUN, "18-hut": HUT}
