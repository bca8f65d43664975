"""What pages show of blade rows."""
import functools
import json

import numpy as np

from ...core.shapes.coordinates import ShapeError
from ...core.shapes.rows import build_row
from ...core.sheet import read_section
from ...core.study.kinds.row.judge import ROW_FLOORS
from ...core.study.kinds.row.quantities import WORDS
from .contract import RowList, Shown
from .forces import FORMULAS, given

HEADLINES = (("mass_flow", "Mass flow, kg/s", 4), ("pressure_ratio", "Pressure ratio", 4),
             ("efficiency", "Efficiency", 4), ("thrust", "Thrust, N", 2), ("power", "Power, W", 0),
             ("wheel_power", "Power from the wind", 4), ("figure_of_merit", "Figure of merit", 3))
BY_LEVEL = tuple(
    (key, WORDS[key][0], WORDS[key][2])
    for key in ("mass_flow", "pressure_ratio", "temperature_ratio", "efficiency", "polytropic_efficiency",
                "torque", "power", "thrust", "relative_inlet_angle", "relative_outlet_angle", "relative_loss",
                "thrust_coefficient", "power_coefficient", "disc_thrust", "figure_of_merit", "wheel_power",
                "wheel_thrust"))
# Along the blade and over the span: row, column, label. The sheet's own span is read too, under its number.
LINES = {
    "blade_50:mach": "Isentropic Mach number on the blade, mid-span", "blade_10:mach":
    "Isentropic Mach number on the blade, 10 % span", "blade_90:mach":
    "Isentropic Mach number on the blade, 90 % span", "blade_50:pressure":
    "Pressure on the blade, mid-span, Pa", "blade_10:pressure": "Pressure on the blade, 10 % span, Pa",
    "blade_90:pressure": "Pressure on the blade, 90 % span, Pa", "span:pressure_ratio":
    "Total-pressure ratio over the span", "span:temperature_ratio": "Total-temperature ratio over the span",
    "span:efficiency": "Efficiency over the span", "span:axial_speed": "Axial speed behind, m/s",
    "span:swirl_angle": "Flow angle behind at rest, °", "span:relative_angle":
    "Relative flow angle behind, °", "blade:thrust": "Thrust over the span, N/m", "blade:torque":
    "Torque over the span, N m/m"
}
SWEPT = {
    "back_pressure": ("Static pressure at the hub, Pa", "Pa"), "throttle_rise":
    ("Throttle: pressure rise, Pa", "Pa"), "speed": ("Speed of rotation, rpm", "rpm"), "wind":
    ("Wind along the axis, m/s", "m/s")
}
AXES = {
    "mass_flow": ("Mass flow, kg/s", 1.0), "corrected_flow": ("Corrected mass flow, kg/s", 1.0),
    "speed_of_rotation": ("Speed of rotation, rpm", 1.0), "advance":
    ("Advance ratio, wind over turns and diameter", 1.0), "tip_speed_ratio": ("Tip speed over wind", 1.0)
}
POINT_FIELDS = ("speed", "back_pressure", "wind", "total_pressure", "total_temperature")


def point_words(setup, air):
    """Speed of rotation, and what stands behind or comes."""
    words = f"{air.get('speed', 0):g} rpm"
    if setup is None:
        return words
    if setup.is_open:
        return f"{words}, wind {air.get('wind', 0):g} m/s"
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


ROWS = {
    "shape": (RowList("sections", "Sections", "section", "the blade at radii from the hub outwards",
                      ({"shape.made": ("sections", )})),
              RowList("walls", "Contours", "point", "of hub and casing along the axis; none are straight",
                      ({"shape.setting": ("duct", )}))), "instruments": (FORMULAS, )
}

SHOWN = Shown(
    outline, words, ROWS, HEADLINES, BY_LEVEL, ROW_FLOORS, {
        "mass_flow": "Mass flow, kg/s", "pressure_ratio": "Total-pressure ratio", "efficiency": "Efficiency",
        "torque": "Torque, N m", "thrust": "Thrust, N", "residual": "Residual"
    }, LINES, "On the blade and over the span", "blade_50:mach", ("efficiency", "largest"), AXES, SWEPT,
    "Operating map", ("lines.csv", "field.vtu"), "partials/row_result.html", point_words,
    lambda form: given(form, POINT_FIELDS), station="share of the axial chord",
    headings={"air": "Air and turning"})
