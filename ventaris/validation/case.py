"""What a validation case is, and what all of them need."""
from dataclasses import dataclass, field

from ..core.instruments.taps import read_taps
from ..core.sheet import read_sheet
from ..core.study.execute import execute
from ..core.study.kinds.registry import is_spatial
from ..core.study.trend import grid_trend, level_ratio


@dataclass
class Check:
    """One number against its accepted interval.

    Attributes
    ----------
    open_since : str
        Why a number that lies outside is known and still open, "" otherwise; the report says it.
    """

    name: str
    value: float
    low: float
    high: float
    source: str
    open_since: str = ""

    @property
    def passed(self):
        return bool(self.low <= self.value <= self.high)


@dataclass
class Case:
    """A finished case.

    Attributes
    ----------
    curves : list of (label, x, y, style)
        For its picture: style is "computed" or "reference".
    draw : callable or None
        Draws the picture into Matplotlib axes instead.
    """

    key: str
    title: str
    setup: str
    checks: list
    seconds: float = 0.0
    curves: list = field(default_factory=list)
    axes: tuple = ("x/c", "Cp")
    trends: dict = field(default_factory=dict)
    draw: object = None

    @property
    def passed(self):
        return all(c.passed or c.open_since for c in self.checks)


def run_sheet(**sections):
    """Run a sheet given as keyword sections; returns the finished Execution."""
    run = execute(read_sheet({"format": 1, **sections}))
    for _ in run:
        pass
    return run


def taps_of(run):
    _, flow, state = run.field()
    flow.residual(state)
    return read_taps(flow, state)


def naca0012(thickness=0.12):
    return {"kind": "four-digit", "thickness": thickness, "chord": 1.0}


def side(taps, name, what="cp"):
    k = taps.side(name)
    return taps.x[k], getattr(taps, what)[k]


def cp_curves(taps):
    return [(f"computed, {name}", *side(taps, name), "computed") for name in ("upper", "lower")]


def trends_of(result):
    return {
        name: grid_trend(result["trends"][name]["values"], is_spatial(result), level_ratio(result))
        for name in ("lift", "drag")
    }
