"""Small pictures of the flow round a body, drawn by the server."""
import io

import numpy as np
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.collections import PolyCollection
from matplotlib.figure import Figure
from shapely import get_coordinates, linestrings, polygonize
from trimesh import Trimesh
from trimesh.intersections import mesh_plane

from .colours import SEQUENTIAL, colour_map
from .silhouette import silhouette

INK, PAPER, BODY = "#1B2A2F", "#F7F5F0", "#E2DDCF"


def _window(field, drawn, ratio):
    """(middle of the body, its size, left, bottom, width) of a view of its middle plane."""
    low, high = drawn.points.min(axis=0), drawn.points.max(axis=0)
    size, middle = high - low, 0.5 * (low + high)
    wide = max(1.75 * size[0], 1.7 * size[2] * ratio)
    left = middle[0] - 0.42 * wide
    bottom = middle[2] - 0.5 * wide / ratio
    bottom = max(bottom, field.box[0, 2]) if low[2] - field.box[0, 2] < 0.5 * size.max() else bottom
    return middle, size, left, bottom, wide


def body_grid_picture(field, drawn, width=9.0, ratio=2.37):
    """The cells that the plane through the body's middle cuts, and the body, as PNG; cells of wall layers are
    not in the stored field and are not drawn."""
    middle, size, left, bottom, wide = _window(field, drawn, ratio)
    at, tree = middle[1] + 1e-6 * size.max(), field.tree
    low = tree.low + tree.corner * tree.step
    side = tree.width * tree.step
    cut = (low[:, 1] <= at) & (low[:, 1] + side > at) & (field.leaf_cell >= 0)
    x, z, s = low[cut, 0], low[cut, 2], side[cut]
    seen = (x + s > left) & (x < left + wide) & (z + s > bottom) & (z < bottom + wide / ratio)
    corners = np.array([(0, 0), (1, 0), (1, 1), (0, 1)])
    squares = np.stack([x, z], axis=1)[seen, None] + s[seen, None, None] * corners
    figure, axes = _bare(width, ratio)
    axes.add_collection(PolyCollection(squares, facecolors="none", edgecolors=INK, linewidths=0.25))
    return _with_body(figure, axes, drawn, at, (left, left + wide, bottom, bottom + wide / ratio))


def _bare(width, ratio):
    """A figure all of which is one picture, and its axes."""
    figure = Figure(figsize=(width, width / ratio), facecolor=PAPER)
    return figure, figure.add_axes((0, 0, 1, 1))


def _with_body(figure, axes, drawn, at, box):
    """The picture as PNG once the body is drawn over it where the plane across y cuts it, and its outline."""
    for polygon in _section(drawn, at):
        axes.fill(*polygon.T, color=BODY, zorder=2)
    for loop in silhouette(drawn.points[drawn.triangles]):
        axes.plot(*loop.T, color=INK, linewidth=0.8, zorder=3)
    axes.set_xlim(*box[:2])
    axes.set_ylim(*box[2:])
    axes.axis("off")
    out = io.BytesIO()
    FigureCanvasAgg(figure).print_png(out)
    return out.getvalue()


def body_thumbnail(field, drawn, width=4.0, ratio=2.37):
    """The speed on the plane through the body's middle, the body where the plane cuts it, and its outline, as
    PNG."""
    middle, size, left, bottom, wide = _window(field, drawn, ratio)
    x, z = np.linspace(left, left + wide, 800), np.linspace(bottom, bottom + wide / ratio, 338)
    xx, zz = np.meshgrid(x, z)
    points = np.stack([xx.ravel(), np.full(xx.size, middle[1] + 1e-6 * size.max()), zz.ravel()], axis=1)
    speed = field.sample(points, ("speed", ))[:, 0].reshape(xx.shape) / field.air.speed
    figure, axes = _bare(width, ratio)
    axes.imshow(speed, origin="lower", extent=(x[0], x[-1], z[0], z[-1]), cmap=colour_map(SEQUENTIAL), vmin=0,
                vmax=1.35, interpolation="nearest", aspect="auto", zorder=1)
    return _with_body(figure, axes, drawn, middle[1] + 1e-6 * size.max(), (x[0], x[-1], z[0], z[-1]))


def _section(drawn, y):
    """Polygons in which the plane across y cuts the body."""
    segments = mesh_plane(Trimesh(drawn.points, drawn.triangles, process=False), (0.0, 1.0, 0.0),
                          (0.0, y, 0.0))
    if not len(segments):
        return []
    # Ends that meet must be the same numbers.
    flat = np.round(segments[:, :, [0, 2]], 9)
    return [get_coordinates(polygon) for polygon in polygonize(linestrings(flat)).geoms]
