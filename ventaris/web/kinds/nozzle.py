"""What pages show of nozzles and their jets, steady or in time."""
import functools
import json

from ...core.shapes.coordinates import ShapeError
from ...core.shapes.nozzles import build_nozzle, port_spans, wall_pieces
from ...core.sheet import read_section
from ...core.sheet.nozzle import STEADY
from ...core.study.kinds.nozzle.judge import NOZZLE_FLOORS
from .contract import RowList, Shown
from .forces import FORMULAS, given

HEADLINES = (("mass_flow", "Mass flow, kg/s", 5), ("thrust", "Thrust, N", 3), ("exit_mach",
                                                                               "Exit Mach number", 4))
BY_LEVEL = (
    ("mass_flow", "mass flow, kg/s", 5),
    ("thrust", "thrust, N", 3),
    ("exit_mach", "exit Mach number", 4),
    ("exit_p", "exit pressure, Pa", 0),
    ("pressure_ratio", "total pressure kept", 5),
    ("shock", "shock at x, m", 5),
    ("mach_disc", "Mach disc behind the exit, m", 5),
    ("plate_shock", "shock ahead of the plate, from it, m", 5),
    ("shock_cell", "shock cells apart, m", 5),
    ("axis_speed", "axis speed half-way, m/s", 2),
    ("plate_shear", "shear on the plate, N", 5),
    ("plate_force", "push on the plate, N", 4),
    ("tone", "tone, Hz", 0),
    ("tone_level", "its level, dB", 1),
    ("sound_level", "level, dB", 1),
)
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


def point_words(setup, air):
    """The supply, and what it is over the pressure behind."""
    return f"total {setup.air.supply_pressure / 1e3:.4g} kPa, {1 / setup.back:.3g} × behind" if setup else ""


@functools.lru_cache(maxsize=128)
def _nozzle_walls(text):
    """Both walls of a nozzle over its length, as closed loops; None when it cannot be built."""
    try:
        section = read_section("shape", json.loads(text), "nozzle")
        contour = build_nozzle(section)
    except (ShapeError, ValueError):
        return None
    pieces = wall_pieces(contour, max(section.lip, 0.02 * contour.length), port_spans(section), 120)
    return [piece / contour.length * [1, sign] for piece in pieces for sign in (1, -1)]


def outline(shape):
    """Both walls as closed loops over the length, or None when the nozzle cannot be built."""
    return _nozzle_walls(json.dumps(shape, sort_keys=True))


def words(shape):
    """One line that tells a nozzle from its siblings."""
    ports = ", ".join(f"{p['name']} at {1000 * p['x']:g} mm" for p in shape["ports"])
    if shape["kind"] == "coordinates":
        words = f"contour of {len(shape['points'] or ())} points"
    else:
        opened = "convergent" if shape[
            "diverge_length"] == 0 else f"{shape['kind']}, exit {1000 * shape['exit_radius']:g} mm"
        words = f"{opened}, throat {1000 * shape['throat_radius']:g} mm"
    return ", ".join([words + (" half height" if shape["form"] == "planar" else " radius")] +
                     ([ports] if ports else []))


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

SHOWN = Shown(outline, words, ROWS, HEADLINES, BY_LEVEL, NOZZLE_FLOORS,
              {"mass_flow": "Mass flow, kg/s", "thrust": "Thrust, N", "residual": "Residual"}, LINES,
              "Along the nozzle", "wall:pressure", ("thrust", "largest"), AXES, SWEPT, "Operating map",
              ("lines.csv", "field.vtu"), "partials/nozzle_result.html", point_words,
              lambda form: given(form, POINT_FIELDS), searched=("shock", ),
              headings={"air": "Air and supply"})
