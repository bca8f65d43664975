"""What nozzles look like, and what tells them from their siblings."""
import functools
import json

from ....shapes.coordinates import ShapeError
from ....shapes.nozzles import build_nozzle, port_spans, wall_pieces
from ....sheet import read_section
from ..contract import Portrait


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


CURVES = (("wall:pressure", "x in m", "Pressure at the wall, Pa", False),
          ("axis:mach", "x in m", "Mach number on the axis", False), ("plate:shear", "r in m",
                                                                      "Shear on the plate, Pa", False))
PORTRAIT = Portrait(outline, words, point_words, CURVES)
