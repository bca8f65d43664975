"""Pictures drawn by the server: thumbnails, exports, and the pictures of a report."""
import io

import numpy as np
from matplotlib import font_manager, rcParams
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.backends.backend_svg import FigureCanvasSVG
from matplotlib.collections import LineCollection
from matplotlib.figure import Figure
from matplotlib.tri import Triangulation

from .colours import BANDS, colour_map, map_for
from .drawable import default_range
from .fields import QUANTITIES
from .plane_lines import POINTS_PER_PIXEL, PlaneLines, draw_lines

PAPER, INK, LINES, SPRUCE, BRICK = "#F7F5F0", "#1B2A2F", "#D5D0C4", "#0E4B45", "#A63D2F"
THUMBNAIL_BOX = (-0.35, 1.45, -0.5, 0.5)
DEFAULT_BOX = (-0.45, 1.75, -0.75, 0.75)


def use_face(path):
    """Let server-drawn pictures use a TrueType face, for example the one of the pages."""
    font_manager.fontManager.addfont(path)
    # Signs that it lacks come from the face that Matplotlib brings.
    rcParams["font.family"] = [font_manager.FontProperties(fname=path).get_name(), "DejaVu Sans"]


def _figure(width, height, box, bare=False):
    figure = Figure(figsize=(width, height), facecolor=PAPER if not bare else "none")
    axes = figure.add_axes((0, 0.0 if bare else 0.13, 1, 1 if bare else 0.87))
    axes.set_xlim(box[0], box[1])
    axes.set_ylim(box[2], box[3])
    axes.set_aspect("equal", adjustable="datalim" if bare else "box")
    axes.axis("off")
    return figure, axes


def field_picture(picture, key, form="png", box=DEFAULT_BOX, span=None, map_name=None, banded=True,
                  isolines=False, sonic=True, lines=PlaneLines(), width=9.0, title="", bare=False,
                  reversed_flow=False, cells=False, paths=()):
    """Draw a field.

    Parameters
    ----------
    picture : Drawable
    key : str
        A key of `QUANTITIES`.
    form : {"png", "svg"}
    box : (left, right, bottom, top) in chords
    span : (low, high) or None
    banded, isolines, sonic : bool
    lines : PlaneLines
        Streamlines and arrows over it.
    bare : bool
        Without the legend, for thumbnails.
    reversed_flow : bool
        Marks where the flow runs against the stream.
    cells : bool
        Draws the grid over the field.
    paths : sequence of ndarray, shape (k, 2)
        Further lines, in ink: streaklines of the moment.

    Returns
    -------
    bytes
    """
    quantity = QUANTITIES[key]
    low, high = span or default_range(picture.values[key], key, picture.points, picture.home, picture.window)
    name = map_name or map_for(quantity)
    height = width * (box[3] - box[2]) / (box[1] - box[0]) / (1 if bare else 0.87)
    figure, axes = _figure(width, height, box, bare)
    grid = Triangulation(*picture.points.T, _near(picture, box))
    # Where a whole triangle stands at the very end of the range nothing would be filled.
    inside = 1e-6 * (high - low)
    values = np.clip(picture.values[key], low + inside, high - inside)
    # An odd number of bands keeps small noise about the neutral value inside one band.
    bands = BANDS + (BANDS % 2 == 0 and quantity.diverging)
    levels = np.linspace(low, high, (bands if banded else 96) + 1)
    colours = colour_map(name)
    axes.tricontourf(grid, values, levels, cmap=colours, extend="neither")
    if isolines:
        axes.tricontour(grid, values, levels[1:-1], colors=INK, linewidths=0.35, alpha=0.6)
    if sonic and picture.values["mach"].max() > 1:
        axes.tricontour(grid, picture.values["mach"], [1.0], colors="white", linewidths=1.6)
        axes.tricontour(grid, picture.values["mach"], [1.0], colors=INK, linewidths=0.7, linestyles="dashed")
    _marks(axes, grid, picture, box, reversed_flow, cells)
    if len(paths):
        axes.add_collection(
            LineCollection(paths, colors=INK, linewidths=POINTS_PER_PIXEL * lines.width, alpha=lines.opacity))
    if lines.any or lines.arrows:
        title += draw_lines(axes, picture, box, lines)
    for outline in picture.wall:
        axes.fill(*outline.T, facecolor=PAPER, edgecolor=INK, lw=1.0, zorder=5)
    if not bare:
        _legend(figure, colours, low, high, quantity, name, banded, title)
    return _bytes(figure, form)


def _marks(axes, grid, picture, box, reversed_flow, cells):
    """Mark where the flow runs against the stream, and draw the cells, where these are asked for."""
    if reversed_flow and picture.values["u"].min() < 0:
        u = picture.values["u"]
        axes.tricontourf(grid, u, [u.min() - 1.0, 0.0], colors=[BRICK], alpha=0.25)
        axes.tricontour(grid, u, [0.0], colors=BRICK, linewidths=0.9)
    if cells:
        axes.add_collection(
            LineCollection(_seen_edges(picture, box), colors=INK, linewidths=0.25, alpha=0.35))


def thumbnail_box(picture):
    """A window that holds the whole body, in the proportions of the small picture."""
    if picture.home:
        left, right, bottom, top = picture.home
        # Cards cut a strip off above and below here too.
        half = max(0.7 * (top - bottom), 0.28 * (right - left))
        middle, reach = 0.5 * (left + right), max(0.5 * (right - left), half / 0.56)
        return middle - reach, middle + reach, -half, half
    left, right, bottom, top = THUMBNAIL_BOX
    low, high = (f(np.concatenate(picture.wall), 0) for f in (np.min, np.max))
    # Cards cut a strip off above and below.
    grow = max(1.0, (high[1] - low[1] + 0.2) / (0.75 * (top - bottom)),
               (high[0] - low[0] + 0.4) / (right - left))
    width, height = grow * (right - left), grow * (top - bottom)
    x, y = (0.5 * (left + right), 0.5 * (bottom + top)) if grow == 1.0 else 0.5 * (low + high)
    return x - 0.5 * width, x + 0.5 * width, y - 0.5 * height, y + 0.5 * height


def thumbnail_picture(picture):
    """A small picture without a legend: the Mach number where it passes 1, else Cp."""
    key = "mach" if picture.values["mach"].max() > 1 or "cp" not in picture.values else "cp"
    return field_picture(picture, key, "png", thumbnail_box(picture), width=4.2, bare=True, sonic=False)


def _near(picture, box):
    corner = picture.points[picture.triangles]
    keep = ((corner[..., 0].max(1) > box[0]) & (corner[..., 0].min(1) < box[1])
            & (corner[..., 1].max(1) > box[2]) & (corner[..., 1].min(1) < box[3]))
    return picture.triangles[keep]


def _legend(figure, colours, low, high, quantity, name, banded, title):
    bar = figure.add_axes((0.30, 0.065, 0.40, 0.028))
    bar.imshow(
        np.linspace(0, 1, BANDS if banded else 256)[None], aspect="auto", cmap=colours,
        extent=(low, high, 0, 1))
    bar.set_yticks([])
    bar.tick_params(labelsize=8, colors=INK, length=2)
    for spine in bar.spines.values():
        spine.set_color(LINES)
    unit = f", {quantity.unit}" if quantity.unit else ""
    figure.text(0.29, 0.078, quantity.label + unit, ha="right", va="center", fontsize=9, color=INK)
    figure.text(0.71, 0.078, f"map {name}, range {low:.4g} … {high:.4g}", va="center", fontsize=8, color=INK)
    figure.text(0.02, 0.015, title, fontsize=8, color=INK)


def grid_picture(picture, box, width=9.0):
    """The cells of a plane grid in a window, as PNG.

    Parameters
    ----------
    picture : Drawable
    box : (left, right, bottom, top)
    """
    figure, axes = _figure(width, width * (box[3] - box[2]) / (box[1] - box[0]), box, bare=True)
    axes.add_collection(LineCollection(_seen_edges(picture, box), colors=INK, linewidths=0.25, alpha=0.8))
    for outline in picture.wall:
        axes.fill(*outline.T, facecolor=PAPER, edgecolor=INK, lw=0.9, zorder=5)
    return _bytes(figure, "png", 160)


def _seen_edges(picture, box):
    """Edges of cells in a window, shape (n, 2, 2)."""
    ends = picture.points[picture.edges]
    low, high = ends.min(axis=1), ends.max(axis=1)
    return ends[(high[:, 0] > box[0]) & (low[:, 0] < box[1]) & (high[:, 1] > box[2]) & (low[:, 1] < box[3])]


def png_bytes(figure, dpi=110):
    """A figure as PNG."""
    out = io.BytesIO()
    FigureCanvasAgg(figure)
    figure.savefig(out, format="png", dpi=dpi, facecolor=figure.get_facecolor())
    return out.getvalue()


def _bytes(figure, form, dpi=110):
    if form == "png":
        return png_bytes(figure, dpi)
    out = io.BytesIO()
    FigureCanvasSVG(figure).print_svg(out, metadata={"Date": None, "Creator": "Ventaris"})
    return out.getvalue()
