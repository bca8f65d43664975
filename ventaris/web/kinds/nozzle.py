"""What pages show of nozzles and their jets, steady or in time."""
from ...core.sheet.nozzle import STEADY
from .contract import RowList, Shown
from .forces import FORMULAS, given

# Along its lines: row, column, label, unit.
LINES = {
    "axis:mach": "Mach number on the axis", "wall:mach": "Mach number at the wall",
    "axis:pressure": "Pressure on the axis, Pa", "wall:pressure": "Pressure at the wall, Pa",
    "axis:speed": "Speed on the axis, m/s", "axis:temperature": "Temperature on the axis, K",
    "wall:shear": "Wall shear, Pa", "wall:y_plus": "y+ of the first cell",
    "plate:pressure": "Pressure on the plate, Pa", "plate:shear": "Shear on the plate, Pa"
}
SWEPT = {
    "total_pressure": ("Total pressure of the supply, Pa", "Pa"),
    "back_pressure": ("Back pressure, Pa", "Pa"), "mass_flow": ("Mass flow of the supply, kg/s", "kg/s"),
    "jet_mach": ("Fully expanded Mach number of the jet", "")
}
# By the place of the value in a result.
AXES = {
    "ratio": ("Total pressure of the supply over the pressure behind", 1.0),
    "supply": ("Total pressure of the supply, bar", 1e-5),
    "back_pressure": ("Pressure behind the exit, bar", 1e-5),
    "ideal_mach": ("Mach number of the loss-free jet", 1.0)
}
POINT_FIELDS = ("given_as", "total_pressure", "total_temperature", "back_pressure")


# A jet in time has its microphones instead.
ROWS = {
    "shape": (RowList("ports", "Intake ports", "port",
                      "slots all round the wall, open to the air outside"), ),
    "instruments": (RowList("microphones", "Microphones", "microphone", "points whose pressure is recorded",
                            "flow.model=noise"),
                    RowList("stations", "Stations", "station",
                            "cross-sections over which the flow is averaged", STEADY),
                    RowList("probes", "Probes", "probe",
                            "points at which the flow is read, in metres from the inlet and the axis",
                            STEADY), FORMULAS),
}

SHOWN = Shown(ROWS,
              {"mass_flow": "Mass flow, kg/s", "thrust": "Thrust, N", "residual": "Residual"}, LINES,
              "Along the nozzle", "wall:pressure", ("thrust", "largest"), AXES, SWEPT, "Operating map",
              ("lines.csv", "field.vtu"), "partials/nozzle_result.html",
              lambda form: given(form, POINT_FIELDS), searched=("shock", ),
              headings={"air": "Air and supply"})
