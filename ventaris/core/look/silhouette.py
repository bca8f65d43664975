"""What a body looks like from a side: outlines of its shadow, and its sharp edges."""
import numpy as np
from contourpy import contour_generator
from PIL import Image, ImageDraw

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
    placed = (flat - low) / step + FINER
    small = np.ptp(placed, axis=1).max(axis=1) < 1.0
    image = Image.new("1", (int(shape[0]), int(shape[1])))
    pen = ImageDraw.Draw(image)
    for triangle in placed[~small]:
        pen.polygon([tuple(p) for p in triangle], fill=1, outline=1)
    shadow = np.array(image, dtype=float)
    # Triangles within a pixel are a dot; a fine mesh has a million of them.
    dots = np.round(placed[small].reshape(-1, 2)).astype(int)
    shadow[dots[:, 1], dots[:, 0]] = 1.0
    shadow = shadow.reshape(shape[1] // FINER, FINER, shape[0] // FINER, FINER).mean(axis=(1, 3))
    lines = contour_generator(z=shadow).lines(0.5)
    # The middle of an averaged pixel lies half of it further on.
    return [low + ((line + 0.5) * FINER - 0.5 - FINER) * step for line in lines if len(line) > 5]


def edges(surface, view="side", most=4000):
    """Sharp edges as segments in a view, the longest first, shape (k, 2, 2)."""
    segments = surface.sharp_edges()
    if len(segments) > most:
        length = np.linalg.norm(segments[:, 1] - segments[:, 0], axis=1)
        segments = segments[np.argsort(length)[::-1][:most]]
    return segments[:, :, VIEWS[view]]
