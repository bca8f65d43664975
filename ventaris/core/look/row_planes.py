"""Planes through a passage, unrolled, as a plane field: blade to blade at several spans, and the mean over
the passage beside them.

They are one plane mesh: the planes stand beside each other, the one nearest to the hub on the left, in metres
along the stream surface and round it; on the right the mean in the direction of turning, along the axis and
outwards. Velocities are those against the blades. What draws, cuts, compares and exports plane fields then
does so for blade rows too.
"""
import numpy as np
from scipy.spatial import cKDTree

from ..grids.mesh import mesh_from_cells
from ..instruments.row_balance import SPANS
from .drawable import Drawable, drawable
from .meridional import meridional_mean

# How far planes stand from each other, over their length; passages that are drawn.
GAP, PASSAGES = 0.12, 3
# An open rotor's planes are kept over so many chords of mid-span about the blades.
KEPT = 6.0


def row_planes(setup, mesh, state):
    """The planes of a passage's flow.

    Parameters
    ----------
    setup : RowSetup
    mesh : PassageMesh
    state : ndarray, shape (n_own, columns)

    Returns
    -------
    Mesh, ndarray
        Lengths in metres; the state's columns are [p, t, along, round] and the closure's. The layout says
        where each plane lies ("planes": [span, left edge, pitch], of the mean one [-1, left edge, 0]), and
        which points of the mean one are the blade's nose and tail ("ends").
    """
    points, cells, states, edges, layout, base = [], [], [], {"blade": [], "border": []}, [], 0.0
    count = 0
    for span in SPANS:
        at, quads, values, blade, border, pitch = _plane(setup, mesh, state, span)
        left, width = at[:, 0].min(), np.ptp(at[:, 0])
        at = at + [base - left, 0.0]
        points.append(at)
        cells.append(quads + count)
        states.append(values)
        edges["blade"].append(blade + count)
        edges["border"].append(border + count)
        layout.append((span, base, pitch))
        count += len(at)
        base += (1 + GAP) * width
    at, quads, values, ends = meridional_mean(setup, mesh, _against_blades(setup, mesh, state,
                                                                     np.arange(mesh.n_own)))
    # Drawn upwards as the planes are, about the height of their middle passage.
    points.append(at + [base - at[:, 0].min(), PASSAGES // 2 * layout[1][2] - at[:, 1].mean()])
    cells.append(quads + count)
    states.append(values)
    edges["border"].append(_border(quads) + count)
    layout.append((-1.0, base, 0.0))
    flat = mesh_from_cells(
        np.concatenate(points) * setup.scale, np.concatenate(cells), {
            name: np.concatenate(parts)
            for name, parts in edges.items()
        }, ("blade", ), {
            "topology": "planes", "ends": [[count + point for point in line] for line in ends],
            "planes": [list(map(float, (s, b * setup.scale, q * setup.scale))) for s, b, q in layout]
        })
    return flat, np.concatenate(states)


def _plane(setup, mesh, state, span):
    """One plane: points in chords, quadrilaterals, cell states, edges of blade and border, pitch."""
    row = setup.row
    share = span * (row.tip if row.is_open else 1.0)
    levels = len(mesh.span)
    quads, k, weight = _open_cells(mesh), *_between(mesh.span, share)
    numbers = np.unique(quads)
    back = np.full(int(numbers.max()) + 1, -1)
    back[numbers] = np.arange(len(numbers))
    low, high = (mesh.points[numbers * levels + m] for m in (k, k + 1))
    at = (1 - weight) * low + weight * high
    middle = row.radius_at(share)
    x = np.linspace(at[:, 0].min(), at[:, 0].max(), 401)
    along = np.concatenate([[0], np.cumsum(np.hypot(np.diff(x), np.diff(row.radius(x, share))))])
    along -= np.interp(0.0, x, along)
    flat = np.stack([np.interp(at[:, 0], x, along), _angles(mesh, at) * middle], axis=1)
    values = _cell_values(setup, mesh, state, share)
    quads = back[quads]
    if row.is_open:
        near = (np.abs(flat[quads, 0]) < 0.5 * KEPT).all(axis=1)
        used, again = np.unique(quads[near], return_inverse=True)
        blade = np.isin(used, back[_ring(mesh)])
        flat, values, quads = flat[used], values[near], again.reshape(-1, 4)
    else:
        blade = np.isin(np.arange(len(flat)), back[_ring(mesh)])
    pairs = _border(quads)
    is_blade = blade[pairs].all(axis=1)
    return flat, quads, values, pairs[is_blade], pairs[~is_blade], mesh.pitch * middle


def _angles(mesh, points):
    """Angles of points round the axis, without jumps within the passage."""
    raw = np.arctan2(points[:, 2], points[:, 1])
    # The passage lies about the angle nought, but for the half turns of one or two blades.
    return np.where(raw > np.pi * 0.999999, raw - 2 * np.pi, raw) if mesh.pitch < np.pi else raw


def _open_cells(mesh):
    """Quadrilaterals of the plane beside the blade, as numbers of the plane's points, shape (n, 4)."""
    levels = len(mesh.span)
    first = np.nonzero(mesh.level == 0)[0]
    order = np.argsort(mesh.plane_cell[first])
    return mesh.corners[first[order], :4] // levels


def _ring(mesh):
    """Numbers of the plane's points on the blade."""
    return np.unique(mesh.face_nodes[mesh.boundaries["blade"]] // len(mesh.span))


def _between(spans, share):
    """(which of the rising spans stands below a share, weight of the one above)."""
    k = int(np.clip(np.searchsorted(spans, share) - 1, 0, len(spans) - 2))
    return k, float(np.clip((share - spans[k]) / (spans[k + 1] - spans[k]), 0, 1))


def _border(quads):
    """Edges that only one quadrilateral has, in its direction."""
    a, b = quads.ravel(), np.roll(quads, -1, axis=1).ravel()
    key = np.minimum(a, b) * (int(quads.max()) + 1) + np.maximum(a, b)
    _, inverse, counts = np.unique(key, return_inverse=True, return_counts=True)
    alone = counts[inverse.ravel()] == 1
    return np.stack([a, b], axis=1)[alone]


def _cell_values(setup, mesh, state, share):
    """State of the plane's cells between the middles of two levels: [p, t, along, round, closure]."""
    k, weight = _between(0.5 * (mesh.span[1:] + mesh.span[:-1]), share)
    out = 0.0
    wanted = np.sort(mesh.plane_cell[mesh.level == 0])
    for level, part in ((k, 1 - weight), (k + 1, weight)):
        cells = np.nonzero(mesh.level == level)[0]
        cells = cells[np.isin(mesh.plane_cell[cells], wanted)]
        cells = cells[np.argsort(mesh.plane_cell[cells])]
        out = out + part * _against_blades(setup, mesh, state, cells)
    return out


def _against_blades(setup, mesh, state, cells):
    """States with the velocity along the stream surface and round the axis, against the blades."""
    x, y, z = mesh.centre[cells].T
    r = np.hypot(y, z)
    u, v, w = state[cells, 2:5].T
    radial = (y * v + z * w) / r
    round_ = (y * w - z * v) / r - setup.turn * r
    along = np.hypot(u, radial) * np.where(u < 0, -1.0, 1.0)
    return np.column_stack([state[cells, :2], along, round_, state[cells, 5:]])


def _welded(points):
    """Points without those that stand in the same place, as they do where passages meet, and the new number
    of each."""
    near = 1e-6 * np.ptp(points, axis=0).max()
    same = np.arange(len(points))
    pairs = cKDTree(points).query_pairs(near, output_type="ndarray")
    # The later of two stands for the earlier; kept in single precision they are not equal to the last bit.
    np.minimum.at(same, pairs.max(axis=1), pairs.min(axis=1))
    kept, again = np.unique(same, return_inverse=True)
    return points[kept], again.ravel()


def row_drawable(setup, mesh, state, mean=None):
    """The `Drawable` of kept planes, each repeated over neighbouring passages."""
    one = drawable(mesh, state, setup.air, mean)
    planes = mesh.layout["planes"]
    bases = np.array([p[1] for p in planes])
    of = lambda x: np.clip(
        np.searchsorted(bases - 1e-6 * np.ptp(one.points[:, 0]), x, side="right") - 1, 0, None)
    owner = of(one.points[:, 0])
    lift = np.array([p[2] for p in planes])[owner]
    points, triangles, edges, walls, count = [], [], [], [], len(one.points)
    passages = 1 if setup.is_open else PASSAGES
    # The mean plane is not repeated.
    repeated = lift[one.triangles[:, 0]] > 0
    for k in range(passages):
        points.append(one.points + np.stack([np.zeros(count), k * lift], axis=1))
        triangles.append(one.triangles[repeated | (k == 0)] + k * count)
        edges.append(one.edges + k * count)
        for loop in one.wall:
            step = planes[int(of(loop[:, 0].min()))][2]
            walls.append(loop + [0.0, k * step])
    # Lines there and back, which hold nothing.
    walls += [one.points[[*line, *line[::-1]]] for line in mesh.layout.get("ends", ())]
    values = {
        name: np.tile(v, passages)
        for name, v in one.values.items() if name not in ("cp", "density_gradient", "vorticity")
    }
    at, again = _welded(np.concatenate(points))
    triangles = [again[np.concatenate(triangles)]]
    edges = [again[np.concatenate(edges)]]
    shared = np.bincount(again)
    values = {name: np.bincount(again, v) / shared for name, v in values.items()}
    (left, bottom), (right, top) = at.min(axis=0), at.max(axis=0)
    return Drawable(at, np.concatenate(triangles), np.concatenate(edges), walls, values,
                    (float(left), float(right), float(bottom), float(top)))
