"""Lines that are computed: streamlines from a rake, and vectors on a raster."""
import numpy as np
from matplotlib.tri import LinearTriInterpolator, Triangulation


class FlowSampler:
    """Velocity, and any other field, at the points of a drawable.

    Parameters
    ----------
    picture : Drawable
    box : tuple (left, right, bottom, top)
        Only this window is searched, which keeps the set-up quick.
    """
    def __init__(self, picture, box):
        left, right, bottom, top = box
        corner = picture.points[picture.triangles]
        keep = ((corner[..., 0].max(1) > left) & (corner[..., 0].min(1) < right)
                & (corner[..., 1].max(1) > bottom) & (corner[..., 1].min(1) < top))
        triangles = picture.triangles[keep]
        used, new = np.unique(triangles, return_inverse=True)
        grid = Triangulation(*picture.points[used].T, new.reshape(-1, 3))
        finder = grid.get_trifinder()
        self._over = lambda key: LinearTriInterpolator(grid, picture.values[key][used], finder)
        self._u, self._v = self._over("u"), self._over("v")
        self.box = box

    def velocity(self, points):
        """Velocity in m/s, shape (n, 2); NaN outside."""
        return np.stack([self._u(*points.T).filled(np.nan), self._v(*points.T).filled(np.nan)], axis=1)

    def along(self, lines, key):
        """A field of the drawable at the points of lines; at points outside that of the nearest before."""
        field, out = self._over(key), []
        for line in lines:
            values = field(*line.T).filled(np.nan)
            good = np.maximum.accumulate(np.where(np.isfinite(values), np.arange(len(values)), 0))
            out.append(np.nan_to_num(values[good]))
        return out


def streamlines(sampler, seeds, step=0.012, most=900):
    """Trace streamlines both ways from seeds by the fourth-order Runge-Kutta rule.

    Parameters
    ----------
    sampler : FlowSampler
    seeds : ndarray, shape (n, 2)
    step : float
        Length of a step in chords.
    most : int
        Steps each way.

    Returns
    -------
    list of ndarray, shape (k, 2)
    """
    halves = []
    for sign in (-1.0, 1.0):
        track, here = [seeds], seeds.copy()
        for _ in range(most):
            move = _step(sampler, here, sign * step)
            inside = np.isfinite(move).all(axis=1)
            if not inside.any():
                break
            here = np.where(inside[:, None], here + move, np.nan)
            track.append(here)
        halves.append(np.stack(track))
    out = []
    for n in range(len(seeds)):
        back, ahead = (h[np.isfinite(h[:, n]).all(axis=1), n] for h in halves)
        line = np.concatenate([back[:0:-1], ahead])
        if len(line) > 2:
            out.append(line)
    return out


def _step(sampler, x, length):
    def direction(points):
        velocity = sampler.velocity(points)
        speed = np.linalg.norm(velocity, axis=1, keepdims=True)
        return velocity / np.where(speed > 1e-9, speed, np.nan)

    k1 = direction(x)
    k2 = direction(x + 0.5 * length * k1)
    k3 = direction(x + 0.5 * length * k2)
    k4 = direction(x + length * k3)
    return length / 6 * (k1 + 2 * k2 + 2 * k3 + k4)


def rake(x, low, high, count):
    """Seeds on an upright line, shape (count, 2)."""
    return np.stack([np.full(count, float(x)), np.linspace(low, high, count)], axis=1)


def vectors(sampler, columns=34):
    """Arrows on a raster over the sampler's box.

    Returns
    -------
    start, velocity : ndarray, shape (n, 2)
    """
    left, right, bottom, top = sampler.box
    spacing = (right - left) / columns
    x, y = np.meshgrid(np.arange(left + spacing / 2, right, spacing),
                       np.arange(bottom + spacing / 2, top, spacing))
    points = np.stack([x.ravel(), y.ravel()], axis=1)
    velocity = sampler.velocity(points)
    inside = np.isfinite(velocity).all(axis=1)
    return points[inside], velocity[inside]
