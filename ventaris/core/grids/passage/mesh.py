"""The cells and faces of a passage, with the images of its neighbours' cells beyond the sides that repeat."""
from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from scipy.spatial import cKDTree

from ..mesh import FaceMesh, Images, MeshError, row_sums

INNER, LOW, HIGH, INLET, OUTLET, BLADE, HUB, CASING, TIP = range(9)
NAMES = ("inner", "low", "high", "inlet", "outlet", "blade", "hub", "casing", "tip")
WALLS = ("blade", "hub", "casing", "tip")
# Cells nearer to a wall than this many of their own heights are layers (see `stencils.space`).
LAYERED = 12.0


@dataclass
class PassageMesh(FaceMesh):
    """One passage; rows of `centre`, `volume`, `width`, `size`, `distance`, `is_layer` and `away` behind the
    cells' own are those of the images.

    Attributes
    ----------
    points : ndarray, shape (n_points, 3)
    face_nodes : ndarray, shape (n_faces, 4)
    corners : ndarray, shape (n_own, 8)
        Of the cells, the four nearer to the hub first.
    sweep : ndarray, shape (n_faces,)
        Mean over each face of (e_x x r) . n.
    plane_cell, level : ndarray of int, shape (n_own,)
        Where a cell stands in the plane, and between which levels of the span.
    span : ndarray
        Of the levels.
    pitch : float
    lines : ndarray of int, shape (n_own, 3, 2)
        Neighbours behind and ahead of each cell on its three lines, -1 for none.
    slot : ndarray of int, shape (n_faces,)
        At which end of which line of its left cell a face is: twice the line, plus one where it is ahead.
    """

    points: np.ndarray
    face_nodes: np.ndarray
    corners: np.ndarray
    left: np.ndarray
    right: np.ndarray
    normal: np.ndarray
    area: np.ndarray
    face_centre: np.ndarray
    sweep: np.ndarray
    volume: np.ndarray
    centre: np.ndarray
    width: np.ndarray
    size: np.ndarray
    distance: np.ndarray
    is_layer: np.ndarray
    away: np.ndarray
    boundaries: dict
    walls: tuple
    plane_cell: np.ndarray
    level: np.ndarray
    span: np.ndarray
    pitch: float
    images: Images | None = None
    lines: np.ndarray | None = None
    slot: np.ndarray | None = None

    dim = 3
    is_revolved = False


def mesh_of_stack(stack):
    """The passage of stacked planes.

    Parameters
    ----------
    stack : Stack

    Raises
    ------
    MeshError
        Where a cell is folded.
    """
    numbers = _Numbers(stack)
    quads, left, right, tags = _faces(stack, numbers)
    points, n = stack.nodes.reshape(-1, 3), numbers.count
    vector, face_centre, sweep = np.empty((len(left), 3)), np.empty((len(left), 3)), np.empty(len(left))
    face_geometry(points, quads, vector, face_centre, sweep)
    reference, count = np.zeros((n, 3)), np.zeros(n)
    paired = right >= 0
    for side, at in ((left, face_centre), (right[paired], face_centre[paired])):
        reference += row_sums(side, at, n)
        count += np.bincount(side, minlength=n)
    volume, centre = np.zeros(n), np.zeros((n, 3))
    cell_geometry(points, quads, left, right, reference / count[:, None], volume, centre)
    if volume.sum() < 0:
        volume, vector, sweep = -volume, -vector, -sweep
    if volume.min() <= 0:
        worst = centre[np.argmin(volume)]
        raise MeshError(
            f"{np.count_nonzero(volume <= 0)} cells of the passage are folded, the worst at x = "
            f"{worst[0]:.4g}, radius {np.hypot(*worst[1:]):.4g} (in chords of mid-span). Let sections change "
            "more smoothly over the span, or the hub and casing.")
    right, images = _repeat(stack, quads, left, right, tags, n)
    order = _order(left, right, vector, sweep)
    left, right, vector, tags = left[order], right[order], vector[order], tags[order]
    quads, face_centre, sweep = quads[order], face_centre[order], sweep[order]
    area = np.linalg.norm(vector, axis=1)
    normal = vector / np.maximum(area, 1e-300)[:, None]
    boundaries = {name: np.nonzero((tags == k) & (right < 0))[0] for k, name in enumerate(NAMES) if k > HIGH}
    boundaries = {name: faces for name, faces in boundaries.items() if len(faces)}
    most = np.zeros(n)
    np.maximum.at(most, left, area)
    inner = np.nonzero((right >= 0) & (right < n))[0]
    np.maximum.at(most, right[inner], area[inner])
    turned = images.turned(centre[images.donor])
    both = lambda values: np.concatenate([values, values[images.donor]])
    mesh = PassageMesh(points, quads, numbers.corners(stack), left, right, normal, area, face_centre,
                       sweep / np.maximum(area, 1e-300), both(volume), np.concatenate([centre, turned]),
                       both(np.sqrt(most)), both(volume / most), np.zeros(0), np.zeros(0, dtype=bool),
                       np.zeros((0, 3)), boundaries, tuple(w for w in WALLS if w in boundaries),
                       numbers.plane_cell, numbers.level, stack.span, stack.pitch, images)
    _find_lines(mesh)
    measure_walls(mesh)
    return mesh


# Corners of a cell that a face has (as bits), and the end of the line that it is at: two lines in the plane,
# one over the span.
ENDS = {0b00110011: 0, 0b01100110: 3, 0b11001100: 1, 0b10011001: 2, 0b00001111: 4, 0b11110000: 5}


def _find_lines(mesh):
    """Fill `lines` and `slot`."""
    end = np.full(256, -1)
    for bits, slot in ENDS.items():
        end[bits] = slot
    own = (mesh.right >= 0) & (mesh.right < mesh.n_own)
    mesh.lines = np.full((mesh.n_own, 6), -1)

    def slots(faces, cells):
        bits = np.zeros(len(faces), dtype=np.int64)
        for k in range(8):
            bits |= (mesh.face_nodes[faces] == mesh.corners[cells, k][:, None]).any(axis=1).astype(int) << k
        return end[bits]

    faces = np.arange(mesh.n_faces)
    mesh.slot = slots(faces, mesh.left)
    inner = mesh.right >= 0
    mesh.lines[mesh.left[inner], mesh.slot[inner]] = mesh.right[inner]
    mesh.lines[mesh.right[own], slots(faces[own], mesh.right[own])] = mesh.left[own]
    mesh.lines = mesh.lines.reshape(-1, 3, 2)


class _Numbers:
    """Which number a cell of the plane has at each level; those inside the blade begin at the tip."""

    def __init__(self, stack):
        top = stack.nodes.shape[1] - 1
        gap = stack.n_open < len(stack.cells) and stack.tip_level < top
        self.cells = stack.cells if gap else stack.cells[:stack.n_open]
        self.first = np.zeros(len(self.cells), dtype=np.int64)
        self.first[stack.n_open:] = stack.tip_level
        per = top - self.first
        self.base = np.concatenate([[0], np.cumsum(per)[:-1]]) - self.first
        self.count, self.levels = int(per.sum()), top
        self.plane_cell = np.repeat(np.arange(len(self.cells)), per)
        self.level = np.arange(self.count) - self.base[self.plane_cell]

    def of(self, plane_cell, level):
        """Numbers, -1 where there is no cell; shapes broadcast."""
        plane_cell, level = np.broadcast_arrays(plane_cell, level)
        safe = np.maximum(plane_cell, 0)
        there = (plane_cell >= 0) & (level >= self.first[safe]) & (level < self.levels)
        return np.where(there, self.base[safe] + level, -1)

    def corners(self, stack):
        quad = self.cells[self.plane_cell] * (self.levels + 1) + self.level[:, None]
        return np.concatenate([quad, quad + 1], axis=1)


def _faces(stack, numbers):
    """Corners, cells and names of all faces; the right cell is -1 on the boundary and on repeated sides."""
    cells, top = numbers.cells, numbers.levels
    point = lambda p, k: p * (top + 1) + k
    start, end, one, two, names = _plane_edges(stack, cells)
    k = np.arange(top)
    quads = np.stack(np.broadcast_arrays(point(start[:, None], k), point(end[:, None], k),
                                         point(end[:, None], k + 1), point(start[:, None], k + 1)),
                     axis=-1)
    a, b = numbers.of(one[:, None], k[None]), numbers.of(two[:, None], k[None])
    name = np.broadcast_to(names[:, None], a.shape)
    # What has a cell on one side only, and no name, is the blade.
    named = lambda mask, other: np.where((other[mask] < 0) & (name[mask] == INNER), BLADE, name[mask])
    ahead, behind = a >= 0, (b >= 0) & (a < 0)
    out = [(quads[ahead], a[ahead], b[ahead], named(ahead, b)),
           (quads[behind][:, ::-1], b[behind], a[behind], named(behind, a))]
    for first, last, level, floor in ((0, stack.n_open, 0, HUB), (stack.n_open, len(cells), stack.tip_level,
                                                                  TIP)):
        if last <= first:
            continue
        plane, k = np.arange(first, last)[:, None], np.arange(level, top + 1)[None]
        quads = np.stack([point(cells[first:last, m][:, None], k) for m in range(4)], axis=-1)
        below, above = numbers.of(plane, k - 1), numbers.of(plane, k)
        flat = lambda mask, tag: (quads[mask], below[mask], above[mask], np.full(mask.sum(), tag))
        inner, lid = (below >= 0) & (above >= 0), above < 0
        out += [flat(inner, INNER), flat(lid, CASING)]
        bottom = below < 0
        out.append((quads[bottom][:, ::-1], above[bottom], below[bottom], np.full(bottom.sum(), floor)))
    return tuple(np.concatenate(parts) for parts in zip(*out))


def _plane_edges(stack, cells):
    """Edges of the plane: end points, the cells on both sides (-1: none), names."""
    n_points = len(stack.nodes)
    a, b = cells.ravel(), np.roll(cells, -1, axis=1).ravel()
    owner = np.repeat(np.arange(len(cells)), 4)
    key = np.minimum(a, b) * np.int64(n_points) + np.maximum(a, b)
    order = np.argsort(key, kind="stable")
    key, a, b, owner = key[order], a[order], b[order], owner[order]
    head = np.nonzero(np.concatenate([[True], key[1:] != key[:-1]]))[0]
    shared = np.append(head[1:], len(key)) - head == 2
    two = np.where(shared, owner[np.minimum(head + 1, len(owner) - 1)], -1)
    names = np.full(len(head), INNER)
    for line, tag in ((stack.low, LOW), (stack.high, HIGH), (stack.inlet, INLET), (stack.outlet, OUTLET)):
        wanted = np.minimum(line[:-1], line[1:]) * np.int64(n_points) + np.maximum(line[:-1], line[1:])
        names[np.searchsorted(key[head], wanted)] = tag
    return a[head], b[head], owner[head], two, names


def _repeat(stack, quads, left, right, tags, n):
    """Right cells of the sides that repeat each other, which become images, and these."""
    per = stack.nodes.shape[1]
    other = np.arange(len(stack.nodes))
    other[stack.high] = stack.low
    low, high = np.nonzero(tags == LOW)[0], np.nonzero(tags == HIGH)[0]
    low_key = np.sort(quads[low], axis=1)
    high_key = np.sort(other[quads[high] // per] * per + quads[high] % per, axis=1)
    low, high = low[np.lexsort(low_key.T)], high[np.lexsort(high_key.T)]
    right = right.copy()
    right[low], right[high] = n + np.arange(len(low)), n + len(low) + np.arange(len(high))
    turn = np.concatenate([np.full(len(low), -stack.pitch), np.full(len(high), stack.pitch)])
    return right, Images(np.concatenate([left[high], left[low]]), turn)


def _order(left, right, vector, sweep):
    """Turn faces so that the left cell has the lower number; their order by left and right, the boundary
    last."""
    swap = np.nonzero((right >= 0) & (right < left))[0]
    left[swap], right[swap] = right[swap], left[swap].copy()
    vector[swap] *= -1
    sweep[swap] *= -1
    return np.lexsort((right, left, right < 0))


def measure_walls(mesh):
    """Fill the distance to the walls, the way off them, and which cells are layers."""
    n, images = mesh.n_own, mesh.images
    faces = mesh.wall_faces()
    centre, normal, half = mesh.face_centre[faces], mesh.normal[faces], 0.5 * np.sqrt(mesh.area[faces])
    turned = [Images(faces, np.full(len(faces), turn)) for turn in (-mesh.pitch, 0.0, mesh.pitch)]
    centre = np.concatenate([t.turned(centre) for t in turned])
    normal, half = np.concatenate([t.turned(normal) for t in turned]), np.tile(half, 3)
    x = mesh.centre[:n]
    near = cKDTree(centre).query(x, k=4, workers=2)[1]
    way = x[:, None] - centre[near]
    off = np.einsum("ijk,ijk->ij", way, normal[near])
    aside = np.sqrt(np.maximum((way**2).sum(axis=2) - off**2, 0))
    gap = np.sqrt(off**2 + np.maximum(aside - 1.2 * half[near], 0)**2)
    best = np.argmin(gap, axis=1)
    distance = gap[np.arange(n), best]
    away = -normal[near[np.arange(n), best]]
    is_layer = distance < LAYERED * mesh.size[:n]
    both = lambda values: np.concatenate([values, values[images.donor]])
    mesh.distance, mesh.is_layer = both(distance), both(is_layer)
    mesh.away = np.concatenate([away, images.turned(away[images.donor])])


@njit(cache=True, parallel=True)
def face_geometry(points, quads, vector, centre, sweep):
    """Area vector, centroid and swept volume of quadrilaterals, cut into four triangles round their mean
    point."""
    for f in prange(len(quads)):
        m0 = m1 = m2 = 0.0
        for q in range(4):
            m0 += 0.25 * points[quads[f, q], 0]
            m1 += 0.25 * points[quads[f, q], 1]
            m2 += 0.25 * points[quads[f, q], 2]
        total = v0 = v1 = v2 = c0 = c1 = c2 = swept = 0.0
        for q in range(4):
            p, r = quads[f, q], quads[f, (q + 1) % 4]
            a0, a1, a2 = points[p, 0] - m0, points[p, 1] - m1, points[p, 2] - m2
            b0, b1, b2 = points[r, 0] - m0, points[r, 1] - m1, points[r, 2] - m2
            n0, n1, n2 = 0.5 * (a1 * b2 - a2 * b1), 0.5 * (a2 * b0 - a0 * b2), 0.5 * (a0 * b1 - a1 * b0)
            s = np.sqrt(n0 * n0 + n1 * n1 + n2 * n2)
            t0, t1, t2 = m0 + (a0 + b0) / 3.0, m1 + (a1 + b1) / 3.0, m2 + (a2 + b2) / 3.0
            v0, v1, v2 = v0 + n0, v1 + n1, v2 + n2
            c0, c1, c2, total = c0 + s * t0, c1 + s * t1, c2 + s * t2, total + s
            # e_x x r = (0, -z, y)
            swept += n2 * t1 - n1 * t2
        vector[f, 0], vector[f, 1], vector[f, 2] = v0, v1, v2
        total = max(total, 1e-300)
        centre[f, 0], centre[f, 1], centre[f, 2] = c0 / total, c1 / total, c2 / total
        sweep[f] = swept


@njit(cache=True)
def cell_geometry(points, quads, left, right, reference, volume, centre):
    """Volume and centroid by tetrahedra from each cell's reference point to the triangles of its faces."""
    for f in range(len(quads)):
        m0 = m1 = m2 = 0.0
        for q in range(4):
            m0 += 0.25 * points[quads[f, q], 0]
            m1 += 0.25 * points[quads[f, q], 1]
            m2 += 0.25 * points[quads[f, q], 2]
        for side in range(2):
            i = left[f] if side == 0 else right[f]
            if i < 0:
                continue
            sign = 1.0 if side == 0 else -1.0
            o0, o1, o2 = reference[i, 0], reference[i, 1], reference[i, 2]
            x0, x1, x2 = m0 - o0, m1 - o1, m2 - o2
            for q in range(4):
                p, r = quads[f, q], quads[f, (q + 1) % 4]
                y0, y1, y2 = points[p, 0] - o0, points[p, 1] - o1, points[p, 2] - o2
                z0, z1, z2 = points[r, 0] - o0, points[r, 1] - o1, points[r, 2] - o2
                v = sign * (x0 * (y1 * z2 - y2 * z1) + x1 * (y2 * z0 - y0 * z2) + x2 *
                            (y0 * z1 - y1 * z0)) / 6.0
                volume[i] += v
                centre[i, 0] += 0.25 * v * (x0 + y0 + z0)
                centre[i, 1] += 0.25 * v * (x1 + y1 + z1)
                centre[i, 2] += 0.25 * v * (x2 + y2 + z2)
    for i in range(len(volume)):
        for k in range(3):
            centre[i, k] = reference[i, k] + centre[i, k] / volume[i]
