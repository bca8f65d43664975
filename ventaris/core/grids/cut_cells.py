"""Leaves of an octree cut by a surface: what is left of their faces and volumes.

Each face keeps the part that lies in the air.  Where the surface's edge passes through a face, the
corner of the cut is put on it: the tangents at the two crossings are met.  The wall of a cell is
minus the sum of its other faces, so that every cell closes to round-off; its volume is summed from
an apex on the surface, so that a sharp edge or corner inside the cell is counted exactly.
"""
from dataclasses import dataclass

import numpy as np
from numba import njit, prange

from ..shapes.triangle_tree import signed_distance, signed_distance_to, triangle_distance2

# Bends of less than 20 degrees between two crossings are left to the chord.
BENT = np.cos(np.radians(20))
# A cell is cut where the surface is nearer to its centre than half its diagonal.
HALF_DIAGONAL = 0.8661

checked = dict(cache=True, error_model="numpy")


@dataclass(frozen=True)
class Obstacle:
    """The surface as the grid sees it.

    Attributes
    ----------
    surface : Surface
    open_part : ndarray of bool, shape (n_parts,)
    thickness : ndarray, shape (n_parts,)
        Half thickness added to sheets and to parts thinner than a cell; 0 elsewhere.
    """

    surface: object
    open_part: np.ndarray
    thickness: np.ndarray

    @property
    def tree(self):
        return self.surface.tree

    def signed_distance(self, points, tolerance=0.0):
        """Distance (negative inside) and nearest triangle."""
        return signed_distance_to(self.tree, points, self.open_part, self.thickness, tolerance)


@dataclass(frozen=True)
class CutLeaves:
    """What is left of the faces and leaves.

    Attributes
    ----------
    aperture : ndarray, shape (n_faces,)
        Open area of each leaf face.
    face_centre : ndarray, shape (n_faces, 3)
    volume : ndarray, shape (n_leaves,)
        0 for a leaf inside the body.
    centre : ndarray, shape (n_leaves, 3)
    wall_vector : ndarray, shape (n_leaves, 3)
        Area of the wall times its normal, out of the air.
    wall_centre : ndarray, shape (n_leaves, 3)
    distance : ndarray, shape (n_leaves,)
        Signed distance of the leaf's centre to the surface, to a few per cent away from it.
    """

    aperture: np.ndarray
    face_centre: np.ndarray
    volume: np.ndarray
    centre: np.ndarray
    wall_vector: np.ndarray
    wall_centre: np.ndarray
    distance: np.ndarray


def cut_leaves(tree, faces, obstacle):
    """Cut every leaf and face.

    Parameters
    ----------
    tree : Octree
    faces : LeafFaces
    obstacle : Obstacle

    Returns
    -------
    CutLeaves
    """
    n, n_faces, step = tree.n_leaves, len(faces.left), tree.step
    size, width = tree.size, faces.width * step
    centre = tree.centre
    distance, _ = obstacle.signed_distance(centre, 0.03)
    near = np.abs(distance) <= 1.04 * HALF_DIAGONAL * size
    side = np.where(faces.right >= 0, faces.right, faces.left)
    finer = np.where(tree.width[side] < tree.width[faces.left], side, faces.left)
    aperture = np.where(distance[finer] > 0, width**2, 0.0)
    axes = np.eye(3)
    face_centre = tree.low + faces.corner * step + 0.5 * width[:, None] * (1 - axes[faces.axis])
    cut = np.nonzero(near[faces.left] | near[side])[0]
    corners = _face_corners(faces, cut)
    # Every lattice point once.
    span = tree.counts + 1
    key = (corners[..., 0] * span[1] + corners[..., 1]) * span[2] + corners[..., 2]
    unique, where = np.unique(key, return_inverse=True)
    lattice = np.stack([unique // (span[1] * span[2]), unique // span[2] % span[1], unique % span[2]], axis=1)
    points = tree.low + lattice * step
    value = off_surface(obstacle, points, step)
    where = where.reshape(-1, 4)
    edge_of, point, normal = cut_edges(obstacle, np.stack([where, np.roll(where, -1, axis=1)], axis=2), value,
                                       points)
    quads = tree.low + corners * step
    area, middle = np.empty(len(cut)), np.empty((len(cut), 3))
    chain, chain_edges = np.zeros((len(cut), 2, 3, 3)), np.full((len(cut), 2, 3), -1, dtype=np.int64)
    clip_faces(quads, value[where], edge_of, faces.axis[cut], point, normal, area, middle, chain, chain_edges)
    _keep_true_bends(obstacle, quads, value[where], edge_of, faces.axis[cut], point, normal, area, middle,
                     chain, chain_edges, width[cut])
    aperture[cut], face_centre[cut] = area, middle
    volume, cell_centre = np.where(distance > 0, size**3, 0.0), centre.copy()
    wall_vector, wall_centre = np.zeros((n, 3)), centre.copy()
    cut_of = np.full(n_faces, -1, dtype=np.int64)
    cut_of[cut] = np.arange(len(cut))
    start, listed, sign = _faces_of_leaves(faces, n, near)
    measure_leaves(
        np.nonzero(near)[0], start, listed, sign, faces.axis, aperture, face_centre, cut_of, chain,
        chain_edges, normal, centre, size, volume, cell_centre, wall_vector, wall_centre)
    return CutLeaves(aperture, face_centre, volume, cell_centre, wall_vector, wall_centre, distance)


def _face_corners(faces, subset):
    """Corners of faces in steps, in turn round the axis (counter-clockwise seen from above), shape (m, 4,
    3)."""
    axis, width = faces.axis[subset], faces.width[subset]
    one, two = (axis + 1) % 3, (axis + 2) % 3
    out = np.repeat(faces.corner[subset][:, None], 4, axis=1)
    row = np.arange(len(subset))
    for k, (a, b) in enumerate(((0, 0), (1, 0), (1, 1), (0, 1))):
        out[row, k, one] += a * width
        out[row, k, two] += b * width
    return out


def _faces_of_leaves(faces, n, chosen):
    """Compressed rows: faces of the chosen leaves with +1 where the face's axis points out of the leaf."""
    out_of_box = faces.right < 0
    own_sign = np.where(out_of_box & ((-1 - faces.right) % 2 == 0), -1.0, 1.0)
    inner = np.nonzero(~out_of_box)[0]
    owner = np.concatenate([faces.left, faces.right[inner]])
    face = np.concatenate([np.arange(len(faces.left)), inner])
    sign = np.concatenate([own_sign, np.full(len(inner), -1.0)])
    pick = chosen[owner]
    owner, face, sign = owner[pick], face[pick], sign[pick]
    order = np.argsort(owner, kind="stable")
    start = np.zeros(n + 1, dtype=np.int64)
    np.cumsum(np.bincount(owner, minlength=n), out=start[1:])
    return start, face[order], sign[order]


def off_surface(obstacle, points, step):
    """Signed distance of lattice points; one that lies on the surface counts as inside it."""
    value, _ = obstacle.signed_distance(points)
    value[np.abs(value) < 1e-9 * step] = -1e-9 * step
    return value


def cut_edges(obstacle, ends, value, points):
    """Crossings of lattice edges with the surface, each once.

    Parameters
    ----------
    obstacle : Obstacle
    ends : ndarray of int, shape (..., 2)
        Points at both ends of each edge.
    value : ndarray, shape (n,)
        Signed distance of the points.
    points : ndarray, shape (n, 3)

    Returns
    -------
    edge_of : ndarray of int, shape (...,)
        Number of each edge's crossing, -1 where it is not cut.
    point, normal : ndarray, shape (k, 3)
        Of the crossings; the normal looks into the air.
    """
    crossed = (value[ends[..., 0]] > 0) != (value[ends[..., 1]] > 0)
    pair = np.where(value[ends[..., :1]] > 0, ends, ends[..., ::-1])[crossed]
    key, edge = np.unique(pair[:, 0] * len(points) + pair[:, 1], return_inverse=True)
    air, solid = key // len(points), key % len(points)
    edge_of = np.full(ends.shape[:-1], -1, dtype=np.int64)
    edge_of[crossed] = edge
    return edge_of, *_crossings(points[air], points[solid], value[air], value[solid], obstacle)


def _crossings(air, solid, value_air, value_solid, obstacle):
    """Where lattice edges meet the surface, and its normal there (into the air), each shape (k, 3)."""
    share, triangle = obstacle.tree.crossings(air, solid)
    surface = obstacle.surface
    found = triangle >= 0
    part = surface.part[np.maximum(triangle, 0)]
    # Sheets and thin parts have their wall off the triangles; so have edges whose crossing was missed.
    followed = ~found | (obstacle.thickness[part] > 0) if np.any(obstacle.thickness > 0) else ~found
    if np.any(obstacle.thickness > 0):
        near, at = obstacle.tree.nearest(np.concatenate([air[~followed], solid[~followed]]), np.inf, 0.05)
        thick = (obstacle.thickness[surface.part[at]] > 0).reshape(2, -1).any(axis=0)
        followed[np.nonzero(~followed)[0][thick]] = True
    normal = surface.normals[np.maximum(triangle, 0)].copy()
    k = np.nonzero(followed)[0]
    if len(k):
        at, triangle_k = np.empty(len(k)), np.empty(len(k), dtype=np.int64)
        find_roots(air[k], solid[k], value_air[k], value_solid[k], *obstacle.tree.arrays, obstacle.open_part,
                   obstacle.thickness, at, triangle_k)
        share[k] = at
        point = air[k] + at[:, None] * (solid[k] - air[k])
        away = np.empty((len(k), 3))
        away_from_triangles(point, obstacle.tree.corners[triangle_k], away)
        gap = np.linalg.norm(away, axis=1)
        length = np.linalg.norm(solid[k] - air[k], axis=1)
        off = gap > 1e-4 * length
        normal[k] = np.where(off[:, None], away / np.maximum(gap, 1e-300)[:, None],
                             surface.normals[obstacle.tree.original[triangle_k]])
    point = air + share[:, None] * (solid - air)
    turn = np.where((normal * (air - solid)).sum(axis=1) < 0, -1.0, 1.0)
    return point, normal * turn[:, None]


def _keep_true_bends(obstacle, quads, value, edge_of, axis, point, normal, area, middle, chain, chain_edges,
                     width):
    """Take back corners of cuts that do not lie on the surface."""
    face, which = np.nonzero(chain_edges[..., 2] >= 0)
    if not len(face):
        return
    off, _ = obstacle.signed_distance(chain[face, which, 1])
    reach = np.linalg.norm(chain[face, which, 2] - chain[face, which, 0], axis=1)
    false = np.abs(off) > 0.1 * np.maximum(reach, 0.1 * width[face])
    if false.any():
        again = np.unique(face[false])
        sub = [a[again] for a in (area, middle, chain, chain_edges)]
        sub[2][:], sub[3][:] = 0.0, -1
        clip_faces(quads[again], value[again], edge_of[again], axis[again], point, np.zeros_like(normal),
                   *sub)
        for whole, part in zip((area, middle, chain, chain_edges), sub):
            whole[again] = part


@njit(parallel=True, **checked)
def find_roots(air, solid, value_air, value_solid, corners, box, span, child, dipole, roots, open_part,
               thickness, share, triangle):
    """Illinois steps of the signed distance along each edge."""
    chunk = 128
    for block in prange((len(air) + chunk - 1) // chunk):
        stack = np.empty(128, np.int64)
        for k in range(block * chunk, min(len(air), (block + 1) * chunk)):
            a, b, fa, fb = 0.0, 1.0, value_air[k], value_solid[k]
            length = np.sqrt((solid[k, 0] - air[k, 0])**2 + (solid[k, 1] - air[k, 1])**2 +
                             (solid[k, 2] - air[k, 2])**2)
            s, found, last = 0.5, -1, 0
            for _ in range(20):
                s = (a * fb - b * fa) / (fb - fa)
                s = min(max(s, a), b)
                f, found = signed_distance(air[k, 0] + s * (solid[k, 0] - air[k, 0]),
                                           air[k, 1] + s * (solid[k, 1] - air[k, 1]),
                                           air[k, 2] + s * (solid[k, 2] - air[k, 2]), corners, box, span,
                                           child, dipole, roots, open_part, thickness, 1.0, stack)
                if abs(f) < 1e-6 * length or b - a < 1e-6:
                    break
                if f > 0.0:
                    a, fa = s, f
                    if last == 1:
                        fb *= 0.5
                    last = 1
                else:
                    b, fb = s, f
                    if last == -1:
                        fa *= 0.5
                    last = -1
            share[k], triangle[k] = s, found


@njit(**checked)
def away_from_triangles(points, corners, out):
    """Vector from the nearest point of each triangle to a point, by small steps of the squared distance."""
    for k in range(len(points)):
        x, y, z = points[k, 0], points[k, 1], points[k, 2]
        tri = corners[k]
        d2 = triangle_distance2(tri, x, y, z)
        h = max(1e-4 * np.sqrt(d2), 1e-12)
        out[k, 0] = (triangle_distance2(tri, x + h, y, z) - triangle_distance2(tri, x - h, y, z)) / (4.0 * h)
        out[k, 1] = (triangle_distance2(tri, x, y + h, z) - triangle_distance2(tri, x, y - h, z)) / (4.0 * h)
        out[k, 2] = (triangle_distance2(tri, x, y, z + h) - triangle_distance2(tri, x, y, z - h)) / (4.0 * h)


@njit(parallel=True, **checked)
def clip_faces(quads, value, edge_of, axis, point, normal, area, middle, chain, chain_edges):
    """Open part of each face, its centre, and the lines along which the wall cuts it.

    A chain runs from a point where the boundary of the air leaves the square's edge (0) to where it comes
    back (2), over a corner (1) if the surface bends in between; `chain_edges` holds the two edges, and in its
    third column 0 where there is such a corner.
    """
    for f in prange(len(quads)):
        d = axis[f]
        one, two = (d + 1) % 3, (d + 2) % 3
        polygon = np.empty((14, 2))
        n, chains = 0, 0
        leave_e = -1
        level = quads[f, 0, d]
        # Begin at a corner in the air.
        begin = -1
        for c in range(4):
            if value[f, c] > 0.0:
                begin = c
                break
        if begin < 0:
            area[f] = 0.0
            for a in range(3):
                middle[f, a] = 0.25 * (quads[f, 0, a] + quads[f, 1, a] + quads[f, 2, a] + quads[f, 3, a])
            continue
        for step in range(4):
            c = (begin + step) % 4
            if value[f, c] > 0.0:
                polygon[n, 0], polygon[n, 1] = quads[f, c, one], quads[f, c, two]
                n += 1
            e = edge_of[f, c]
            if e < 0:
                continue
            if value[f, c] > 0.0:
                leave_e = e
                polygon[n, 0], polygon[n, 1] = point[e, one], point[e, two]
                n += 1
            else:
                bent, u, v = bend(point, normal, leave_e, e, one, two, quads[f, 0, one], quads[f, 2, one],
                                  quads[f, 0, two], quads[f, 2, two])
                for a in range(3):
                    chain[f, chains, 0, a] = point[leave_e, a]
                    chain[f, chains, 2, a] = point[e, a]
                chain_edges[f, chains, 0], chain_edges[f, chains, 1] = leave_e, e
                if bent:
                    chain[f, chains, 1, d], chain[f, chains, 1, one], chain[f, chains, 1, two] = level, u, v
                    chain_edges[f, chains, 2] = 0
                    polygon[n, 0], polygon[n, 1] = u, v
                    n += 1
                chains += 1
                polygon[n, 0], polygon[n, 1] = point[e, one], point[e, two]
                n += 1
        total = cu = cv = 0.0
        for k in range(1, n - 1):
            ax, ay = polygon[k, 0] - polygon[0, 0], polygon[k, 1] - polygon[0, 1]
            bx, by = polygon[k + 1, 0] - polygon[0, 0], polygon[k + 1, 1] - polygon[0, 1]
            part = 0.5 * (ax * by - ay * bx)
            total += part
            cu += part * (ax + bx) / 3.0
            cv += part * (ay + by) / 3.0
        whole = (quads[f, 2, one] - quads[f, 0, one])**2
        middle[f, d] = level
        if total > 1e-10 * whole:
            area[f] = min(total, whole)
            middle[f, one], middle[f, two] = polygon[0, 0] + cu / total, polygon[0, 1] + cv / total
        else:
            area[f] = 0.0
            middle[f,
                   one], middle[f,
                                two] = 0.5 * (quads[f, 0, one] + quads[f, 2, one]), 0.5 * (quads[f, 0, two] +
                                                                                           quads[f, 2, two])


@njit(**checked)
def bend(point, normal, e, g, one, two, u0, u1, v0, v1):
    """Where the tangents at two crossings meet in the plane of a face; whether that is a corner inside it."""
    au, av, bu, bv = normal[e, one], normal[e, two], normal[g, one], normal[g, two]
    la, lb = np.sqrt(au * au + av * av), np.sqrt(bu * bu + bv * bv)
    if la < 0.05 or lb < 0.05:
        return False, 0.0, 0.0
    au, av, bu, bv = au / la, av / la, bu / lb, bv / lb
    cosine = au * bu + av * bv
    if cosine > BENT or cosine < -0.985:
        return False, 0.0, 0.0
    det = au * bv - av * bu
    p = au * point[e, one] + av * point[e, two]
    q = bu * point[g, one] + bv * point[g, two]
    u, v = (p * bv - q * av) / det, (au * q - bu * p) / det
    slack = 1e-6 * (u1 - u0)
    if u < u0 - slack or u > u1 + slack or v < v0 - slack or v > v1 + slack:
        return False, 0.0, 0.0
    return True, u, v


@njit(parallel=True, **checked)
def measure_leaves(near, start, listed, sign, axis, aperture, face_centre, cut_of, chain, chain_edges, normal,
                   leaf_centre, size, volume, centre, wall_vector, wall_centre):
    """Volume, centroid and wall of each cut leaf."""
    for m in prange(len(near)):
        i = near[m]
        sx = sy = sz = 0.0
        open_area = 0.0
        matrix, rhs, mean, apex = np.zeros((3, 3)), np.zeros(3), np.zeros(3), np.zeros(3)
        count = 0
        for k in range(start[i], start[i + 1]):
            f = listed[k]
            s = sign[k] * aperture[f]
            open_area += aperture[f]
            if axis[f] == 0:
                sx -= s
            elif axis[f] == 1:
                sy -= s
            else:
                sz -= s
            c = cut_of[f]
            if c < 0:
                continue
            for q in range(2):
                for end in range(2):
                    e = chain_edges[c, q, end]
                    if e < 0:
                        continue
                    count += 1
                    offset = 0.0
                    for a in range(3):
                        mean[a] += chain[c, q, 2 * end, a]
                        offset += normal[e, a] * (chain[c, q, 2 * end, a] - leaf_centre[i, a])
                    for a in range(3):
                        rhs[a] += normal[e, a] * offset
                        for b in range(3):
                            matrix[a, b] += normal[e, a] * normal[e, b]
        if open_area <= 0.0:
            volume[i] = 0.0
            continue
        if count == 0:
            volume[i] = size[i]**3
            continue
        for a in range(3):
            mean[a] = mean[a] / count - leaf_centre[i, a]
        # The point that lies best on all tangent planes; drawn a little to the mean where they leave it free.
        pull = 0.02 * count
        for a in range(3):
            rhs[a] += pull * mean[a]
            matrix[a, a] += pull
        solve3(matrix, rhs, apex)
        for a in range(3):
            apex[a] = min(max(apex[a], -0.5 * size[i]), 0.5 * size[i]) + leaf_centre[i, a]
        total, cx, cy, cz = 0.0, 0.0, 0.0, 0.0
        ww = wx = wy = wz = 0.0
        for k in range(start[i], start[i + 1]):
            f = listed[k]
            pyramid = (face_centre[f, axis[f]] - apex[axis[f]]) * sign[k] * aperture[f] / 3.0
            total += pyramid
            cx += pyramid * (0.75 * face_centre[f, 0] + 0.25 * apex[0])
            cy += pyramid * (0.75 * face_centre[f, 1] + 0.25 * apex[1])
            cz += pyramid * (0.75 * face_centre[f, 2] + 0.25 * apex[2])
            c = cut_of[f]
            if c < 0:
                continue
            for q in range(2):
                if chain_edges[c, q, 0] < 0:
                    continue
                middle = chain_edges[c, q, 2] >= 0
                for piece in range(2 if middle else 1):
                    p0 = chain[c, q, piece]
                    p1 = chain[c, q, piece + 1] if middle else chain[c, q, 2]
                    ax, ay, az = p0[0] - apex[0], p0[1] - apex[1], p0[2] - apex[2]
                    bx, by, bz = p1[0] - apex[0], p1[1] - apex[1], p1[2] - apex[2]
                    nx, ny, nz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
                    w = np.sqrt(nx * nx + ny * ny + nz * nz)
                    ww += w
                    wx += w * (apex[0] + p0[0] + p1[0]) / 3.0
                    wy += w * (apex[1] + p0[1] + p1[1]) / 3.0
                    wz += w * (apex[2] + p0[2] + p1[2]) / 3.0
        cube = size[i]**3
        if total <= 1e-9 * cube:
            # A sliver whose pyramids cancel: it goes into a neighbour.
            volume[i] = 1e-9 * cube
        else:
            volume[i] = min(total, cube)
            centre[i, 0], centre[i, 1], centre[i, 2] = cx / total, cy / total, cz / total
            for a in range(3):
                centre[i, a] = min(max(centre[i, a], leaf_centre[i, a] - 0.5 * size[i]),
                                   leaf_centre[i, a] + 0.5 * size[i])
        wall_vector[i, 0], wall_vector[i, 1], wall_vector[i, 2] = sx, sy, sz
        if ww > 0.0:
            wall_centre[i, 0], wall_centre[i, 1], wall_centre[i, 2] = wx / ww, wy / ww, wz / ww
        else:
            for a in range(3):
                wall_centre[i, a] = apex[a]


@njit(**checked)
def solve3(m, b, out):
    """Solve a 3 x 3 system by Cramer's rule."""
    det = (m[0, 0] * (m[1, 1] * m[2, 2] - m[1, 2] * m[2, 1]) - m[0, 1] *
           (m[1, 0] * m[2, 2] - m[1, 2] * m[2, 0]) + m[0, 2] * (m[1, 0] * m[2, 1] - m[1, 1] * m[2, 0]))
    for k in range(3):
        c1, c2 = (k + 1) % 3, (k + 2) % 3
        out[k] = (b[0] * (m[1, c1] * m[2, c2] - m[1, c2] * m[2, c1]) - b[1] *
                  (m[0, c1] * m[2, c2] - m[0, c2] * m[2, c1]) + b[2] *
                  (m[0, c1] * m[1, c2] - m[0, c2] * m[1, c1])) / det
