"""How values are written on pages: numbers with error bars, states, differences."""
import functools
import numbers
from pathlib import Path

import numpy as np
from flask import g, has_request_context
from markupsafe import Markup

from ..core import units
from ..core.display import Display
from ..core.instruments.sections import AVERAGES
from ..core.study.comparison import is_doubtful
from ..core.study.cycles import MOVES, ahead_of, off_coarser, told_of_cycle
from ..core.study.kinds.registry import FAMILIES
from ..core.study.naming import channel_words
from ..core.units import fixed, fixed_error
from .kinds.registry import SHOWN

# Units that are written shorter beside a field.
FIELD_UNITS = {"J/(kg*K)": "J/kgK", "kg/(m*s)": "kg/ms"}
STATE_WORDS = {
    "waiting": "waiting", "gridding": "gridding", "running": "running", "paused": "paused",
    "settled": "settled", "stopped": "stopped", "failed": "failed"
}


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
    return Markup(f'<span class="err">{fixed_error(error, decimals)}</span>')


def quantity(value, unit="", digits=4):
    """A number with its unit in a lighter tone."""
    if not isinstance(value, numbers.Real):
        return Markup("–")
    display = g.get("display") if has_request_context() else None
    if display and display.of(unit) != unit:
        value, unit = units.convert(value, unit, display.of(unit)), display.of(unit)
    text = units.show(float(value), "", digits).replace("-", "−")
    return Markup('<span class="num">{}</span>{}').format(
        text,
        Markup(' <span class="unit">{}</span>').format(pretty(unit)) if unit else "")


def nth(number):
    """1st, 2nd, 3rd, 4th, ..."""
    ends = {1: "st", 2: "nd", 3: "rd"}
    return f"{number}{'th' if number % 100 in (11, 12, 13) else ends.get(number % 10, 'th')}"


def pretty(unit):
    """A unit as people write it."""
    return units.PRETTY.get(unit, unit)


def unit_beside(unit):
    """A unit as it stands beside a field."""
    return FIELD_UNITS.get(unit, pretty(unit))


def field_shown(path, meta, value):
    """(text, unit) of a number's field in the form, in the campaign's units."""
    display = g.get("display") or Display()
    unit = display.unit(path, meta["unit"])
    return display.shown(path, meta["unit"], value), unit_beside(unit)


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
    app.jinja_env.globals.update(icon=icon, ahead_of=ahead_of, moves=MOVES, off_coarser=off_coarser,
                                 told_of_cycle=told_of_cycle,
                                 outline_svg=outline_svg, shown=SHOWN, pretty=pretty,
                                 field_shown=field_shown,
                                 numbers={space: kind.quantities
                                          for space, kind in FAMILIES.items()}, state_words=STATE_WORDS,
                                 interval_of=_interval, condition_of=_condition)
    app.jinja_env.filters.update(fixed=fixed, nth=nth, channel_words=channel_words, is_doubtful=is_doubtful,
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
