"""Where a line of one height crosses a triangle in a plane."""
from numba import njit


@njit(cache=True)
def from_below(a, b, c):
    """A triangle's corners in order of height and the slopes of its sides, for `chord`.

    Parameters
    ----------
    a, b, c : ndarray, shape (2,)
        Corners, not all of one height.

    Returns
    -------
    tuple of float
        Lowest corner, middle corner, dx over dy of the long side and of the two short ones.
    """
    if b[1] < a[1]:
        a, b = b, a
    if c[1] < b[1]:
        b, c = c, b
    if b[1] < a[1]:
        a, b = b, a
    long = (c[0] - a[0]) / (c[1] - a[1])
    lower = (b[0] - a[0]) / (b[1] - a[1]) if b[1] > a[1] else 0.0
    upper = (c[0] - b[0]) / (c[1] - b[1]) if c[1] > b[1] else 0.0
    return a[0], a[1], b[0], b[1], long, lower, upper


@njit(cache=True)
def chord(sides, height):
    """Left and right end of what a line at a height, between lowest and highest corner, has within."""
    x0, y0, x1, y1, long, lower, upper = sides
    on_long = x0 + (height - y0) * long
    on_short = x0 + (height - y0) * lower if height < y1 else x1 + (height - y1) * upper
    return min(on_long, on_short), max(on_long, on_short)
