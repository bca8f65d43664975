"""Results side by side: the numbers that they are compared by, and differences with error bars.

A number is a quantity of the kind, a channel, or an expression over both (``lift / drag``).
"""
import functools
import math
from dataclasses import dataclass

from .channels import FormulaError, names_in
from .kinds.registry import FAMILIES, is_spatial
from .search import SearchError, evaluator
from .trend import difference_error, grid_trend, level_ratio
from .verdict import wide_bars


def quantities_of(result):
    """The `Quantities` of a result's family; results of the first versions were all of sections."""
    return FAMILIES[result.get("space", "section")].quantities


def quantity_of(result, key):
    """(value, error) of a quantity, a channel or an expression; None where the result has none."""
    if not result or not key:
        return None, None
    trends = result["trends"]
    if key in trends:
        return result["coefficients"][key], trends[key]["error"]
    value, error = quantities_of(result).other(result, key)
    if value is not None or key.isidentifier():
        return value, error
    return _computed(result, key)


def is_doubtful(result):
    """Whether a settled result has an error bar so wide that its number says little; told of results of
    earlier versions too."""
    if not result or not result["verdict"]["settled"]:
        return False
    if "doubtful" in result["verdict"]:
        return bool(result["verdict"]["doubtful"])
    return wide_bars(result["trends"], quantities_of(result).floors)[1]


@functools.lru_cache(maxsize=512)
def _expression(text):
    """(names in it, function of their values); (None, None) where it cannot be read."""
    try:
        names = sorted(names_in(text) - {"pi"})
        return names, evaluator(text, names)
    except (FormulaError, SearchError, ValueError):
        return None, None


def _computed(result, text):
    """(value, error) of an expression: each number's error bar is carried through, and what they do together
    taken as the root of the sum of squares."""
    names, function = _expression(text)
    if names is None:
        return None, None
    numbers = {name: quantity_of(result, name) for name in names}
    values = {name: value for name, (value, _) in numbers.items()}
    if any(value is None for value in values.values()):
        return None, None
    value = function(values)
    if value is None or any(error is None for _, error in numbers.values()):
        return value, None
    moved = [[function({**values, name: values[name] + sign * error}) for sign in (1, -1)]
             for name, (_, error) in numbers.items() if error]
    if any(v is None for pair in moved for v in pair):
        return value, None
    return value, math.sqrt(sum(max(abs(v - value) for v in pair)**2 for pair in moved))


def reference_of(result):
    """Square metres that a result's coefficients refer to; None where there are none."""
    return quantities_of(result).reference(result) if result else None


def references_differ(results):
    """(least, largest) reference area of results when they are not the same, else None: coefficients then say
    little about forces."""
    found = [area for area in map(reference_of, results) if area]
    return (min(found), max(found)) if found and max(found) > 1.001 * min(found) else None


def fair_quantity(space, results):
    """The quantity by which variants are ranked: of drags the coefficient on one reference area, the drag
    area or the force where each has its own."""
    fair = FAMILIES[space].quantities.fair
    if fair and references_differ(results) is not None:
        return fair
    return ranked_by(space, results)[0]


def ranked_by(space, results):
    """(key, sign) of the first quantity in the kind's order that any of the results has."""
    numbers = FAMILIES[space].quantities
    offered = (*numbers.rather, numbers.best, *numbers.next_best)
    return next((one for one in offered if any(quantity_of(r, one[0])[0] is not None for r in results if r)),
                numbers.best)


def offered_quantities(space, results=()):
    """The quantities of a kind of campaign with their words: forces in the unit that its results have."""
    numbers = FAMILIES[space].quantities
    offered = {
        key: words
        for key, words in numbers.words.items()
        if key not in numbers.rare or any(quantity_of(result, key)[0] is not None for result in results)
    }
    if not numbers.own_unit:
        return offered
    unit = next((r["forces"].get("unit", "N") for r in results if r), "N")
    return {key: (label.replace("the sheet's unit", unit), *rest) for key, (label, *rest) in offered.items()}


@dataclass(frozen=True)
class Difference:
    """A value less another.

    Attributes
    ----------
    value : float
    bar : float or None
        Its error bar; None where nothing is known.
    base : float
        What it was taken from.
    """

    value: float
    bar: float | None
    base: float

    @property
    def share(self):
        """In per cent of the base, or None where that is nothing."""
        return 100 * self.value / abs(self.base) if abs(self.base) > 1e-12 else None

    @property
    def clear(self):
        """Whether it exceeds its error bar."""
        return abs(self.value) > (self.bar or 0.0)


def difference(value, base, error=None, base_error=None, paired=None):
    """`Difference` of two values, or None where one is missing.

    The bar is that of both values together, or `paired` where the levels' own differences give a smaller one.
    """
    if value is None or base is None:
        return None
    bar = math.hypot(error or 0.0, base_error or 0.0)
    if paired is not None:
        bar = min(bar, paired) if error is not None and base_error is not None else paired
    return Difference(value - base, bar if bar > 0 else None, base)


def difference_of(result, base, key):
    """`Difference` of a number of two results, or None where one has none."""
    value, error = quantity_of(result, key)
    base_value, base_error = quantity_of(base, key)
    return difference(value, base_value, error, base_error, paired_error(result, base, key))


def paired_error(result, base, key):
    """Error bar of the difference of two runs from its own trend over three levels, or None; of what repeats
    from what both levels say of it.

    What the grid does to both runs alike falls out of their difference.
    """
    if not result or not base:
        return None
    cycles = [(r.get("unsteady") or {}).get("cycle") for r in (result, base)]
    if all(cycles):
        return _of_cycles(*cycles, key)
    levels = [[(level["level"], _of_level(r, level["coefficients"], key)) for level in r["levels"]]
              for r in (result, base)]
    return difference_error(*levels, is_spatial(result), min(level_ratio(r) for r in (result, base)))


def _of_cycles(one, other, key):
    """Error bar of the difference of a mean or swing of two runs' cycles: how much it is another on the
    coarser level, and what the last cycles still changed; None where they were not followed alike."""
    name, number = (key.removesuffix("_swing"), "amplitude") if key.endswith("_swing") else (key, "mean")
    found = [(cycle["channels"].get(name), cycle["coarser"].get(name)) for cycle in (one, other)]
    if one["steps"] != other["steps"] or not all(here and coarse for here, coarse in found):
        return None
    by_grid = [here[number] - coarse[number] for here, coarse in found]
    turns = [here[f"{number}_change"] or 0.0 for here, _ in found]
    return math.hypot(by_grid[0] - by_grid[1], *turns)


def bars_by_level(result, key):
    """What a climb's error bar of a number was on each of its levels: {level: share of the value, or None
    where one level alone gives none}; nothing of what has no trend over levels."""
    levels = [(level["level"], _of_level(result, level["coefficients"], key)) for level in result["levels"]]
    if result.get("unsteady") or any(not isinstance(v, float) for _, v in levels):
        return {}
    out, whole = {}, quantity_of(result, key)[1]
    for count, (name, value) in enumerate(levels, 1):
        error = grid_trend([v for _, v in levels[:count]], is_spatial(result), level_ratio(result)).error
        error = whole if count == len(levels) else error
        out[name] = None if error is None or not value else abs(error / value)
    return out


def _of_level(result, coefficients, key):
    """A number on one level of a result; None where a level does not have it."""
    if key in coefficients:
        return coefficients[key]
    name = {"drag_area": "drag", "drag_force": "drag", "lift_force": "lift"}.get(key)
    if name is not None:
        value, whole = coefficients.get(name), result["coefficients"].get(name)
        if not isinstance(value, float) or not whole:
            return None
        total = result["shape"]["area"] * whole if key == "drag_area" else result["forces"][name]
        return value * total / whole
    if key == "glide":
        key = "lift / drag"
    if key.isidentifier():
        return None
    names, function = _expression(key)
    if names is None:
        return None
    values = {n: _of_level(result, coefficients, n) for n in names}
    return None if any(not isinstance(v, (int, float)) for v in values.values()) else function(values)
