"""What blade rows look like, and what tells them from their siblings."""
import functools
import json

import numpy as np

from ....shapes.coordinates import ShapeError
from ....shapes.rows import build_row
from ....sheet import read_section
from ..contract import Portrait


def point_words(setup, air):
    """Speed of rotation, and what stands behind or comes."""
    words = f"{air.get('speed', 0):g} rpm"
    if setup is None:
        return words
    if setup.is_open:
        return f"{words}, wind {air.get('wind', 0):g} m/s"
    if air.get("outlet") == "flow":
        return f"{words}, {air.get('outlet_flow', 0):g} kg/s"
    if air.get("outlet") == "throttle":
        return f"{words}, throttle {air.get('throttle_rise', 0) / 1e3:.4g} kPa"
    return f"{words}, {air.get('back_pressure', 0) / 1e3:.4g} kPa behind"


@functools.lru_cache(maxsize=128)
def _blades(text):
    """Two neighbouring sections at mid-span and one at hub and tip, as closed loops over the chord."""
    try:
        section = read_section("shape", json.loads(text), "row")
        row, _ = build_row(section, read_section("domain", {}, "row"))
    except (ShapeError, ValueError):
        return None
    loops = []
    for share in (0.0, 0.5, 1.0):
        blade = row.section(share * row.tip)
        loops.append(np.concatenate([blade.upper, blade.lower[::-1]]))
    width = max(float(loop[:, 0].max() - loop[:, 0].min()) for loop in loops)
    height = max(float(loop[:, 1].max() - loop[:, 1].min()) for loop in loops)
    return [loop / max(width, height) + [0.5, 0.0] for loop in loops]


def outline(shape):
    """Sections at hub, mid-span and tip as closed loops, or None where the blades cannot be built."""
    return _blades(json.dumps(shape, sort_keys=True))


def words(shape):
    """One line that tells a row from its siblings."""
    count = f"{shape['blades']} blade{'s' if shape['blades'] != 1 else ''}"
    if shape["setting"] == "open":
        return f"{count} in the open, tip {shape['tip_radius']:g} m"
    gap = f", tip gap {1e3 * shape['tip_gap']:g} mm" if shape["tip_gap"] else ", no tip gap"
    made = f"plan for {shape['plan_ratio']:g}" if shape[
        "made"] == "plan" else f"{len(shape['sections'])} sections"
    return f"{count}, {made}, {1e3 * shape['hub_radius']:g} to {1e3 * shape['casing_radius']:g} mm{gap}"


CURVES = (("blade_50:mach", "share of the axial chord", "Isentropic Mach number on the blade, mid-span",
           False), ("span:pressure_ratio", "share of the span", "Total-pressure ratio", False),
          ("span:efficiency", "share of the span", "Efficiency", False))
PORTRAIT = Portrait(outline, words, point_words, CURVES)
