"""Planes through a passage, unrolled, as plane fields: blade to blade at several spans, and the mean over the
turning from hub to casing.

They are one plane mesh: each blade-to-blade plane above the last, in metres along the stream surface and round
it, the meridional mean on top; velocities are those against the blades. What draws, cuts, compares and exports
plane fields then does so for blade rows too.
"""
import numpy as np

from ..grids.mesh import mesh_from_cells
from .drawable import Drawable, drawable

SPANS = (0.1, 0.5, 0.9)
# How far planes stand from each other, in pitches of the next one; passages that are drawn.
GAP, PASSAGES = 0.4, 2
# Cells of the mean over the turning.
MEAN_ALONG, MEAN_UP = 64, 28


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
        where each plane lies ("planes": (span, lower edge, pitch, passages)).
    """
    points, cells, states, edges, layout, base = [], [], [], {"blade": [], "border": []}, [], 0.0
    count = 0
    for span in SPANS:
        at, quads, values, blade, border, pitch = _plane(setup, mesh, state, span)
        shift = base - at[:, 1].min()
        at = at + [0.0, shift]
        points.append(at)
        cells.append(quads + count)
        states.append(values)
        edges["blade"].append(blade + count)
        edges["border"].append(border + count)
        layout.append((span, float(base), float(pitch)))
        count += len(at)
        base = at[:, 1].max() + (PASSAGES - 1 + GAP) * pitch
    flat = mesh_from_cells(np.concatenate(points) * setup.scale, np.concatenate(cells),
                           {name: np.concatenate(parts) for name, parts in edges.items()}, ("blade", ),
                           {"topology": "planes", "planes": [list(map(float, (s, b * setup.scale, q * setup.scale)))
                                                             for s, b, q in layout]})
    return flat, np.concatenate(states)


def _plane(setup, mesh, state, span):
    """One plane: points in chords, quadrilaterals, cell states, edges of the blade and of the border, pitch."""
    row = setup.row
    share = span * (row.tip if row.is_open else 1.0)
    levels = len(mesh.span)
    quads, k, weight = _open_cells(mesh), *_between(mesh, share)
    numbers = np.unique(quads)
    back = np.full(int(numbers.max()) + 1, -1)
    back[numbers] = np.arange(len(numbers))
    low, high = (mesh.points[numbers * levels + m] for m in (k, k + 1))
    at = (1 - weight) * low + weight * high
    r, theta = np.hypot(at[:, 1], at[:, 2]), np.unwrap(np.arctan2(at[:, 2], at[:, 1]))
    middle = float(row.radius(np.zeros(1), share)[0])
    x = np.linspace(at[:, 0].min(), at[:, 0].max(), 401)
    radius = row.radius(x, share)
    along = np.concatenate([[0], np.cumsum(np.hypot(np.diff(x), np.diff(radius)))]) 
    along -= np.interp(0.0, x, along)
    flat = np.stack([np.interp(at[:, 0], x, along), _angles(mesh, at) * middle], axis=1)
    values = _cell_values(setup, mesh, state, share)
    quads = back[quads]
    pairs, owners = _border(quads)
    is_blade = np.isin(pairs, back[_ring(mesh)]).all(axis=1)
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


def _between(mesh, share):
    """(level below a span, weight of the one above)."""
    k = int(np.clip(np.searchsorted(mesh.span, share) - 1, 0, len(mesh.span) - 2))
    return k, float(np.clip((share - mesh.span[k]) / (mesh.span[k + 1] - mesh.span[k]), 0, 1))


def _border(quads):
    """Edges that one quadrilateral has, in its direction, and which one."""
    a, b = quads.ravel(), np.roll(quads, -1, axis=1).ravel()
    owner = np.repeat(np.arange(len(quads)), 4)
    key = np.minimum(a, b) * (int(quads.max()) + 1) + np.maximum(a, b)
    _, inverse, counts = np.unique(key, return_inverse=True, return_counts=True)
    alone = counts[inverse.ravel()] == 1
    return np.stack([a, b], axis=1)[alone], owner[alone]


def _cell_values(setup, mesh, state, share):
    """State of the plane's cells between the middles of two levels: [p, t, along, round, closure]."""
    middle = 0.5 * (mesh.span[1:] + mesh.span[:-1])
    k = int(np.clip(np.searchsorted(middle, share) - 1, 0, len(middle) - 2))
    weight = float(np.clip((share - middle[k]) / (middle[k + 1] - middle[k]), 0, 1))
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


def row_drawable(setup, mesh, state, mean=None):
    """The `Drawable` of kept planes, each repeated over neighbouring passages."""
    one = drawable(mesh, state, setup.air, mean)
    owner = np.zeros(len(one.points), dtype=int)
    planes = mesh.layout["planes"]
    bases = np.array([p[1] for p in planes])
    owner = np.searchsorted(bases - 1e-9, one.points[:, 1], side="right") - 1
    lift = np.array([p[2] for p in planes])[owner]
    points, triangles, edges, walls, count = [], [], [], [], len(one.points)
    for k in range(PASSAGES):
        points.append(one.points + np.stack([np.zeros(count), k * lift], axis=1))
        triangles.append(one.triangles + k * count)
        edges.append(one.edges + k * count)
        for loop in one.wall:
            step = planes[int(np.searchsorted(bases - 1e-9, loop[:, 1].min(), side="right") - 1)][2]
            walls.append(loop + [0.0, k * step])
    values = {
        name: np.tile(v, PASSAGES)
        for name, v in one.values.items() if name not in ("cp", "density_gradient")
    }
    at = np.concatenate(points)
    left, right = at[:, 0].min(), at[:, 0].max()
    bottom, top = at[:, 1].min(), at[:, 1].max()
    if setup.is_open:
        reach = 2.5 * setup.scale
        left, right = -reach, reach
    return Drawable(at, np.concatenate(triangles), np.concatenate(edges), walls, values,
                    (float(left), float(right), float(bottom), float(top)))
