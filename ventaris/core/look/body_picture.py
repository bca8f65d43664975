"""Small pictures of the flow round a body, drawn by the server."""
import io

import numpy as np
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure
from shapely import get_coordinates, linestrings, polygonize
from trimesh import Trimesh
from trimesh.intersections import mesh_plane

from .colours import SEQUENTIAL, colour_map
from .silhouette import silhouette

INK, PAPER, BODY = "#1B2A2F", "#F7F5F0", "#E2DDCF"


def body_thumbnail(field, drawn, width=4.0, ratio=2.37):
    """The speed on the plane through the body's middle, the body where the plane cuts it, and its outline, as
    PNG."""
    low, high = drawn.points.min(axis=0), drawn.points.max(axis=0)
    size, middle = high - low, 0.5 * (low + high)
    wide = max(1.75 * size[0], 1.7 * size[2] * ratio)
    left = middle[0] - 0.42 * wide
    bottom = middle[2] - 0.5 * wide / ratio
    bottom = max(bottom, field.box[0, 2]) if low[2] - field.box[0, 2] < 0.5 * size.max() else bottom
    x, z = np.linspace(left, left + wide, 800), np.linspace(bottom, bottom + wide / ratio, 338)
    xx, zz = np.meshgrid(x, z)
    points = np.stack([xx.ravel(), np.full(xx.size, middle[1] + 1e-6 * size.max()), zz.ravel()], axis=1)
    speed = field.sample(points, ("speed", ))[:, 0].reshape(xx.shape) / field.air.speed
    figure = Figure(figsize=(width, width / ratio), facecolor=PAPER)
    axes = figure.add_axes((0, 0, 1, 1))
    axes.imshow(speed, origin="lower", extent=(x[0], x[-1], z[0], z[-1]), cmap=colour_map(SEQUENTIAL), vmin=0,
                vmax=1.35, interpolation="nearest", aspect="auto", zorder=1)
    for polygon in _section(drawn, middle[1] + 1e-6 * size.max()):
        axes.fill(*polygon.T, color=BODY, zorder=2)
    for loop in silhouette(drawn.points[drawn.triangles]):
        axes.plot(*loop.T, color=INK, linewidth=0.8, zorder=3)
    axes.set_xlim(x[0], x[-1])
    axes.set_ylim(z[0], z[-1])
    axes.axis("off")
    out = io.BytesIO()
    FigureCanvasAgg(figure).print_png(out)
    return out.getvalue()


def _section(drawn, y):
    """Polygons in which the plane across y cuts the body."""
    segments = mesh_plane(Trimesh(drawn.points, drawn.triangles, process=False), (0.0, 1.0, 0.0),
                          (0.0, y, 0.0))
    if not len(segments):
        return []
    # Ends that meet must be the same numbers.
    flat = np.round(segments[:, :, [0, 2]], 9)
    return [get_coordinates(polygon) for polygon in polygonize(linestrings(flat)).geoms]
