"""Lines and surfaces in the flow round a body: streamlines, oil-flow lines, iso-surfaces, cut planes."""
import numpy as np
from skimage.measure import marching_cubes

from .body_surface import DrawnSurface

MOST_STEPS = 700
# How far from the nearest reading of the wall a line along it may come, in cells.
LOST = 1.5
AXES = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}


def axes_across(normal):
    """Two unit vectors across a direction and each other; the first lies level where it can."""
    normal = np.asarray(normal, dtype=float) / np.linalg.norm(normal)
    first = np.cross([0.0, 0.0, 1.0] if abs(normal[2]) < 0.9 else [0.0, 1.0, 0.0], normal)
    first /= np.linalg.norm(first)
    return first, np.cross(normal, first)


def rake(kind, centre, size, count):
    """Seed points across x.

    Parameters
    ----------
    kind : {"line", "upright", "disc", "grid"}
        A line across the stream, one that stands, a disc, or a square grid.
    size : float
        Whole width.
    """
    centre = np.asarray(centre, dtype=float)
    if kind in ("line", "upright"):
        out = np.tile(centre, (count, 1))
        out[:, 1 if kind == "line" else 2] += size * np.linspace(-0.5, 0.5, count)
        return out
    if kind == "disc":
        return spot(centre, (1.0, 0.0, 0.0), size, count)
    side = max(int(round(np.sqrt(count))), 1)
    y, z = (g.ravel()
            for g in np.meshgrid(*(size * (np.linspace(-0.5, 0.5, side) if side > 1 else np.zeros(1)), ) * 2))
    return centre + np.stack([np.zeros(len(y)), y, z], axis=1)


def spot(centre, normal, size, count):
    """Seed points spread evenly over a disc across a direction, shape (count, 3)."""
    first, second = axes_across(normal)
    # The golden angle from point to point.
    k = np.arange(count) + 0.5
    r, turn = 0.5 * size * np.sqrt(k / count), np.pi * (3 - np.sqrt(5)) * k
    return np.asarray(centre) + (r * np.cos(turn))[:, None] * first + (r * np.sin(turn))[:, None] * second


def over_part(drawn, part, count, away):
    """Seed points spread evenly over the area of a part of a body, as far away from it as asked, shape
    (count, 3)."""
    own = drawn.triangles[drawn.part == drawn.parts.index(part)]
    middle, normal = _spread(drawn, own, count)
    return middle + away * normal


def _spread(drawn, triangles, count):
    """(places, normals) spread evenly over the area of triangles of a surface, shapes (count, 3)."""
    corners = drawn.points[triangles]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    chosen = np.searchsorted(np.cumsum(area) / area.sum(), (np.arange(count) + 0.5) / count)
    return corners[chosen].mean(axis=1), drawn.normals[triangles[chosen, 0]]


def streamlines(field, seeds, back=True):
    """Lines along the velocity from seeds, second-order steps of about half a cell.

    Returns
    -------
    list of (points (k, 3), speed over the stream's (k,))
    """
    forward = _trace(field, seeds, 1.0)
    if not back:
        return forward
    backward = _trace(field, seeds, -1.0)
    return [(np.concatenate([b[0][:0:-1], f[0]]), np.concatenate([b[1][:0:-1], f[1]]))
            for f, b in zip(forward, backward)]


def _trace(field, seeds, sign):
    low, high = field.box
    at = np.array(seeds, dtype=float)
    alive = np.arange(len(at))
    path, speeds = [[p] for p in at], [[] for _ in at]
    largest = 0.02 * float((high - low).max())
    for _ in range(MOST_STEPS):
        v = field.velocity(at[alive])
        speed = np.linalg.norm(v, axis=1)
        for k, s in zip(alive, speed):
            if len(speeds[k]) < len(path[k]):
                speeds[k].append(float(s) if s == s else 0.0)
        good = (speed > 2e-3) & np.isfinite(speed)
        alive, v, speed = alive[good], v[good], speed[good]
        if not len(alive):
            break
        step = sign * np.minimum(0.7 * field.size_at(at[alive]), largest)[:, None]
        middle = field.velocity(at[alive] + 0.5 * step * v / speed[:, None])
        pace = np.linalg.norm(middle, axis=1)
        good = (pace > 2e-3) & np.isfinite(pace)
        alive, step, middle, pace = alive[good], step[good], middle[good], pace[good]
        at[alive] += step * middle / pace[:, None]
        inside = ((at[alive] > low) & (at[alive] < high)).all(axis=1)
        if field.half:
            inside = ((np.abs(at[alive]) < high) | (at[alive] > low)).all(axis=1)
        alive = alive[inside]
        for k in alive:
            path[k].append(at[k].copy())
    return [(np.array(p[:max(len(s), 1)]), np.array(s or [0.0])) for p, s in zip(path, speeds)]


def oil_lines(field, drawn, count=500, steps=60):
    """Lines along the friction on the body, from seeds spread evenly over its area.

    Parameters
    ----------
    drawn : DrawnSurface
        In the field's unit.

    Returns
    -------
    list of ndarray, shape (k, 3)
    """
    at, outward = _spread(drawn, drawn.triangles, count)
    step = 0.5 * field.wall_size
    paths, ended = [[p] for p in at], np.zeros(len(at), dtype=bool)
    for _ in range(steps):
        found = field.on_surface(
            at, outward, np.concatenate([field.wall_shear, field.wall_centre, -field.wall_normal], axis=1))
        shear, foot, normal = found[:, :3], found[:, 3:6], found[:, 6:]
        if field.half:
            low = at[:, 1] < 0
            for vector in (shear, foot, normal):
                vector[low, 1] *= -1.0
        normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-12)[:, None]
        shear -= (shear * normal).sum(axis=1)[:, None] * normal
        strength = np.linalg.norm(shear, axis=1)
        move = np.where(strength[:, None] > 1e-7, step * shear / np.maximum(strength, 1e-12)[:, None], 0.0)
        moved = at + move
        # Past an edge the nearest wall lies elsewhere: a line ends there.
        ended |= np.linalg.norm(moved - foot, axis=1) > np.maximum(LOST * field.wall_size,
                                                                   1.2 * np.linalg.norm(at - foot, axis=1))
        at = np.where(ended[:, None], at, moved)
        # Back onto the plane of the wall nearby, a little above it so that the line is seen.
        at -= np.where(ended, 0.0, ((at - foot) * normal).sum(axis=1))[:, None] * normal
        outward = normal
        for path, p, over in zip(paths, at, ended):
            if not over:
                path.append(p)
    return [np.array(p) for p in paths]


def iso_surface(field, key, value, low, high, most=1_500_000):
    """The surface on which a quantity has a value, within a box.

    Returns
    -------
    DrawnSurface or None
        None where the quantity does not reach the value.
    """
    extent = np.asarray(high) - np.asarray(low)
    step = max(float((extent.prod() / most)**(1 / 3)), 0.5 * field.wall_size)
    counts = np.maximum((extent / step).astype(int) + 1, 3)
    axes = [np.linspace(low[a], high[a], counts[a]) for a in range(3)]
    points = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
    values = field.sample(points, (key, )).reshape(counts)
    inside = np.isfinite(values)
    if not inside.any() or not values[inside].min() < value < values[inside].max():
        return None
    filled = np.where(inside, values, min(values[inside].min(), value - 1e-9))
    # Next to the body nothing is known: no surface is drawn there.
    vertices, triangles, normals, _ = marching_cubes(filled, value, spacing=[a[1] - a[0] for a in axes],
                                                     mask=inside)
    return DrawnSurface(vertices + np.asarray(low), normals, triangles.astype(np.int64),
                        np.zeros(len(triangles), dtype=np.int64), (key, ))


def cut_plane(field, point, normal, keys, low, high, columns=280):
    """A quantity on a plane through a box.

    Parameters
    ----------
    point, normal : array, shape (3,)
    low, high : array, shape (3,)
        The box that clips it.

    Returns
    -------
    points (n, 3), triangles (m, 3), values (n, len(keys)); empty where the plane meets nothing
    """
    normal = np.asarray(normal, dtype=float) / np.linalg.norm(normal)
    first, second = axes_across(normal)
    centre = 0.5 * (np.asarray(low) + np.asarray(high))
    origin = centre + ((np.asarray(point) - centre) @ normal) * normal
    corners = np.stack(np.meshgrid(*zip(low, high), indexing="ij"), axis=-1).reshape(-1, 3) - origin
    reach = [(float((corners @ d).min()), float((corners @ d).max())) for d in (first, second)]
    wide, tall = reach[0][1] - reach[0][0], reach[1][1] - reach[1][0]
    step = max(wide, tall) / columns
    u, v = (np.linspace(*r, max(int((r[1] - r[0]) / step) + 1, 2)) for r in reach)
    uu, vv = np.meshgrid(u, v, indexing="ij")
    points = origin + uu.reshape(-1, 1) * first + vv.reshape(-1, 1) * second
    values = field.sample(points, keys)
    slack = 1e-9 * (wide + tall)
    known = np.isfinite(values).all(axis=1) & ((points >= np.asarray(low) - slack) &
                                               (points <= np.asarray(high) + slack)).all(axis=1)
    index = np.arange(len(points)).reshape(len(u), len(v))
    a, b, c, d = index[:-1, :-1].ravel(), index[1:, :-1].ravel(), index[1:, 1:].ravel(), index[:-1,
                                                                                               1:].ravel()
    triangles = np.concatenate([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)])
    filled = _spread_once(np.where(known[:, None], values, np.nan).reshape(len(u), len(v),
                                                                           -1)).reshape(len(points), -1)
    # One row of cells runs on into the body, which hides it: no gap is left between body and plane.
    triangles = triangles[np.isfinite(filled[triangles, 0]).all(axis=1)]
    return points, triangles, np.nan_to_num(filled)


def level_lines(points, triangles, values, levels):
    """Where values on triangles pass through levels: (starts, ends) of segments, shapes (n, 3)."""
    starts, ends = [np.zeros((0, 3))], [np.zeros((0, 3))]
    corner, at = values[triangles], points[triangles]
    for level in levels:
        above = corner > level
        crossed = above != np.roll(above, -1, axis=1)
        cut = crossed.sum(axis=1) == 2
        a, b = corner[cut], np.roll(corner[cut], -1, axis=1)
        share = np.where(crossed[cut], (level - a) / np.where(b == a, 1.0, b - a), 0.0)[..., None]
        here = at[cut] + share * (np.roll(at[cut], -1, axis=1) - at[cut])
        found = here[crossed[cut]].reshape(-1, 2, 3)
        starts.append(found[:, 0])
        ends.append(found[:, 1])
    return np.concatenate(starts), np.concatenate(ends)


def _spread_once(grid):
    """Unknown nodes beside known ones get the mean of those, shape (n, m, k)."""
    total, count = np.zeros_like(grid), np.zeros(grid.shape[:2])
    good = np.isfinite(grid).all(axis=2)
    value = np.where(good[..., None], grid, 0.0)
    for shift, axis in ((1, 0), (-1, 0), (1, 1), (-1, 1)):
        total += np.roll(value, shift, axis)
        count += np.roll(good, shift, axis)
    out = grid.copy()
    near = ~good & (count > 0)
    out[near] = total[near] / count[near, None]
    return out
