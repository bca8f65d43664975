"""Gradients along the lines of a grid of hexahedra.

The derivative along each of the three lines through a cell comes from its two neighbours there, of second
order on uneven steps, and is turned into a gradient by the same derivative of the position. Along a curved
wall both neighbours stand in the same layer, so a layer's profile makes no gradient along the wall; least
squares over straight distances did, and a row's march then stalled at a tenth of its start.
"""
import numpy as np

from ...grids.mesh import row_sums

# One neighbour counts as no more than so many times as far as the other.
UNEVEN = 4.0
# Lines span less than this share of a box of their lengths where they lie almost in a plane.
FLAT = 0.15


def line_rows(mesh, feet=None):
    """Stencil rows and weights of every cell.

    Parameters
    ----------
    mesh : PassageMesh
        `mesh.lines`, shape (n_own, 3, 2), holds the neighbours behind and ahead on each line, -1 for none.
    feet : tuple (faces, points) or None
        Boundary faces whose foot on the cell takes the place of a neighbour that is missing there.

    Returns
    -------
    start, member : ndarray of int
        `member` is -1 - b for the foot on boundary face b.
    weights : ndarray, shape (m, 3), single precision
    """
    n = mesh.n_own
    neighbour = mesh.lines.copy()
    there = neighbour >= 0
    way = np.where(there[..., None], mesh.centre[neighbour] - mesh.centre[:n, None, None], 0.0)
    if feet is not None:
        _put_feet(mesh, feet, neighbour, there, way)
    weight = np.einsum("ikl,ild->ildk", np.linalg.inv(_tangents(there, way)), _shares(there, way))
    counts = np.concatenate([there.reshape(n, -1).sum(axis=1), np.zeros(mesh.n_cells - n, dtype=np.int64)])
    return (np.concatenate([[0], np.cumsum(counts)]), neighbour.reshape(-1)[there.ravel()],
            weight.reshape(-1, 3)[there.ravel()].astype(np.float32))


def _shares(there, way):
    """Parts that the two neighbours on each line have in the derivative along it, of second order on uneven
    steps, shape (n, 3, 2)."""
    length = np.linalg.norm(way, axis=-1)
    behind, ahead = length[..., 0], length[..., 1]
    both = there.all(axis=-1)
    far = np.maximum(behind, ahead) / UNEVEN
    b, a = np.where(both, np.maximum(behind, far), behind), np.where(both, np.maximum(ahead, far), ahead)
    total = np.maximum(a * b * (a + b), 1e-300)
    one = np.where(both, -a * a / total, np.where(there[..., 0], -1.0 / np.maximum(b, 1e-300), 0.0))
    two = np.where(both, b * b / total, np.where(there[..., 1], 1.0 / np.maximum(a, 1e-300), 0.0))
    return np.stack([one, two], axis=-1)


def _tangents(there, way):
    """Derivative of the position along each line, shape (n, 3, 3)."""
    return np.einsum("ild,ildk->ilk", _shares(there, way), way)


def with_column_rows(mesh, rows, feet=None):
    """Stencil rows in which the cells of wall layers read along their lines.

    Over the last cell of a column the mean of the cubes that touch it is ahead. Cells whose lines lie almost
    in a plane keep their rows.

    Parameters
    ----------
    mesh : LayeredMesh
    rows : tuple (start, member, weight)
    feet : tuple (faces, points) or None
        As for `line_rows`.

    Returns
    -------
    rows : tuple
        As those given.
    own : ndarray of bool, shape (n_cells,)
        Cells that read along lines.
    """
    n, cubes = mesh.n_cells, _Cubes(mesh)
    member, there, way, ends = _lines_of_columns(mesh, cubes, feet)
    tangent = _tangents(there, way)
    box = np.maximum(np.prod(np.linalg.norm(tangent, axis=2), axis=1), 1e-300)
    good = there.any(axis=-1).all(axis=-1) & (np.abs(np.linalg.det(tangent)) > FLAT * box)
    cells, member, there, way, ends = (x[good] for x in (mesh.lined, member, there, way, ends))
    weight = np.einsum("ikl,ild->ildk", np.linalg.inv(tangent[good]), _shares(there, way))
    place = np.full(n, -1)
    place[cells] = np.arange(len(cells))
    own = place >= 0
    # What ends at cubes shares its weight among them.
    met = own[cubes.under] & ends[place[cubes.under]]
    under, there[ends, 2, 1] = cubes.under[met], False
    given = np.repeat(np.arange(n), np.diff(rows[0]))
    kept = ~own[given]
    owner = np.concatenate([np.repeat(cells, there.reshape(-1, 6).sum(axis=1)), under, given[kept]])
    order = np.argsort(owner, kind="stable")
    members = np.concatenate([member[there], cubes.over[met], rows[1][kept]])
    weights = np.concatenate([weight[there], weight[place[under], 2, 1] * cubes.share[met, None],
                              rows[2][kept]])
    start = np.concatenate([[0], np.cumsum(np.bincount(owner, minlength=n))])
    return (start, members[order].astype(np.int32), weights[order].astype(np.float32)), own


def _lines_of_columns(mesh, cubes, feet):
    """Of the cells with lines: members behind and ahead, whether they are there, the ways to them, and which
    cells end at cubes."""
    cells, member = mesh.lined, mesh.column_lines.copy()
    there = member >= 0
    way = np.where(there[..., None], mesh.centre[member] - mesh.centre[cells, None, None], 0.0)
    ends = ~there[:, 2, 1] & (cubes.area[cells] > 0)
    there[ends, 2, 1] = True
    way[ends, 2, 1] = cubes.middle[cells[ends]] - mesh.centre[cells[ends]]
    if feet is not None:
        _feet_under(mesh, feet, member, there, way)
    return member, there, way, ends


class _Cubes:
    """Cubes that touch the layers: `over` each cell of the layers (`under`), with its `share` of the `area`
    that cell has with all of them; `middle` is their mean centre by area."""
    def __init__(self, mesh):
        inner = mesh.n_interior
        left, right, area = mesh.left[:inner], mesh.right[:inner], mesh.area[:inner]
        joint = np.nonzero(mesh.is_layer[left] != mesh.is_layer[right])[0]
        first = mesh.is_layer[left[joint]]
        self.under = np.where(first, left[joint], right[joint])
        self.over = np.where(first, right[joint], left[joint])
        self.area = np.bincount(self.under, area[joint], minlength=mesh.n_cells)
        self.share = area[joint] / self.area[self.under]
        self.middle = row_sums(self.under, self.share[:, None] * mesh.centre[self.over], mesh.n_cells)


def _feet_under(mesh, feet, member, there, way):
    """Put the feet on the wall where nothing is behind the first cell of a column."""
    faces, points = feet
    foot = np.full(mesh.n_cells, -1)
    foot[mesh.left[faces]] = np.arange(len(faces))
    own = foot[mesh.lined]
    put = np.nonzero((own >= 0) & ~there[:, 2, 0])[0]
    member[put, 2, 0] = -1 - (faces[own[put]] - mesh.n_interior)
    there[put, 2, 0] = True
    way[put, 2, 0] = points[own[put]] - mesh.centre[mesh.lined[put]]


def _put_feet(mesh, feet, neighbour, there, way):
    faces, points = feet
    cell, slot = mesh.left[faces], mesh.slot[faces]
    line, end = np.divmod(slot, 2)
    neighbour[cell, line, end] = -1 - (faces - mesh.n_interior)
    there[cell, line, end] = True
    way[cell, line, end] = points - mesh.centre[cell]
