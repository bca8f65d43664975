"""A grid study: the same sheet on grids of several fineness, and what its numbers tend to.

References
----------
Roache: Perspective: a method for uniform reporting of grid refinement studies, J. Fluids Eng. 116, 1994.
"""
from dataclasses import dataclass

import numpy as np

from .kinds.section.ready import uses_triangles

MOST = 8
LOWEST, HIGHEST = 0.3, 4.0


@dataclass
class Fit:
    """f = extrapolated + a h^order through the values of a study.

    Attributes
    ----------
    extrapolated, order : float
    error : float
        Half-width of the error bar of the finest value: 1.25 times its distance from the limit, or
        three times where the order was not observed, and twice the scatter about the curve.
    observed : bool
        Whether the order comes from the values (three or more, behaving) or is assumed to be 2.
    """

    extrapolated: float
    order: float
    error: float
    observed: bool


def read_factors(text):
    """Factors on the cell length count, as typed; raises ValueError with the mend."""
    factors = []
    for part in text.replace(",", " ").replace(";", " ").split():
        try:
            value = float(part)
        except ValueError:
            raise ValueError(f"“{part[:20]}” is not a number: write factors such as 0.7 1 1.4") from None
        if not LOWEST <= value <= HIGHEST:
            raise ValueError(
                f"factor {value:g}: accepted are {LOWEST:g} to {HIGHEST:g} (2 makes four times the cells)")
        factors.append(value)
    factors = sorted(set(factors))
    if len(factors) < 2:
        raise ValueError("give at least two different factors, for example 0.7 1 1.4")
    if len(factors) > MOST:
        raise ValueError(f"{len(factors)} factors; at most {MOST}")
    return factors


def scaled(sheet, factor):
    """The sheet with cells a factor finer in both directions; first heights and sizes that are given shrink
    along."""
    grid = sheet.grid
    change = {
        "around": int(np.clip(16 * round(grid.around * factor / 16), 64, 1600)),
        "wake": int(np.clip(4 * round(grid.wake * factor / 4), 16, 400))
    }
    base = grid.layers or {"turbulent": 88}.get(sheet.flow.model, 64)
    lines = not uses_triangles(sheet)
    if lines or grid.layers:
        change["layers"] = int(np.clip(4 * round(base * factor / 4), 24 if lines else 4, 400))
    for name in ("first_height", "nose_size", "tail_size", "least_size", "wake_size"):
        if getattr(grid, name):
            change[name] = getattr(grid, name) / factor
    # The triangles' growth is what sets their size away from walls.
    change["growth"] = float(np.clip(grid.growth / factor, 0.03, 0.6))
    change["zones"] = [zone.model_copy(update={"size": zone.size / factor}) for zone in grid.zones]
    return sheet.model_copy(
        update={"grid": grid.model_copy(update=change), "title": f"{sheet.title}, grid × {factor:g}"[:120]})


def fit(cells, values):
    """Fit the values over cell size; cells and values in any order, two or more; returns a `Fit`."""
    order = np.argsort(cells)
    h = 1.0 / np.sqrt(np.asarray(cells, dtype=float)[order])
    f = np.asarray(values, dtype=float)[order]
    h = h / h[-1]
    best, observed = 2.0, False
    if len(f) >= 3:
        orders = np.linspace(0.5, 2.0, 61)
        misfits = np.array([_through(h, f, p)[2] for p in orders])
        best = float(orders[int(np.argmin(misfits))])
        observed = bool(np.all(np.diff(f) >= 0) or np.all(np.diff(f) <= 0)) and 0.5 < best
    limit, _, scatter = _through(h, f, best)
    spread = np.sqrt(scatter / max(len(f) - 2, 1)) if len(f) > 2 else 0.0
    error = (1.25 if observed else 3.0) * abs(f[-1] - limit) + 2.0 * spread
    return Fit(float(limit), best, float(error), observed)


def _through(h, f, p):
    basis = np.stack([np.ones_like(h), h**p], axis=1)
    weights = (1 / h)[:, None]
    (limit, slope), *_ = np.linalg.lstsq(basis * weights, f * weights[:, 0], rcond=None)
    return limit, slope, float((((basis @ [limit, slope] - f) * weights[:, 0])**2).sum())
