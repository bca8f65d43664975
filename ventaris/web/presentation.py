"""How values are written on pages: numbers with error bars, states, differences."""
import functools
import math
import numbers
from pathlib import Path

import numpy as np
from markupsafe import Markup

from ..core import units
from ..core.instruments.sections import AVERAGES
from ..core.study.cycles import ahead_words, off_coarser
from ..core.study.kinds.registry import is_spatial
from ..core.study.trend import difference_error, level_ratio
from ..core.study.verdict import wide_bars
from .kinds.registry import SHOWN, shown_of

STATE_WORDS = {
    "waiting": "waiting", "gridding": "gridding", "running": "running", "paused": "paused",
    "settled": "settled", "stopped": "stopped", "failed": "failed"
}


def quantity_of(result, key):
    """(value, error) of a matrix quantity; None where the result has none."""
    if not result:
        return None, None
    trends = result["trends"]
    if key in trends:
        return result["coefficients"][key], trends[key]["error"]
    return shown_of(result).other(result, key)


def reference_of(result):
    """Square metres that a result's coefficients refer to; None where there are none."""
    return shown_of(result).reference(result) if result else None


def references_differ(results):
    """(least, largest) reference area of results when they are not the same, else None: coefficients then say
    little about forces."""
    found = [area for area in map(reference_of, results) if area]
    return (min(found), max(found)) if found and max(found) > 1.001 * min(found) else None


def fair_quantity(space, results):
    """The quantity by which variants are ranked: of drags the coefficient on one reference area, the drag
    area or the force where each has its own."""
    shown = SHOWN[space]
    if shown.fair and references_differ(results) is not None:
        return shown.fair
    return ranked_by(space, results)[0]


def ranked_by(space, results):
    """(key, sign) of the first quantity in the kind's order that any of the results has."""
    shown = SHOWN[space]
    offered = (*shown.rather, shown.best, *shown.next_best)
    return next((one for one in offered if any(quantity_of(r, one[0])[0] is not None for r in results if r)),
                shown.best)


def is_doubtful(result):
    """Whether a settled result has an error bar so wide that its number says little; told of results of
    earlier versions too."""
    if not result or not result["verdict"]["settled"]:
        return False
    if "doubtful" in result["verdict"]:
        return bool(result["verdict"]["doubtful"])
    return wide_bars(result["trends"], shown_of(result).floors)[1]


def offered_quantities(space, results=()):
    """The quantities of a kind of campaign with their labels: forces in the unit that its results have."""
    shown = SHOWN[space]
    offered = {
        key: words
        for key, words in shown.quantities.items()
        if key not in shown.rare or any(quantity_of(result, key)[0] is not None for result in results)
    }
    if not SHOWN[space].own_unit:
        return offered
    unit = next((r["forces"].get("unit", "N") for r in results if r), "N")
    return {key: (label.replace("the sheet's unit", unit), *rest) for key, (label, *rest) in offered.items()}


# What channels are called on pages, by the whole of their names or by how they begin.
CHANNEL_WORDS = {
    "drag_pressure": "Drag from pressure, CD", "drag_friction": "Drag from friction, CD", "drag_openings":
    "Drag from what passes openings, CD", "drag_induced": "Induced drag, CD", "drag_lost":
    "Drag lost to friction and cells, CD", "lift_pressure": "Lift from pressure, CL", "side":
    "Side force coefficient CY", "roll": "Rolling moment coefficient", "turn": "Yawing moment coefficient",
    "courant": "Courant number", "exit_back_flow": "Share of the exit through which air comes back",
    "exit_p_total_least": "Least total pressure at the exit, Pa", "lift_without_slots":
    "Lift without the slots, CL", "drag_without_slots": "Drag without the slots, CD", "angle": "Angle, °",
    "height": "Heave, c", "gust": "Gust, of U", "slot_mass_flow": "Mass flow of the slots, of ρ U c",
    "plate_shock_ahead": "Mach number ahead of the plate's shock", "mach_disc_ahead":
    "Mach number ahead of the Mach disc"
}
CHANNEL_STARTS = (("cp_", "Cp at {}"), ("p_", "Pressure at {}, Pa"), ("drag_", "Drag of {}, CD"),
                  ("lift_", "Lift of {}, CL"), ("mass_flow_", "Mass flow of {}, kg/s"), ("heat_",
                                                                                         "Heat of {}, W"))
CHANNEL_ENDS = (("_mach", "Mach number at {}"), ("_p_total", "Total pressure at {}, Pa"),
                ("_p", "Pressure at {}, Pa"), ("_t_total", "Total temperature at {}, K"),
                ("_t", "Temperature at {}, K"), ("_mass_flow", "Mass flow at {}, kg/s"))


def channel_words(name):
    """A channel's name as a person reads it."""
    for shown in SHOWN.values():
        if name in shown.quantities:
            return shown.quantities[name][0]
    if name in CHANNEL_WORDS:
        return CHANNEL_WORDS[name]
    tail = next((f", mean by {way}"
                 for way in ("mass", "area") if name.endswith(f"_{way}") and name != f"_{way}"), "")
    bare = name.removesuffix("_mass").removesuffix("_area") if tail else name
    for start, words in CHANNEL_STARTS:
        if bare.startswith(start) and not tail:
            return words.format(bare.removeprefix(start).replace("_", " "))
    for end, words in CHANNEL_ENDS:
        if bare.endswith(end) and len(bare) > len(end):
            return words.format(bare.removesuffix(end).replace("_", " ")) + tail
    return name


def fixed(value, decimals=4):
    """A number with a true minus sign."""
    if not isinstance(value, numbers.Real) or not math.isfinite(value):
        return "–"
    text = f"{value:.{decimals}f}"
    if float(text) == 0:
        text = text.lstrip("-")
    return text.replace("-", "−")


def section_means(coefficients):
    """The means over a nozzle's cross-sections: [(place, [("mass", {quantity: value}), ("area", {...})])].

    Runs of earlier versions have one mean of each quantity only: theirs stand in the row it belongs to.
    """
    out = []
    for place in (name[:-len("_p_total")] for name in coefficients if name.endswith("_p_total")):
        rows = {"mass": {}, "area": {}}
        for what, (bare, other) in AVERAGES.items():
            rows[bare][what] = coefficients[f"{place}_{what}"]
            rows[other][what] = coefficients.get(f"{place}_{what}_{other}")
        out.append((place, [("mass", rows["mass"]), ("area", rows["area"])]))
    return out


def with_error(value, error, decimals=4):
    """Value and error bar as markup, in the same number of digits."""
    if value is None:
        return Markup("–")
    # Digits need no escaping, which costs as much as the rest of a matrix.
    space = "" if error is None else " "
    return Markup(f'<span class="num">{fixed(value, decimals)}</span>{space}{error_bar(error, decimals)}')


def error_bar(error, decimals=4):
    """The error bar alone as markup; nothing where none is known."""
    if error is None:
        return Markup("")
    small = 0 < error < 0.5 * 10.0**-decimals
    under, shown = ("under ", 10.0**-decimals) if small else ("", error)
    return Markup(f'<span class="err">± {under}{fixed(shown, decimals)}</span>')


def quantity(value, unit="", digits=4):
    """A number with its unit in a lighter tone."""
    if not isinstance(value, numbers.Real):
        return Markup("–")
    text = units.show(float(value), "", digits).replace("-", "−")
    return Markup('<span class="num">{}</span>{}').format(
        text,
        Markup(' <span class="unit">{}</span>').format(units.PRETTY.get(unit, unit)) if unit else "")


def difference(value, base, error=None, base_error=None, paired=None):
    """Difference from the baseline: {"value", "share", "clear", "bar"}; `clear` when it exceeds its error
    bar.

    The bar is that of both values together, or `paired` where the levels' own differences give a smaller one.
    """
    if value is None or base is None:
        return None
    delta = value - base
    bar = math.hypot(error or 0.0, base_error or 0.0)
    if paired is not None:
        bar = min(bar, paired)
    return {
        "value": delta, "share": 100 * delta / abs(base) if abs(base) > 1e-12 else None, "clear": abs(delta)
        > bar, "bar": bar if bar > 0 else None
    }


def paired_error(result, base, key):
    """Error bar of the difference of two runs from its own trend over three levels, or None.

    What the grid does to both runs alike falls out of their difference.
    """
    if not result or not base:
        return None
    levels = [[(level["level"], _of_level(r, level["coefficients"], key)) for level in r["levels"]]
              for r in (result, base)]
    return difference_error(*levels, is_spatial(result), min(level_ratio(r) for r in (result, base)))


def _of_level(result, coefficients, key):
    """A quantity on one level of a result; None where a level does not have it."""
    name = {"drag_area": "drag", "drag_force": "drag", "lift_force": "lift"}.get(key)
    if name is None:
        return coefficients.get(key)
    value, whole = coefficients.get(name), result["coefficients"].get(name)
    if not isinstance(value, float) or not whole:
        return None
    total = result["shape"]["area"] * whole if key == "drag_area" else result["forces"][name]
    return value * total / whole


def duration(seconds):
    """Seconds in words that a person uses."""
    if seconds is None:
        return ""
    seconds = max(float(seconds), 0)
    if seconds < 9.5:
        return f"{seconds:.0f} s" if seconds >= 1 else "under 1 s"
    if seconds < 90:
        return f"{round(seconds / 5) * 5} s"
    if seconds < 5400:
        return f"{seconds / 60:.0f} min"
    return f"{seconds / 3600:.1f} h"


@functools.cache
def icon(name):
    """An icon of the shipped sheet."""
    return Markup(
        '<svg class="icon" aria-hidden="true"><use href="/static/vendor/icons/icons.svg#{}"></use></svg>'
    ).format(name)


def outline_svg(loops, css="outline", pad=0.04):
    """Outlines as a small inline SVG."""
    points = np.concatenate(loops)
    xs, ys = points[:, 0], points[:, 1]
    width, height = max(xs.max() - xs.min(), 1e-6), max(ys.max() - ys.min(), 1e-6)
    box = f"{xs.min() - pad:.4f} {-ys.max() - pad:.4f} {width + 2 * pad:.4f} {height + 2 * pad:.4f}"
    polygons = Markup("").join(
        Markup('<polygon points="{}"/>').format(" ".join(f"{x:.4f},{-y:.4f}" for x, y in loop))
        for loop in loops)
    return Markup(
        '<svg class="{}" viewBox="{}" preserveAspectRatio="xMidYMid meet" aria-hidden="true">{}</svg>'
    ).format(css, box, polygons)


@functools.cache
def asset_version():
    """Changes whenever a script or style changes, so that browsers fetch it anew."""
    files = [f for folder in ("css", "js") for f in (Path(__file__).parent / "static" / folder).glob("*")]
    return f"{max((f.stat().st_mtime for f in files), default=0):.0f}"


def register(app):
    """Make all of this known to the templates."""
    app.jinja_env.globals.update(icon=icon, ahead_words=ahead_words, off_coarser=off_coarser,
                                 outline_svg=outline_svg, shown=SHOWN, state_words=STATE_WORDS,
                                 interval_of=_interval, condition_of=_condition)
    app.jinja_env.filters.update(fixed=fixed, channel_words=channel_words, is_doubtful=is_doubtful,
                                 section_means=section_means, with_error=with_error, error_bar=error_bar,
                                 quantity=quantity, duration=duration)


def _interval(meta):
    from ..core.sheet.fields import interval_words
    return interval_words(meta)


def condition_words(alternatives):
    """When the form shows something, as the page's script reads it: a=x|y&b=z;c=w."""
    return ";".join("&".join(f"{name}={'|'.join(allowed)}" for name, allowed in one.items())
                    for one in alternatives)


def _condition(section, meta):
    from ..core.sheet.fields import shown_when
    return condition_words(shown_when(section, meta))
