"""Measured data: what their columns are, and how far computed curves lie from them."""
import math
from dataclasses import dataclass

import numpy as np

ROLES = {"x": "x", "value": "value", "error": "uncertainty of the value before it", "": "not used"}
# What a column of uncertainties is usually called.
UNSURE = ("±", "+/-", "uncert", "error", "sigma", "std")


@dataclass(frozen=True)
class Series:
    """One measured quantity.

    Attributes
    ----------
    name : str
    x, y : list of float
    error : list of float or None
        Half-width of each point's uncertainty.
    channel : str
        The channel that it is, for maps and polars; "" where it is only drawn by its name.
    """

    name: str
    x: list
    y: list
    error: list | None
    channel: str


def roles_of(table):
    """{column: (role, factor, channel)} of a table: as they were said, else by their order and names."""
    said = table.get("about") or {}
    out, seen = {}, 0
    for k, name in enumerate(table["columns"]):
        guess = ("x" if k == 0 else "error" if seen and any(word in name.lower()
                                                            for word in UNSURE) else "value")
        role, factor, channel = said.get(name, (guess, 1.0, ""))
        seen += role == "value"
        out[name] = role, factor, channel
    return out


def series_of(table):
    """The `Series` of a table of measured data.

    Parameters
    ----------
    table : dict
        ``name``, ``columns`` {name: values}, and ``about`` {name: (role, factor, channel)}.
    """
    roles, columns = roles_of(table), table["columns"]
    scaled = lambda name: [None if v is None else v * roles[name][1] for v in columns[name]]
    x = next((scaled(name) for name, (role, *_) in roles.items() if role == "x"), None)
    if x is None:
        return []
    out, last = [], None
    for name, (role, _, channel) in roles.items():
        if role == "value":
            last = len(out)
            out.append(Series(f"{table['name']}: {name}", x, scaled(name), None, channel))
        elif role == "error" and last is not None:
            one = out[last]
            error = [None if v is None else abs(v) for v in scaled(name)]
            out[last] = Series(one.name, one.x, one.y, error, one.channel)
    return out


@dataclass(frozen=True)
class Deviation:
    """How far a computed curve lies from measured points.

    Attributes
    ----------
    points : int
        That lie within the curve's reach.
    rms, mean, largest : float
        Of computed less measured; `largest` with its sign, at `at`.
    at : float
    within : float or None
        Share of the points whose uncertainty holds the curve; None where none is given.
    """

    points: int
    rms: float
    mean: float
    largest: float
    at: float
    within: float | None


def deviation(series, curves):
    """`Deviation` of curves from a `Series`; None where they have no x in common.

    Parameters
    ----------
    curves : list of (x, y)
        Of one run; where there are two sides, each point is held against the nearer one.
    """
    errors, off, at = series.error or [None] * len(series.x), [], []
    held, known = 0, 0
    ready = [_ascending(*curve) for curve in curves]
    for x, y, error in zip(series.x, series.y, errors):
        if x is None or y is None:
            continue
        reached = [float(np.interp(x, a, b)) - y for a, b in ready if len(a) > 1 and a[0] <= x <= a[-1]]
        if not reached:
            continue
        nearest = min(reached, key=abs)
        off.append(nearest)
        at.append(x)
        known += error is not None
        held += error is not None and abs(nearest) <= error
    if not off:
        return None
    worst = max(range(len(off)), key=lambda k: abs(off[k]))
    return Deviation(len(off), math.sqrt(sum(v * v for v in off) / len(off)),
                     sum(off) / len(off), off[worst], at[worst], held / known if known else None)


def _ascending(x, y):
    """A curve's points in the order of x, without gaps."""
    pairs = sorted((float(a), float(b)) for a, b in zip(x, y)
                   if a is not None and b is not None and math.isfinite(a) and math.isfinite(b))
    return [p[0] for p in pairs], [p[1] for p in pairs]
