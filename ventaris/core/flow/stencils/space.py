"""Stencils and weights of the least-squares gradients on cut cubes."""
import numpy as np
from numba import njit

from ...grids.mesh import row_sums
from ..boundaries.registry import NO_SLIP, SLIP
from ..loops.reconstruction import turn_along_walls
from ..stream import CENTRED, CENTRED_ON_CUBES
from .lines import line_rows, with_column_rows

# Walls whose area vectors add up to less than this share of their area face each other.
PINCHED = 0.6
# Cosine between a face's normal and the way off the wall below which it stands between two columns.
BESIDE = 0.5


def neighbour_rows(mesh, cell_faces, wide):
    """Cells across the faces of each cell; of the cells in `wide` also those one further.

    Parameters
    ----------
    cell_faces : tuple of ndarray
        (start, faces, sign), as `mesh.cell_faces` gives them.

    Returns
    -------
    start, neighbour : ndarrays
    """
    n, inner = mesh.n_cells, mesh.n_interior
    is_wide = np.zeros(n, dtype=bool)
    is_wide[wide] = True
    start, faces, sign = cell_faces
    inside = faces < inner
    across = np.where(sign > 0, mesh.right[np.minimum(faces, inner - 1)], mesh.left[faces])[inside]
    return _rings(np.concatenate([[0], np.cumsum(inside)])[start], across, is_wide)


@njit(cache=True)
def _rings(first, near, is_wide):
    """Each neighbour once, in rising order; of wide cells also their neighbours': (start, neighbour)."""
    n = len(is_wide)
    start, seen = np.zeros(n + 1, dtype=np.int64), np.full(n, -1, dtype=np.int64)
    out = np.empty(4 * len(near), dtype=np.int64)
    count = 0
    for i in range(n):
        seen[i] = i
        for m in range(first[i], first[i + 1]):
            j = near[m]
            further = first[j + 1] - first[j] if is_wide[i] else 0
            if count + 1 + further > len(out):
                grown = np.empty(2 * len(out) + further, dtype=np.int64)
                grown[:count] = out[:count]
                out = grown
            if seen[j] != i:
                seen[j] = i
                out[count] = j
                count += 1
            for q in range(first[j], first[j] + further):
                if seen[near[q]] != i:
                    seen[near[q]] = i
                    out[count] = near[q]
                    count += 1
        out[start[i]:count].sort()
        start[i + 1] = count
    return start, out[:count].copy()


def weights(mesh, start, points):
    """Weights c with grad_i = sum_k c_k (value_k - value_i), inverse distances squared, shape (m, 3).

    In single precision: they multiply differences, and are among the largest arrays.

    Parameters
    ----------
    points : ndarray, shape (m, 3)
        Position of each stencil member, row after row.
    """
    n = mesh.n_cells
    owner = np.repeat(np.arange(n), np.diff(start))
    offset = (points - mesh.centre[owner]) / mesh.size[owner, None]
    weight = 1.0 / np.maximum((offset**2).sum(axis=1), 1e-6)
    matrix = np.empty((n, 3, 3))
    for a in range(3):
        for b in range(a, 3):
            matrix[:, a, b] = matrix[:, b, a] = np.bincount(owner, weight * offset[:, a] * offset[:, b],
                                                            minlength=n)
    # A cell that sees its neighbours in a plane only gets no gradient across it.
    trace = np.trace(matrix, axis1=1, axis2=2)
    poor = np.linalg.det(matrix) <= 1e-6 * trace**3
    matrix[~poor] = np.linalg.inv(matrix[~poor])
    if poor.any():
        matrix[poor] = np.linalg.pinv(matrix[poor], rcond=1e-3, hermitian=True)
    return (np.einsum("kij,kj->ki", matrix[owner], offset) * weight[:, None] / mesh.size[owner, None]).astype(
        np.float32)


def with_wall_feet(mesh, start, neighbour, points, wall_faces):
    """Rows extended by the foot of every given wall face on the cell itself (member -1 - boundary face)."""
    owner, foot = mesh.left[wall_faces], wall_feet(mesh, wall_faces)
    rows = np.concatenate([np.repeat(np.arange(mesh.n_cells), np.diff(start)), owner])
    order = np.argsort(rows, kind="stable")
    extended = np.zeros(mesh.n_cells + 1, dtype=np.int64)
    np.cumsum(np.bincount(rows, minlength=mesh.n_cells), out=extended[1:])
    members = np.concatenate([neighbour, -1 - (wall_faces - mesh.n_interior)])[order]
    return extended, members, np.concatenate([points, foot])[order]


def wall_feet(mesh, wall_faces):
    """Foot of the cell of each wall face on that face's plane, shape (n, 3)."""
    owner = mesh.left[wall_faces]
    gap = np.einsum("ij,ij->i", mesh.face_centre[wall_faces] - mesh.centre[owner], mesh.normal[wall_faces])
    return mesh.centre[owner] + np.maximum(gap, 0.05 * mesh.size[owner])[:, None] * mesh.normal[wall_faces]


def _along_layers(mesh, start, neighbour):
    """Where the members of each row stand: within layers as far from the wall as they are.

    Two cells along a curved wall are equally far from it although the straight line between them says
    otherwise; taken as it lies, the layer's profile would look like a gradient along the wall.
    """
    owner = np.repeat(np.arange(mesh.n_cells), np.diff(start))
    points = mesh.centre[neighbour]
    both = np.nonzero(mesh.is_layer[owner] & mesh.is_layer[neighbour])[0]
    i, j, way = owner[both], neighbour[both], mesh.away[owner[both]]
    rise = mesh.distance[j] - mesh.distance[i]
    along = ((points[both] - mesh.centre[i]) * way).sum(axis=1)
    points[both] += (rise - along)[:, None] * way
    return points


def face_offsets(mesh, at=None):
    """Ways from the centres of a face's two cells to its centre, or to another place for each face, shape
    (n_faces, 2, 3); none from beyond the boundary."""
    at, inner = mesh.face_centre if at is None else at, mesh.n_interior
    out = np.zeros((mesh.n_faces, 2, 3))
    out[:, 0] = at - mesh.centre[mesh.left]
    out[:inner, 1] = at[:inner] - mesh.centre[mesh.right[:inner]]
    return out


class SpaceStencils:
    """Stencils of one mesh and its boundary conditions; offers what `PlaneStencils` does.

    A cell reads its face neighbours; at a cut or poorly joined cell also theirs; in wall layers those on the
    lines through its column. Velocity is carried along walls that are slipped along or bridged; between walls
    that face each other nothing is carried.
    """
    def __init__(self, mesh, kind, cell_faces, turbulent, drift):
        """`drift` is how faces move, shape (n_faces, 3), or nothing."""
        self.mesh, first = mesh, mesh.n_interior
        n, inside = mesh.n_cells, slice(0, first)
        joins = np.bincount(mesh.left[inside], minlength=n) + np.bincount(mesh.right[inside], minlength=n)
        cut = np.unique(np.concatenate([mesh.left[mesh.wall_faces()], np.nonzero(joins < 4)[0]]))
        cut = cut[~mesh.is_layer[cut]]
        walls = first + np.nonzero((kind == SLIP) | (kind == NO_SLIP))[0]
        sticky = first + np.nonzero(kind == NO_SLIP)[0]
        self.blend = np.empty(0, dtype=np.float32)
        if mesh.lines is None:
            self._fit(cell_faces, cut, sticky, turbulent)
        else:
            self._along_lines(sticky, turbulent)
        self.offset = self._offsets(sticky)
        self.drift = drift[first:]
        self.distance = self._wall_distance(kind)
        self.pinched = pinched_cells(mesh, walls)
        turned = np.nonzero((kind == SLIP) | ((kind == NO_SLIP) & turbulent))[0]
        cell = mesh.left[first:]
        turned = turned[~np.isin(cell[turned], self.pinched)]
        self.turned = turned[np.argsort(cell[turned], kind="stable")]
        self.turned_cells, head = np.unique(cell[self.turned], return_index=True)
        self.turned_first = np.append(head, len(self.turned)).astype(np.int64)

    def _fit(self, cell_faces, cut, sticky, turbulent):
        """Least squares over neighbours."""
        mesh = self.mesh
        start, neighbour = neighbour_rows(mesh, cell_faces, cut)
        sheared = len(sticky) and mesh.is_layer.any()
        points = _along_layers(mesh, start, neighbour) if sheared else mesh.centre[neighbour]
        rows = start, neighbour.astype(np.int32), weights(mesh, start, points)
        self.scalar, own = self._through_columns(rows)
        self.velocity = self.scalar
        if own.any():
            left, right = mesh.left[:mesh.n_interior], mesh.right[:mesh.n_interior]
            self.blend = np.where(own[left] & own[right], CENTRED, CENTRED_ON_CUBES).astype(np.float32)
        if len(sticky) and not turbulent:
            rows, members, points = with_wall_feet(mesh, start, neighbour, points, sticky)
            feet = sticky, wall_feet(mesh, sticky)
            rows = rows, members.astype(np.int32), weights(mesh, rows, points)
            self.velocity, _ = self._through_columns(rows, feet)

    def _offsets(self, sticky):
        """Ways to the faces where friction makes layers: between columns both cells' wall distances tell how
        far off the wall the face is. Nothing where the straight ways do."""
        mesh, inner = self.mesh, self.mesh.n_interior
        if not len(sticky) or not mesh.is_layer.any():
            return np.empty((0, 2, 3))
        out, left, right = face_offsets(mesh), mesh.left[:inner], mesh.right[:inner]
        both = np.nonzero(mesh.is_layer[left] & mesh.is_layer[right])[0]
        for side, (one, two) in enumerate(((left, right), (right, left))):
            i, j = one[both], two[both]
            way = mesh.away[i]
            beside = np.abs((mesh.normal[both] * way).sum(axis=1)) < BESIDE
            rise = 0.5 * (mesh.distance[j] - mesh.distance[i]) - (out[both, side] * way).sum(axis=1)
            out[both, side] += (beside * rise)[:, None] * way
        return out

    def _through_columns(self, rows, feet=None):
        """Rows in which the cells of layers read along their columns, and which those are."""
        if not self.mesh.is_layer.any():
            return rows, np.zeros(self.mesh.n_cells, dtype=bool)
        return with_column_rows(self.mesh, rows, feet)

    def _along_lines(self, sticky, turbulent):
        """Differences along the lines of a grid of hexahedra."""
        mesh = self.mesh
        start, member, weight = line_rows(mesh)
        self.scalar = self.velocity = start, member.astype(np.int32), weight
        if len(sticky) and not turbulent:
            start, member, weight = line_rows(mesh, (sticky, wall_feet(mesh, sticky)))
            self.velocity = start, member.astype(np.int32), weight

    def _wall_distance(self, kind):
        """Distance of each cell to the nearest wall with friction: the body, or a side of the box."""
        mesh, first, out = self.mesh, self.mesh.n_interior, self.mesh.distance
        for name, faces in mesh.boundaries.items():
            if name not in mesh.walls and len(faces) and kind[faces[0] - first] == NO_SLIP:
                axis = int(np.argmax(np.abs(mesh.normal[faces[0]])))
                out = np.minimum(out, np.abs(mesh.centre[:, axis] - mesh.face_centre[faces[0], axis]))
        return out

    def let_through(self):
        """Forget that the velocity runs along walls: for trials in which walls are open."""
        self.turned_cells, self.turned, self.turned_first = np.empty(0, np.int64), np.empty(
            0, np.int64), np.zeros(1, int)

    def mend(self, state, grad, is_change=False):
        """Turn velocities along walls, moving ones unless it is a change that is carried; drop gradients
        between walls that face each other."""
        m, first = self.mesh, self.mesh.n_interior
        turn_along_walls(state, self.turned_cells, m.is_layer, self.turned_first, self.turned,
                         m.normal[first:], m.face_centre[first:], m.centre,
                         self.drift[:0] if is_change else self.drift, grad)
        grad[self.pinched] = 0.0


def pinched_cells(mesh, walls):
    """Cells that lie between walls facing each other: too few neighbours to tell how the flow changes across
    them."""
    cell, vector = mesh.left[walls], mesh.normal[walls] * mesh.area[walls, None]
    total = np.bincount(cell, mesh.area[walls], minlength=mesh.n_cells)
    summed = row_sums(cell, vector, mesh.n_cells)
    return np.nonzero(np.linalg.norm(summed, axis=1) < PINCHED * total)[0]
