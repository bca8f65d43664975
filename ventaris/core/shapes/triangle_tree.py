"""A tree of boxes over triangles: nearest point, winding number, inside or outside.

The winding number of a point counts how often a surface goes round it.  It is 1 (or -1, turned
inside out) inside a closed surface and changes smoothly across cracks, so that surfaces that are
not quite closed still have an inside.

References
----------
Barill, Dickson, Schmidt, Levin, Jacobson: Fast winding numbers for soups and clouds,
ACM Trans. Graph. 37(4), 2018.
Van Oosterom, Strackee: The solid angle of a plane triangle, IEEE Trans. Biomed. Eng. 30, 1983.
Ericson: Real-Time Collision Detection, 2005, section 5.1.5 (closest point on a triangle).
"""
from dataclasses import dataclass

import numpy as np
from numba import njit, prange

LEAF = 4
FAR = 1.8

checked = dict(cache=True, error_model="numpy")


@dataclass(frozen=True)
class TriangleTree:
    """Boxes over the triangles of one or several parts.

    Attributes
    ----------
    corners : ndarray, shape (n, 3, 3)
        Triangles in the order of the leaves.
    original : ndarray, shape (n,)
        Index of each in the order given.
    box : ndarray, shape (m, 6)
    span : ndarray, shape (m, 2)
        First and last-but-one triangle of each node.
    child : ndarray, shape (m,)
        Left child (the right one follows it); -1 for a leaf.
    dipole : ndarray, shape (m, 7)
        Area vector, area-weighted centre and radius of each node.
    roots : ndarray, shape (n_parts,)
        One root for each part.
    """

    corners: np.ndarray
    original: np.ndarray
    box: np.ndarray
    span: np.ndarray
    child: np.ndarray
    dipole: np.ndarray
    roots: np.ndarray

    @property
    def arrays(self):
        return self.corners, self.box, self.span, self.child, self.dipole, self.roots

    def nearest(self, points, within=np.inf, tolerance=0.0):
        """Distance to the nearest triangle and its index (-1 where none is within the distance), each shape
        (k,)."""
        points = np.ascontiguousarray(points, dtype=float)
        distance, triangle = np.empty(len(points)), np.empty(len(points), dtype=np.int64)
        limit = np.broadcast_to(np.asarray(within, dtype=float), (len(points), ))
        nearest_all(points, np.ascontiguousarray(limit), (1 + tolerance)**2, *self.arrays, distance, triangle)
        return distance, np.where(triangle >= 0, self.original[triangle], -1)

    def winding(self, points):
        """Winding number of each part round each point, shape (k, n_parts)."""
        points = np.ascontiguousarray(points, dtype=float)
        out = np.empty((len(points), len(self.roots)))
        winding_all(points, *self.arrays, out)
        return out

    def crossings(self, start, end):
        """Whether each segment crosses a triangle, and where: share of the segment (inf) and triangle (-1),
        each shape (k,)."""
        start, end = (np.ascontiguousarray(a, dtype=float) for a in (start, end))
        share, triangle = np.empty(len(start)), np.empty(len(start), dtype=np.int64)
        crossing_all(start, end, *self.arrays, share, triangle)
        return share, np.where(triangle >= 0, self.original[triangle], -1)


def signed_distance_to(tree, points, open_part, thickness, tolerance=0.0):
    """Distance to the union of the parts, negative inside.

    Parameters
    ----------
    tree : TriangleTree
    points : ndarray, shape (k, 3)
    open_part : ndarray of bool, shape (n_parts,)
        Parts without an inside.
    thickness : ndarray, shape (n_parts,)
        Half thickness given to a part in addition to what it has; 0 leaves it as it is.

    tolerance : float
        Share by which a distance may be too large; a few per cent make far points several times quicker.

    Returns
    -------
    distance : ndarray, shape (k,)
    triangle : ndarray, shape (k,)
        The nearest triangle of the part that decides.
    """
    points = np.ascontiguousarray(points, dtype=float)
    value, triangle = np.empty(len(points)), np.empty(len(points), dtype=np.int64)
    signed_all(points, *tree.arrays, np.asarray(open_part, dtype=np.bool_),
               np.asarray(thickness, dtype=float), (1 + tolerance)**2, value, triangle)
    return value, tree.original[triangle]


def build_tree(corners, part=None):
    """Build a tree.

    Parameters
    ----------
    corners : ndarray, shape (n, 3, 3)
    part : ndarray of int, shape (n,) or None
        Part of each triangle, counted from 0 without gaps; None is one part.
    """
    corners = np.ascontiguousarray(corners, dtype=float)
    n = len(corners)
    part = np.zeros(n, dtype=np.int64) if part is None else np.asarray(part, dtype=np.int64)
    order, counts = np.argsort(part, kind="stable"), np.bincount(part)
    nodes = 2 * n + 2 * len(counts) + 8
    box, span = np.empty((nodes, 6)), np.empty((nodes, 2), dtype=np.int64)
    child, dipole = np.full(nodes, -1, dtype=np.int64), np.empty((nodes, 7))
    roots = np.empty(len(counts), dtype=np.int64)
    used = fill_nodes(corners, corners.mean(axis=1), order, np.concatenate([[0], np.cumsum(counts)]), roots,
                      box, span, child, dipole)
    corners = np.ascontiguousarray(corners[order])
    return TriangleTree(corners, order, box[:used].copy(), span[:used].copy(), child[:used].copy(),
                        dipole[:used].copy(), roots)


def morton(lattice):
    """Order along the Z-shaped curve of whole coordinates below 2^21, shape (n, 3) to (n,)."""
    out = np.zeros(len(lattice), dtype=np.int64)
    for axis in range(3):
        x = lattice[:, axis].astype(np.int64)
        for shift, mask in ((32, 0x1F00000000FFFF), (16, 0x1F0000FF0000FF), (8, 0x100F00F00F00F00F),
                            (4, 0x10C30C30C30C30C3), (2, 0x1249249249249249)):
            x = (x | (x << shift)) & mask
        out |= x << axis
    return out


@njit(**checked)
def fill_nodes(corners, centre, order, first, roots, box, span, child, dipole):
    used = 0
    for p in range(len(first) - 1):
        roots[p] = used
        span[used, 0], span[used, 1] = first[p], first[p + 1]
        used += 1
    i = 0
    while i < used:
        lo, hi = span[i, 0], span[i, 1]
        for a in range(3):
            box[i, a], box[i, 3 + a] = np.inf, -np.inf
        nx = ny = nz = cx = cy = cz = total = 0.0
        low, high = np.full(3, np.inf), np.full(3, -np.inf)
        for k in range(lo, hi):
            t = order[k]
            for a in range(3):
                low[a], high[a] = min(low[a], centre[t, a]), max(high[a], centre[t, a])
            for v in range(3):
                for a in range(3):
                    box[i, a] = min(box[i, a], corners[t, v, a])
                    box[i, 3 + a] = max(box[i, 3 + a], corners[t, v, a])
            ax, ay, az = corners[t, 1, 0] - corners[t, 0, 0], corners[t, 1, 1] - corners[t, 0, 1], corners[
                t, 1, 2] - corners[t, 0, 2]
            bx, by, bz = corners[t, 2, 0] - corners[t, 0, 0], corners[t, 2, 1] - corners[t, 0, 1], corners[
                t, 2, 2] - corners[t, 0, 2]
            sx, sy, sz = 0.5 * (ay * bz - az * by), 0.5 * (az * bx - ax * bz), 0.5 * (ax * by - ay * bx)
            area = np.sqrt(sx * sx + sy * sy + sz * sz) + 1e-300
            nx += sx
            ny += sy
            nz += sz
            total += area
            cx += area * (corners[t, 0, 0] + corners[t, 1, 0] + corners[t, 2, 0]) / 3.0
            cy += area * (corners[t, 0, 1] + corners[t, 1, 1] + corners[t, 2, 1]) / 3.0
            cz += area * (corners[t, 0, 2] + corners[t, 1, 2] + corners[t, 2, 2]) / 3.0
        cx, cy, cz = cx / total, cy / total, cz / total
        dx, dy, dz = max(cx - box[i, 0],
                         box[i, 3] - cx), max(cy - box[i, 1],
                                              box[i, 4] - cy), max(cz - box[i, 2], box[i, 5] - cz)
        dipole[i, 0], dipole[i, 1], dipole[i, 2] = nx, ny, nz
        dipole[i, 3], dipole[i, 4], dipole[i, 5] = cx, cy, cz
        dipole[i, 6] = np.sqrt(dx * dx + dy * dy + dz * dz)
        if hi - lo > LEAF:
            middle = split_range(centre, order, lo, hi, low, high)
            child[i] = used
            span[used, 0], span[used, 1] = lo, middle
            span[used + 1, 0], span[used + 1, 1] = middle, hi
            used += 2
        i += 1
    return used


@njit(**checked)
def split_range(centre, order, lo, hi, low, high):
    """Divide a range of triangles at the middle of its longest side; halve it where that would leave one side
    nearly empty."""
    axis = 0
    for a in range(3):
        if high[a] - low[a] > high[axis] - low[axis]:
            axis = a
    cut = 0.5 * (low[axis] + high[axis])
    i, j = lo, hi - 1
    while i <= j:
        if centre[order[i], axis] < cut:
            i += 1
        else:
            order[i], order[j] = order[j], order[i]
            j -= 1
    few = (hi - lo) // 16
    if i - lo < few or hi - i < few or i == lo or i == hi:
        values = np.empty(hi - lo)
        for k in range(lo, hi):
            values[k - lo] = centre[order[k], axis]
        rank = np.argsort(values, kind="mergesort")
        order[lo:hi] = order[lo:hi][rank]
        return (lo + hi) // 2
    return i


@njit(**checked)
def box_distance2(box, i, x, y, z):
    dx = max(box[i, 0] - x, 0.0, x - box[i, 3])
    dy = max(box[i, 1] - y, 0.0, y - box[i, 4])
    dz = max(box[i, 2] - z, 0.0, z - box[i, 5])
    return dx * dx + dy * dy + dz * dz


@njit(**checked)
def triangle_distance2(tri, x, y, z):
    """Squared distance of a point to a triangle (a line or point where it is degenerate)."""
    ax, ay, az = tri[0, 0], tri[0, 1], tri[0, 2]
    abx, aby, abz = tri[1, 0] - ax, tri[1, 1] - ay, tri[1, 2] - az
    acx, acy, acz = tri[2, 0] - ax, tri[2, 1] - ay, tri[2, 2] - az
    px, py, pz = x - ax, y - ay, z - az
    d1, d2 = abx * px + aby * py + abz * pz, acx * px + acy * py + acz * pz
    v = w = 0.0
    if d1 > 0.0 or d2 > 0.0:
        bb, cc, bc = (abx * abx + aby * aby + abz * abz, acx * acx + acy * acy + acz * acz,
                      abx * acx + aby * acy + abz * acz)
        d3, d4, d5, d6 = d1 - bb, d2 - bc, d1 - bc, d2 - cc
        va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
        if d3 >= 0.0 and d4 <= d3:
            v, w = 1.0, 0.0
        elif d6 >= 0.0 and d5 <= d6:
            v, w = 0.0, 1.0
        elif vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
            v, w = d1 / (d1 - d3), 0.0
        elif vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
            v, w = 0.0, d2 / (d2 - d6)
        elif va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
            w = (d4 - d3) / ((d4 - d3) + (d5 - d6))
            v = 1.0 - w
        else:
            scale = 1.0 / (va + vb + vc)
            v, w = vb * scale, vc * scale
    dx, dy, dz = px - v * abx - w * acx, py - v * aby - w * acy, pz - v * abz - w * acz
    return dx * dx + dy * dy + dz * dz


@njit(**checked)
def nearest_below(root, corners, box, span, child, x, y, z, best, found, slack, stack):
    """Improve (squared distance, triangle) by the triangles under one root; `slack` (1 is none) lets near
    misses pass."""
    top = 0
    stack[0] = root
    while top >= 0:
        i = stack[top]
        top -= 1
        if box_distance2(box, i, x, y, z) * slack >= best:
            continue
        if child[i] < 0:
            for t in range(span[i, 0], span[i, 1]):
                d = triangle_distance2(corners[t], x, y, z)
                if d < best:
                    best, found = d, t
        else:
            a, b = child[i], child[i] + 1
            if box_distance2(box, a, x, y, z) > box_distance2(box, b, x, y, z):
                a, b = b, a
            stack[top + 1], stack[top + 2] = b, a
            top += 2
    return best, found


@njit(**checked)
def winding_below(root, corners, box, span, child, dipole, x, y, z, stack):
    """Winding number of the triangles under one root round a point."""
    total = 0.0
    top = 0
    stack[0] = root
    while top >= 0:
        i = stack[top]
        top -= 1
        dx, dy, dz = dipole[i, 3] - x, dipole[i, 4] - y, dipole[i, 5] - z
        r2 = dx * dx + dy * dy + dz * dz
        if r2 > (FAR * dipole[i, 6])**2:
            total += (dx * dipole[i, 0] + dy * dipole[i, 1] + dz * dipole[i, 2]) / (r2 * np.sqrt(r2))
        elif child[i] < 0:
            for t in range(span[i, 0], span[i, 1]):
                ax, ay, az = corners[t, 0, 0] - x, corners[t, 0, 1] - y, corners[t, 0, 2] - z
                bx, by, bz = corners[t, 1, 0] - x, corners[t, 1, 1] - y, corners[t, 1, 2] - z
                cx, cy, cz = corners[t, 2, 0] - x, corners[t, 2, 1] - y, corners[t, 2, 2] - z
                la, lb, lc = np.sqrt(ax * ax + ay * ay +
                                     az * az), np.sqrt(bx * bx + by * by +
                                                       bz * bz), np.sqrt(cx * cx + cy * cy + cz * cz)
                det = ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
                below = la * lb * lc + (ax * bx + ay * by + az * bz) * lc + (
                    bx * cx + by * cy + bz * cz) * la + (cx * ax + cy * ay + cz * az) * lb
                total += 2.0 * np.arctan2(det, below)
        else:
            stack[top + 1], stack[top + 2] = child[i], child[i] + 1
            top += 2
    return total / (4.0 * np.pi)


@njit(**checked)
def signed_distance(x, y, z, corners, box, span, child, dipole, roots, open_part, thickness, slack, stack):
    """Distance to the union of the parts, negative inside, and the nearest triangle.

    A part flagged in `open_part` has no inside: it is a sheet of the given half thickness.
    """
    value, triangle = np.inf, -1
    for p in range(len(roots)):
        # A part can only win where it is nearer than what is known, or where the point is inside its box.
        gap = box_distance2(box, roots[p], x, y, z)
        if gap > 0.0 and np.sqrt(gap) - thickness[p] >= value:
            continue
        d2, found = nearest_below(roots[p], corners, box, span, child, x, y, z, np.inf, -1, slack, stack)
        d = np.sqrt(d2)
        if not open_part[p]:
            if gap == 0.0 and abs(winding_below(roots[p], corners, box, span, child, dipole, x, y, z,
                                                stack)) > 0.5:
                d = -d
        if thickness[p] > 0.0:
            d = min(d, abs(d) - thickness[p])
        if d < value:
            value, triangle = d, found
    return value, triangle


@njit(parallel=True, **checked)
def signed_all(points, corners, box, span, child, dipole, roots, open_part, thickness, slack, value,
               triangle):
    chunk = 256
    for block in prange((len(points) + chunk - 1) // chunk):
        stack = np.empty(128, np.int64)
        for k in range(block * chunk, min(len(points), (block + 1) * chunk)):
            value[k], triangle[k] = signed_distance(points[k, 0], points[k, 1], points[k,
                                                                                       2], corners, box, span,
                                                    child, dipole, roots, open_part, thickness, slack, stack)


@njit(parallel=True, **checked)
def nearest_all(points, limit, slack, corners, box, span, child, dipole, roots, distance, triangle):
    chunk = 256
    for block in prange((len(points) + chunk - 1) // chunk):
        stack = np.empty(128, np.int64)
        for k in range(block * chunk, min(len(points), (block + 1) * chunk)):
            best, found = limit[k]**2, -1
            for p in range(len(roots)):
                best, found = nearest_below(roots[p], corners, box, span, child, points[k, 0], points[k, 1],
                                            points[k, 2], best, found, slack, stack)
            distance[k], triangle[k] = np.sqrt(best), found


@njit(parallel=True, **checked)
def winding_all(points, corners, box, span, child, dipole, roots, out):
    chunk = 256
    for block in prange((len(points) + chunk - 1) // chunk):
        stack = np.empty(128, np.int64)
        for k in range(block * chunk, min(len(points), (block + 1) * chunk)):
            for p in range(len(roots)):
                out[k, p] = winding_below(roots[p], corners, box, span, child, dipole, points[k, 0],
                                          points[k, 1], points[k, 2], stack)


@njit(**checked)
def reciprocal(d):
    return 1.0 / d if abs(d) > 1e-300 else 1e300


@njit(**checked)
def segment_box(box, i, ox, oy, oz, ix, iy, iz, most):
    low, high = 0.0, most
    for a in range(3):
        o, inverse = (ox, ix) if a == 0 else (oy, iy) if a == 1 else (oz, iz)
        t0, t1 = (box[i, a] - o) * inverse, (box[i, 3 + a] - o) * inverse
        if t0 > t1:
            t0, t1 = t1, t0
        low, high = max(low, t0 - 1e-12), min(high, t1 + 1e-12)
    return low <= high


@njit(parallel=True, **checked)
def crossing_all(start, end, corners, box, span, child, dipole, roots, share, triangle):
    chunk = 256
    for block in prange((len(start) + chunk - 1) // chunk):
        stack = np.empty(128, np.int64)
        for k in range(block * chunk, min(len(start), (block + 1) * chunk)):
            ox, oy, oz = start[k, 0], start[k, 1], start[k, 2]
            dx, dy, dz = end[k, 0] - ox, end[k, 1] - oy, end[k, 2] - oz
            ix, iy, iz = reciprocal(dx), reciprocal(dy), reciprocal(dz)
            best, found = np.inf, -1
            for p in range(len(roots)):
                top = 0
                stack[0] = roots[p]
                while top >= 0:
                    i = stack[top]
                    top -= 1
                    if not segment_box(box, i, ox, oy, oz, ix, iy, iz, min(best, 1.0)):
                        continue
                    if child[i] >= 0:
                        stack[top + 1], stack[top + 2] = child[i], child[i] + 1
                        top += 2
                        continue
                    for t in range(span[i, 0], span[i, 1]):
                        s = segment_triangle(corners[t], ox, oy, oz, dx, dy, dz)
                        if s < best:
                            best, found = s, t
            share[k], triangle[k] = best, found


@njit(**checked)
def segment_triangle(tri, ox, oy, oz, dx, dy, dz):
    """Share of a segment at which it meets a triangle; infinite where it does not.

    References
    ----------
    Moeller, Trumbore: Fast, minimum storage ray/triangle intersection, J. Graphics Tools 2(1), 1997.
    """
    ax, ay, az = tri[1, 0] - tri[0, 0], tri[1, 1] - tri[0, 1], tri[1, 2] - tri[0, 2]
    bx, by, bz = tri[2, 0] - tri[0, 0], tri[2, 1] - tri[0, 1], tri[2, 2] - tri[0, 2]
    px, py, pz = dy * bz - dz * by, dz * bx - dx * bz, dx * by - dy * bx
    det = ax * px + ay * py + az * pz
    if abs(det) < 1e-300:
        return np.inf
    inverse = 1.0 / det
    tx, ty, tz = ox - tri[0, 0], oy - tri[0, 1], oz - tri[0, 2]
    u = (tx * px + ty * py + tz * pz) * inverse
    if u < -1e-9 or u > 1.0 + 1e-9:
        return np.inf
    qx, qy, qz = ty * az - tz * ay, tz * ax - tx * az, tx * ay - ty * ax
    v = (dx * qx + dy * qy + dz * qz) * inverse
    if v < -1e-9 or u + v > 1.0 + 1e-9:
        return np.inf
    s = (bx * qx + by * qy + bz * qz) * inverse
    return s if -1e-12 <= s <= 1.0 + 1e-12 else np.inf
