"""Charts of a report, drawn by the server."""
import math

import numpy as np
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure
from matplotlib.patches import Polygon
from matplotlib.ticker import LogLocator, MaxNLocator

from ..look.picture import INK, LINES, SPRUCE, png_bytes

AMBER, PALE = "#C77700", "#5B676B"
# One after another, told apart by dashes and marks as well as by colour.
TONES = (SPRUCE, AMBER, "#3E6C96", "#8A4B60", PALE)
DASHES = ("-", "--", "-.", ":", (0, (6, 2, 1, 2, 1, 2)))
MARKS = ("o", "s", "^", "D", "v")
MOST_LEGEND = 30


def _chart(width=7.2, height=2.7, axes=1):
    figure = Figure(figsize=(width, height), facecolor="white", layout="constrained")
    FigureCanvasAgg(figure)
    made = figure.subplots(1, axes, squeeze=False)[0]
    for ax in made:
        for name, spine in ax.spines.items():
            spine.set_visible(name in ("left", "bottom"))
            spine.set_color(LINES)
        ax.tick_params(labelsize=7.5, colors=INK)
        ax.grid(color=LINES, lw=0.4)
        ax.xaxis.label.set_size(8)
        ax.yaxis.label.set_size(8)
    return figure, made


def history_chart(history, channels):
    """Residual and channels over the steps, levels marked by lines across: PNG, or None without history.

    Parameters
    ----------
    history : list of dict
    channels : dict of str to str
        Keys and what they are called; the first two that are there are drawn.
    """
    there = [k for k in channels if any(isinstance(h.get(k), (int, float)) for h in history)][:2]
    residual = [h.get("residual") for h in history]
    drawn = (["residual"] if any(isinstance(r, (int, float)) and r > 0 for r in residual) else []) + there
    if len(history) < 2 or not drawn:
        return None
    figure, axes = _chart(axes=len(drawn), height=2.2)
    steps = [h.get("step", n) for n, h in enumerate(history)]
    ends = [s for s, one, two in zip(steps[1:], history, history[1:]) if one.get("level") != two.get("level")]
    for ax, key in zip(axes, drawn):
        values = np.array([h.get(key) if isinstance(h.get(key), (int, float)) else np.nan for h in history])
        if key == "residual":
            ax.semilogy(steps, np.where(values > 0, values, np.nan), color=INK, lw=1.0)
            ax.yaxis.set_major_locator(LogLocator(numticks=6))
            ax.set_ylabel("residual over that of the start")
        else:
            ax.plot(steps, values, color=SPRUCE, lw=1.1)
            settled = values[len(values) // 4:]
            if np.isfinite(settled).any():
                low, high = np.nanpercentile(settled, [1, 99])
                pad = 0.25 * max(high - low, 0.02 * max(abs(high), abs(low)), 1e-9)
                ax.set_ylim(low - pad, high + pad)
            ax.set_ylabel(channels[key])
        for end in ends:
            ax.axvline(end, color=PALE, lw=0.6, ls=":")
        ax.set_xlabel("step")
        ax.xaxis.set_major_locator(MaxNLocator(5, integer=True))
    return png_bytes(figure, 160)


def standing_chart(names, values, label, reference=None, marked=None):
    """A value with its error bar for each variant and operating point, one below another: PNG.

    Parameters
    ----------
    names : list of str
    values : list of dict of str to (float, float or None)
        For every variant its points by name.
    reference : (float, float or None) or None
    marked : str or None
        The variant that leads.
    """
    points = list(dict.fromkeys(p for v in values for p in v))
    figure, (ax, ) = _chart(height=0.9 + 0.3 * len(names) * min(max(len(points), 1), 3)**0.5)
    for k, point in enumerate(points):
        at = [(n + 0.5 * (k - 0.5 * (len(points) - 1)) / max(len(points), 2), v[point])
              for n, v in enumerate(values) if point in v]
        where, found = [a for a, _ in at], [v for _, v in at]
        ax.errorbar([v for v, _ in found], where, xerr=[e or 0.0 for _, e in found], fmt=MARKS[k % 5], ms=4.5,
                    color=TONES[k % 5], ecolor=TONES[k % 5], elinewidth=1.1, capsize=2.5,
                    label=point if len(points) > 1 else None)
    if reference:
        ax.axvline(reference[0], color=INK, lw=0.9, ls="--")
        if reference[1]:
            ax.axvspan(reference[0] - reference[1], reference[0] + reference[1], color=LINES, alpha=0.5, lw=0)
    ax.set_yticks(range(len(names)), [f"{n}  ★" if n == marked else n for n in names])
    ax.set_ylim(len(names) - 0.4, -0.6)
    ax.set_xlabel(label)
    if len(points) > 1:
        ax.legend(fontsize=7, frameon=False, loc="center left", bbox_to_anchor=(1.0, 0.5))
    return png_bytes(figure, 160)


def curves_chart(curves, x_label, y_label, upside_down=False):
    """Curves on one chart, measured ones as marks: PNG, or None where there are none.

    Parameters
    ----------
    curves : list of dict
        ``name`` (None to stand in no legend), ``x``, ``y``; ``measured`` (with ``error``, or None)
        for measured data; ``like`` the number of the curve whose tone it shares.
    """
    if not curves:
        return None
    figure, (ax, ) = _chart(height=3.1)
    for k, curve in enumerate(curves):
        tone = curve.get("like", k) % 5
        if curve.get("measured"):
            ax.errorbar(curve["x"], curve["y"], yerr=curve.get("error"), fmt=MARKS[tone], ms=4, mfc="white",
                        color=INK, elinewidth=0.8, capsize=2, label=curve["name"][:MOST_LEGEND])
        else:
            ax.plot(curve["x"], curve["y"], color=TONES[tone], ls=DASHES[tone], lw=1.2, label=curve["name"])
    if upside_down:
        ax.invert_yaxis()
    ax.set_xlabel(x_label)
    ax.set_ylabel(y_label)
    ax.legend(fontsize=7, frameon=False)
    return png_bytes(figure, 160)


def outlines_chart(shapes):
    """Outlines of the variants with their names, a row of four at most: PNG, or None where none can be built.

    Parameters
    ----------
    shapes : list of (str, list of ndarray or None)
    """
    shapes = [(name, loops) for name, loops in shapes if loops]
    if not shapes:
        return None
    across = min(len(shapes), 3)
    rows = math.ceil(len(shapes) / across)
    points = [np.concatenate(loops) for _, loops in shapes]
    wide, tall = (max(float(np.ptp(p[:, k])) for p in points) for k in (0, 1))
    height = 7.2 / across * min(max(tall / max(wide, 1e-9), 0.18), 1.0) + 0.25
    figure = Figure(figsize=(7.2, rows * height), facecolor="white", layout="constrained")
    FigureCanvasAgg(figure)
    axes = figure.subplots(rows, across, squeeze=False).ravel()
    for ax in axes:
        ax.axis("off")
    for ax, (name, loops) in zip(axes, shapes):
        for loop in loops:
            ax.add_patch(Polygon(loop, closed=True, facecolor="#E2DDCF", edgecolor=INK, lw=0.8))
        ax.set_aspect("equal")
        ax.autoscale_view()
        ax.set_title(name, fontsize=8, color=INK)
    return png_bytes(figure, 160)
