"""What pages show of blade rows."""
from .contract import RowList, Shown
from .forces import FORMULAS, given

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
    ("Throttle: pressure rise, Pa", "Pa"), "outlet_flow": ("Mass flow, kg/s", "kg/s"), "speed":
    ("Speed of rotation, rpm", "rpm"), "wind": ("Wind along the axis, m/s", "m/s")
}
AXES = {
    "mass_flow": ("Mass flow, kg/s", 1.0), "corrected_flow": ("Corrected mass flow, kg/s", 1.0),
    "speed_of_rotation": ("Speed of rotation, rpm", 1.0), "advance":
    ("Advance ratio, wind over turns and diameter", 1.0), "tip_speed_ratio": ("Tip speed over wind", 1.0)
}
POINT_FIELDS = ("speed", "back_pressure", "outlet_flow", "wind", "total_pressure", "total_temperature")


def _point_air(form):
    """The air of a new operating point; a mass flow that is given holds the outlet."""
    air = given(form, POINT_FIELDS)
    return air | ({"outlet": "flow"} if "outlet_flow" in air else {})


ROWS = {
    "shape": (RowList("sections", "Sections", "section", "the blade at radii from the hub outwards",
                      ({"shape.made": ("sections", )})),
              RowList("walls", "Contours", "point", "of hub and casing along the axis; none are straight",
                      ({"shape.setting": ("duct", )}))), "air":
    (RowList("profile", "Inlet over the span", "station",
             "total pressure, temperature and angle from the hub outwards; without stations as above",
             ({"shape.setting": ("duct", )})), ), "instruments": (FORMULAS, )
}

SHOWN = Shown(
    ROWS, {
        "mass_flow": "Mass flow, kg/s", "pressure_ratio": "Total-pressure ratio", "efficiency": "Efficiency",
        "torque": "Torque, N m", "thrust": "Thrust, N", "residual": "Residual"
    }, LINES, "On the blade and over the span", "blade_50:mach", ("efficiency", "largest"), AXES, SWEPT,
    "Operating map", ("lines.csv", "field.vtu"), "partials/row_result.html",
    _point_air, station="share of the axial chord",
    headings={"air": "Air and turning"})
