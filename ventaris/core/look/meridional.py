"""A passage's flow averaged in the direction of turning, over the axis and the radius.

Every cell is spread over the stations that it reaches. Pressure and what the closure carries are averaged by
volume, temperature and velocities by the mass that moves along the stream surface; cells at rest count by
their mass alone.
"""
import numpy as np

# Stations ahead of, on and behind the blade.
AHEAD, ON, BEHIND = 18, 36, 22
# What is shown of a wheel in the open, in tip radii: up- and downstream, and outwards.
REACH, OUTWARDS = 0.8, 1.4
# Of a cell's volume what counts of one whose air does not move, over the mass that would at Mach 1.
AT_REST = 1e-3


def meridional_mean(setup, mesh, values):
    """The mean over the passage.

    Parameters
    ----------
    setup : RowSetup
    mesh : PassageMesh
    values : ndarray, shape (n_own, columns)
        [p, t, along, round] and the closure's of every cell; see `row_planes`.

    Returns
    -------
    points : ndarray, shape (n, 2)
        Axial place and radius, in chords.
    quads : ndarray of int, shape (m, 4)
    means : ndarray, shape (m, columns)
    edges : list of list of int
        Points along the blade's nose and along its tail, from the hub to its tip.
    """
    levels = _levels(setup, mesh)
    stations = np.array([_stations(setup, share) for share in mesh.span[levels]])
    radius = np.array([setup.row.radius(x, share) for x, share in zip(stations, mesh.span[levels])])
    rows, count = [], stations.shape[1]
    for k in range(len(levels) - 1):
        cells = np.nonzero(mesh.level == levels[k])[0]
        density = (1 + setup.air.gamma * values[cells, 0]) / np.maximum(values[cells, 1], 1e-6)
        rows.append(_row(mesh, cells, values[cells], density, 0.5 * (stations[k] + stations[k + 1])))
    corner = np.arange(len(levels) - 1)[:, None] * count + np.arange(count - 1)
    quads = np.stack([corner, corner + 1, corner + count + 1, corner + count], axis=-1).reshape(-1, 4)
    points = np.stack([stations, radius], axis=-1).reshape(-1, 2)
    tips = range(int((mesh.span[levels] <= setup.row.tip + 1e-9).sum()))
    edges = [[k * count + column for k in tips] for column in (AHEAD, AHEAD + ON)]
    return points, quads, np.concatenate(rows), edges


def _levels(setup, mesh):
    """Which levels of the span are shown: all of a duct's."""
    if not setup.is_open:
        return np.arange(len(mesh.span))
    radius = np.array([setup.row.radius_at(share) for share in mesh.span])
    return np.nonzero(radius <= OUTWARDS * setup.row.tip_radius)[0]


def _stations(setup, share):
    """Axial places at a share of the span: the blade's nose and tail are among them."""
    section = setup.row.section(min(share, setup.row.tip))
    x = np.concatenate([section.upper, section.lower])[:, 0]
    nose, tail = float(x.min()), float(x.max())
    first, last = setup.row.x[0], setup.row.x[-1]
    if setup.is_open:
        reach = REACH * setup.row.tip_radius
        first, last = max(first, -reach), min(last, reach)
    close = lambda count: np.linspace(0, 1, count + 1)[1:]**1.5
    ahead = nose - (nose - first) * close(AHEAD)[::-1]
    behind = tail + (last - tail) * close(BEHIND)
    return np.concatenate([ahead, np.linspace(nose, tail, ON + 1), behind])


def _row(mesh, cells, values, density, stations):
    """Means between stations of the cells of one level."""
    x = mesh.points[mesh.corners[cells], 0]
    low, high = x.min(axis=1), x.max(axis=1)
    below = np.clip((stations - low[:, None]) / np.maximum(high - low, 1e-12)[:, None], 0, 1)
    volume = np.diff(below, axis=1) * mesh.volume[cells, None]
    # A station where no cell lies takes the nearest.
    empty = volume.sum(axis=0) <= 0
    middle = 0.5 * (stations[1:] + stations[:-1])
    centre = mesh.centre[cells, 0]
    for k in np.nonzero(empty)[0]:
        volume[np.argmin(np.abs(centre - middle[k])), k] = 1.0
    mass = volume * (density * (np.abs(values[:, 2]) + AT_REST))[:, None]
    by_volume = (volume.T @ values) / volume.sum(axis=0)[:, None]
    by_mass = (mass.T @ values) / mass.sum(axis=0)[:, None]
    by_volume[:, 1:4] = by_mass[:, 1:4]
    return by_volume
