"""What a body looks like from a side: outlines of its shadow, and its sharp edges."""
import numpy as np
from contourpy import contour_generator
from numba import njit

from ..shapes.chords import chord, from_below

PIXELS = 360
FINER = 4
# Which coordinates run to the right and up in each view.
VIEWS = {"side": (0, 2), "front": (1, 2), "top": (0, 1)}


def side_view(surface):
    """Outlines of the whole body from the left side, as loops in its own coordinates."""
    return silhouette(surface.corners, "side")


def silhouette(corners, view="side", pixels=PIXELS):
    """Outlines of the shadow of triangles.

    Parameters
    ----------
    corners : ndarray, shape (n, 3, 3)
    view : a key of `VIEWS`

    Returns
    -------
    list of ndarray, shape (k, 2)
        Closed loops, holes among them; within a pixel, of which the longer side has `pixels`.
    """
    flat = corners[:, :, VIEWS[view]]
    low, high = flat.min(axis=(0, 1)), flat.max(axis=(0, 1))
    # Drawn finer and averaged, so that slanting outlines are not stairs.
    step = max(float((high - low).max()), 1e-9) / (pixels * FINER)
    shape = (np.ceil((high - low) / step / FINER).astype(int) + 3) * FINER
    shadow = np.zeros((int(shape[1]), int(shape[0])))
    _paint((flat - low) / step + FINER, shadow)
    shadow = shadow.reshape(shape[1] // FINER, FINER, shape[0] // FINER, FINER).mean(axis=(1, 3))
    lines = contour_generator(z=shadow).lines(0.5)
    # The middle of an averaged pixel lies half of it further on.
    return [low + ((line + 0.5) * FINER - 0.5 - FINER) * step for line in lines if len(line) > 5]


def section_across(corners, y):
    """Outlines of what a plane across y cuts out of closed triangles, as loops in x and z.

    Parameters
    ----------
    corners : ndarray, shape (n, 3, 3)
    y : float

    Returns
    -------
    list of ndarray, shape (k, 2)
        Without holes; empty where the plane passes the body by.
    """
    import shapely
    start, end = corners, np.roll(corners, -1, axis=1)
    below, above = start[..., 1] - y, end[..., 1] - y
    crossed = (below < 0) != (above < 0)
    triangle = crossed.sum(axis=1) == 2
    share = np.where(crossed, below / np.where(crossed, below - above, 1.0), 0.0)[..., None]
    points = (start + share * (end - start))[triangle][crossed[triangle]][:, ::2].reshape(-1, 2, 2)
    # Neighbours share their ends to the last digit but one.
    lines = shapely.linestrings(np.round(points, 12))
    return [np.asarray(piece.exterior.coords) for piece in shapely.polygonize(lines).geoms]


@njit(cache=True)
def _paint(triangles, shadow):
    """Set the pixels within triangles, and along the edges of those that are thinner than two, so that plates
    seen from their side are there too; corners in pixels, shape (n, 3, 2)."""
    for t in range(len(triangles)):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        bottom, top = min(a[1], b[1], c[1]), max(a[1], b[1], c[1])
        if top > bottom:
            sides = from_below(a, b, c)
            for row in range(int(np.ceil(bottom)), int(np.floor(top)) + 1):
                left, right = chord(sides, float(row))
                for k in range(int(np.ceil(left)), int(np.floor(right)) + 1):
                    shadow[row, k] = 1.0
        twice_area = abs((b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1]))
        longest = max(np.hypot(b[0] - a[0], b[1] - a[1]), np.hypot(c[0] - b[0], c[1] - b[1]),
                      np.hypot(a[0] - c[0], a[1] - c[1]))
        if twice_area > 2.0 * longest:
            continue
        for p, q in ((a, b), (b, c), (c, a)):
            steps = int(np.ceil(max(abs(q[0] - p[0]), abs(q[1] - p[1])))) + 1
            for k in range(steps + 1):
                shadow[int(np.round(p[1] + k / steps * (q[1] - p[1]))),
                       int(np.round(p[0] + k / steps * (q[0] - p[0])))] = 1.0


def edges(surface, view="side", most=4000):
    """Sharp edges as segments in a view, the longest first, shape (k, 2, 2)."""
    segments = surface.sharp_edges()
    if len(segments) > most:
        length = np.linalg.norm(segments[:, 1] - segments[:, 0], axis=1)
        segments = segments[np.argsort(length)[::-1][:most]]
    return segments[:, :, VIEWS[view]]
