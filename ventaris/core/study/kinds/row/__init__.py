"""Blade rows that turn or stand, in a duct or in the open."""
from ....formats.results import row_files
from ....look.row_planes import row_drawable
from ...result import RowResult
from ..contract import Kind, Neighbourhood
from . import judge
from .quality import row_quality
from .portrait import PORTRAIT
from .quantities import QUANTITIES
from .ready import prepare_row
from .run import RowExecution

SWEPT = frozenset({
    "air.speed", "air.back_pressure", "air.ambient", "air.throttle_rise", "air.throttle_flow", "air.wind",
    "air.swirl", "run.start"
})


def _away(air, other):
    """In shares of the speed of rotation, of the total pressure and of the wind. A point that is throttled
    further may have stalled, and what starts from it stays so: none is nearer."""
    share = lambda one, two: abs(one - two) / max(abs(one), abs(two), 1e-9)
    further = _further(air, other)
    if further < 0:
        return float("inf")
    return (share(air.speed, other.speed) + 0.1 * share(air.wind, other.wind) + further +
            abs(air.swirl - other.swirl) / 90)


def _further(air, other):
    """By how much a point is throttled further than another one, as a share of the total pressure. Below
    nothing: less, or by its mass flow, which begins with an open outlet."""
    if "flow" in (air.outlet, other.outlet):
        return -1.0
    closed = lambda a: a.ambient + a.throttle_rise if a.outlet == "throttle" else a.back_pressure
    return (closed(air) - closed(other)) / air.total_pressure


KIND = Kind("row", "row", prepare_row, judge.preflight_row, judge.estimate_row, judge.DEFAULT_COST,
            "cost_per_cell_step_in_rows", judge.row_channels, RowExecution, row_quality, row_files, RowResult,
            QUANTITIES, PORTRAIT, drawable=row_drawable, reads_lines=True,
            neighbourhood=Neighbourhood(SWEPT, _away, "checkpoint"))
