"""The one Mesh: cell-centred, face-based, unstructured.

Every generator ends here and every flow solver starts here.  A face knows its
left and right cell, its unit normal (pointing from left to right), its size and
its centroid; a cell knows its volume, centroid and wall distance.  Boundary
faces come after the interior ones and are grouped under surface names.

In a plane a "volume" is an area per unit depth and a face's "area" a length per unit
depth.  A mesh of revolution is the half plane y >= 0 turned about the line y = 0: its
volumes and face areas are per radian, its centres are those of the turned bodies, and a
face on the axis has no area.
"""
from dataclasses import dataclass, field, replace

import numpy as np
from scipy.spatial import cKDTree


class MeshError(ValueError):
    """The cells do not make a valid mesh; the message says where and why."""


def row_sums(index, rows, n):
    """Rows added up under their index, shape (n, dim)."""
    return np.stack([np.bincount(index, column, minlength=n) for column in rows.T], axis=1)


class FaceMesh:
    """What every mesh offers a flow: faces with a left and a right cell, those of the boundary last.

    A mesh has `left`, `right` (-1 on the boundary), `normal` (from left to right, outward on the boundary),
    `area`, `face_centre`, `volume`, `centre`, `boundaries` (face indices under each name), `walls` (the names
    of the body's), `dim` and `is_revolved`.

    Where sides repeat each other its last cells are images: each stands for another cell, seen beyond such a
    side. They have a place and a size but no equation; faces have them on their right only.
    """

    images = None
    # Of a grid of hexahedra: the neighbours of each cell along its three lines (see `stencils.lines`).
    lines = None

    @property
    def n_cells(self):
        return len(self.volume)

    @property
    def n_own(self):
        """Number of cells that are no images."""
        return self.n_cells if self.images is None else self.n_cells - len(self.images.donor)

    @property
    def n_faces(self):
        return len(self.area)

    @property
    def n_interior(self):
        return int(np.count_nonzero(self.right >= 0))

    def wall_faces(self):
        """Indices of all faces on the body, shape (n_wall,)."""
        return np.concatenate([self.boundaries[name] for name in self.walls] + [np.empty(0, dtype=np.int64)])

    def openness(self):
        """What each cell's area vectors add up to, outward: nothing where it is closed; shape (n_own, dim).
        """
        vector, inner = self.normal * self.area[:, None], self.n_interior
        return (row_sums(self.left, vector, self.n_own) -
                row_sums(self.right[:inner], vector[:inner], self.n_cells)[:self.n_own])

    def cell_faces(self):
        """Faces of every cell as compressed rows.

        Returns
        -------
        start : ndarray, shape (n_cells + 1,)
        faces : ndarray
        sign : ndarray
            +1 where the cell is on the left of the face, -1 on its right.
        """
        own = np.nonzero((self.right >= 0) & (self.right < self.n_own))[0]
        owner = np.concatenate([self.left, self.right[own]])
        faces = np.concatenate([np.arange(self.n_faces), own])
        sign = np.concatenate([np.ones(self.n_faces), -np.ones(len(own))])
        order = np.argsort(owner, kind="stable")
        start = np.zeros(self.n_cells + 1, dtype=np.int64)
        np.cumsum(np.bincount(owner, minlength=self.n_cells), out=start[1:])
        return start, faces[order], sign[order]


@dataclass(frozen=True)
class Images:
    """Cells seen beyond sides that repeat each other, turned about the x axis.

    Attributes
    ----------
    donor : ndarray of int, shape (n_images,)
        The cell that each stands for.
    turn : ndarray, shape (n_images,)
        By which angle it is turned, radians, from y to z.
    """

    donor: np.ndarray
    turn: np.ndarray

    def turned(self, vectors):
        """Vectors of the donors, shape (n_images, 3), as they are seen."""
        c, s = np.cos(self.turn), np.sin(self.turn)
        x, y, z = vectors.T
        return np.stack([x, c * y - s * z, s * y + c * z], axis=1)


@dataclass
class Mesh(FaceMesh):
    """Cells and faces of a planar mesh.

    Attributes
    ----------
    points : ndarray, shape (n_points, 2)
    cell_nodes : ndarray, shape (n_cells, 4)
        Corner points, counter-clockwise; a triangle repeats its last corner.
    face_nodes : ndarray, shape (n_faces, 2)
    left, right : ndarray of int, shape (n_faces,)
        ``right`` is -1 on the boundary.
    normal : ndarray, shape (n_faces, 2)
        Unit normal from left to right (outward on the boundary).
    area : ndarray, shape (n_faces,)
    face_centre : ndarray, shape (n_faces, 2)
    volume : ndarray, shape (n_cells,)
    centre : ndarray, shape (n_cells, 2)
    boundaries : dict of str to ndarray
        Face indices under each surface name.
    walls : tuple of str
        The names that are walls of the body.
    layout : dict
        What a structured generator wants to remember (``shape``, ``topology``);
        used for interpolation between nested levels, never by the flow solver.
    planar : ndarray or None
        Of a mesh of revolution the cells' area in the half plane; None in a plane.
    zones : tuple of TurningZone
        Circles that turn in the rest; centres and normals are those of where they stand.
    """

    points: np.ndarray
    cell_nodes: np.ndarray
    face_nodes: np.ndarray
    left: np.ndarray
    right: np.ndarray
    normal: np.ndarray
    area: np.ndarray
    face_centre: np.ndarray
    volume: np.ndarray
    centre: np.ndarray
    boundaries: dict
    walls: tuple
    layout: dict = field(default_factory=dict)
    planar: np.ndarray | None = None
    zones: tuple = ()

    dim = 2

    @property
    def is_revolved(self):
        return self.planar is not None

    @property
    def cell_area(self):
        """Area of each cell in the plane, shape (n_cells,)."""
        return self.volume if self.planar is None else self.planar

    def wall_distance(self, faces=None, at=None):
        """Distance of points to the nearest point of the wall.

        Parameters
        ----------
        faces : ndarray or None
            Wall faces to be counted; None takes all.
        at : ndarray, shape (n, 2) or None
            The points; None takes the cell centres.

        Returns
        -------
        distance : ndarray, shape (n,)
        direction : ndarray, shape (n, 2)
            Unit vector from the wall to the point.
        at_corner : ndarray of bool
            Where that point is a corner at which the wall turns by more than 40 degrees.
        """
        faces = self.wall_faces() if faces is None else faces
        at = self.centre if at is None else at
        near = cKDTree(self.face_centre[faces]).query(at, k=min(8, len(faces)))[1].reshape(len(at), -1)
        start, end = (self.points[self.face_nodes[faces, k]][near] for k in (0, 1))
        along = end - start
        share = ((at[:, None] - start) * along).sum(-1) / (along**2).sum(-1)
        foot = start + np.clip(share, 0, 1)[..., None] * along
        gap = np.linalg.norm(at[:, None] - foot, axis=-1)
        best = np.argmin(gap, axis=1)
        row = np.arange(len(at))
        distance, foot = gap[row, best], foot[row, best]
        direction = (at - foot) / np.maximum(distance, 1e-300)[:, None]
        corners = self._wall_corners(faces)
        at_corner = cKDTree(corners).query(foot)[0] < 1e-9 if len(corners) else np.zeros(len(at), dtype=bool)
        return distance, direction, at_corner

    def _wall_corners(self, faces):
        """Wall points at which the wall ends or turns by more than 40 degrees, shape (k, 2)."""
        nodes = self.face_nodes[faces]
        order = np.argsort(nodes.ravel(), kind="stable")
        point, normal = nodes.ravel()[order], np.repeat(self.normal[faces], 2, axis=0)[order]
        pair = np.nonzero(point[1:] == point[:-1])[0]
        turned = (normal[pair] * normal[pair + 1]).sum(1) < np.cos(np.radians(40))
        ends = np.setdiff1d(point, point[pair])
        return self.points[np.concatenate([point[pair][turned], ends])]

    def point_values(self, cell_values):
        """Cell values averaged to the points by inverse distance, shape (n_points, …)."""
        nodes = self.cell_nodes.ravel()
        cells = np.repeat(np.arange(self.n_cells), self.cell_nodes.shape[1])
        weight = 1.0 / np.maximum(np.linalg.norm(self.points[nodes] - self.centre[cells], axis=1), 1e-300)
        total = np.bincount(nodes, weight, minlength=len(self.points))
        values = np.asarray(cell_values, dtype=float)
        flat = values.reshape(self.n_cells, -1)
        out = np.stack([
            np.bincount(nodes, weight * column[cells], minlength=len(self.points)) / total
            for column in flat.T
        ], axis=1)
        return out.reshape((len(self.points), ) + values.shape[1:])


def polygon_measures(corners):
    """Signed areas and centroids of polygons.

    Parameters
    ----------
    corners : ndarray, shape (n, k, 2)

    Returns
    -------
    area : ndarray, shape (n,), positive for counter-clockwise corners
    centre : ndarray, shape (n, 2)
    """
    origin = corners[:, :1]
    local = corners - origin
    following = np.roll(local, -1, axis=1)
    cross = local[..., 0] * following[..., 1] - local[..., 1] * following[..., 0]
    area = 0.5 * cross.sum(axis=1)
    safe = np.where(np.abs(area) > 0, area, 1.0)
    centre = ((local + following) * cross[..., None]).sum(axis=1) / (6.0 * safe[:, None])
    return area, centre + origin[:, 0]


def _measured(points, cell_nodes):
    """(areas, centres) of cells; raises `MeshError` where one is folded over."""
    volume, centre = polygon_measures(points[cell_nodes])
    if volume.min() <= 0:
        worst = int(np.argmin(volume))
        x, y = points[cell_nodes[worst]].mean(axis=0)
        raise MeshError(
            f"{np.count_nonzero(volume <= 0)} cells are folded over, the worst near "
            f"x = {x:.4g}, y = {y:.4g} chords. Take wall layers and triangles (grid.kind) in place of lines, "
            "a thinner first layer, or smooth the corner of the section there.")
    return volume, centre


def mesh_from_cells(points, cell_nodes, boundary_edges, walls, layout=None):
    """Build a Mesh from quadrilateral cells and named boundary edges.

    Parameters
    ----------
    points : ndarray, shape (n_points, 2)
    cell_nodes : ndarray of int, shape (n_cells, 4), counter-clockwise
    boundary_edges : dict of str to ndarray, shape (k, 2)
        Point pairs of every boundary edge under its surface name.
    walls : sequence of str

    Raises
    ------
    MeshError
        If a cell is turned inside out or a boundary edge has no name.
    """
    points = np.asarray(points, dtype=float)
    cell_nodes = np.asarray(cell_nodes, dtype=np.int64)
    volume, centre = _measured(points, cell_nodes)
    n_cells, width = cell_nodes.shape
    start = cell_nodes.ravel()
    end = np.roll(cell_nodes, -1, axis=1).ravel()
    owner = np.repeat(np.arange(n_cells), width)
    real = start != end
    start, end, owner = start[real], end[real], owner[real]
    key = np.minimum(start, end) * len(points) + np.maximum(start, end)
    order = np.argsort(key, kind="stable")
    key, start, end, owner = key[order], start[order], end[order], owner[order]
    first = np.concatenate([[True], key[1:] != key[:-1]])
    head = np.nonzero(first)[0]
    count = np.diff(np.concatenate([head, [len(key)]]))
    if count.max() > 2:
        raise MeshError("an edge is shared by more than two cells")
    inner, outer = head[count == 2], head[count == 1]
    inner = inner[np.argsort(owner[inner], kind="stable")]
    named_key, named = _named_edges(boundary_edges, len(points))
    position = np.searchsorted(named_key, key[outer])
    position = np.minimum(position, max(len(named_key) - 1, 0))
    if len(named_key) != len(outer) or np.any(named_key[position] != key[outer]):
        raise MeshError("the boundary edges of the cells and their surface names do not match")
    name_of = named[position]
    outer = outer[np.argsort(name_of, kind="stable")]
    name_of = np.sort(name_of, kind="stable")
    pick = np.concatenate([inner, outer])
    left, face_start, face_end = owner[pick], start[pick], end[pick]
    right = np.concatenate([owner[inner + 1], np.full(len(outer), -1)])
    tangent = points[face_end] - points[face_start]
    area = np.linalg.norm(tangent, axis=1)
    normal = np.stack([tangent[:, 1], -tangent[:, 0]], axis=1) / area[:, None]
    names = list(boundary_edges)
    groups = {name: len(inner) + np.nonzero(name_of == k)[0] for k, name in enumerate(names)}
    return Mesh(points, cell_nodes, np.stack([face_start, face_end], axis=1), left, right, normal, area,
                0.5 * (points[face_start] + points[face_end]), volume, centre, groups, tuple(walls),
                dict(layout or {}))


def revolve(mesh):
    """The mesh of revolution about y = 0 of a planar mesh with y >= 0.

    Volumes, face areas and all centres are exact integrals over the turned cells, so that a
    stream along the axis is kept to round-off.

    Raises
    ------
    MeshError
        If a point lies below the axis.
    """
    if mesh.points[:, 1].min() < -1e-9:
        x, y = mesh.points[np.argmin(mesh.points[:, 1])]
        raise MeshError(
            f"a mesh of revolution lies above its axis, but it has a point at x = {x:.4g}, y = {y:.4g}")
    corner = mesh.points[mesh.cell_nodes]
    volume, moment = np.zeros(mesh.n_cells), np.zeros((mesh.n_cells, 2))
    for a, b in ((1, 2), (2, 3)):
        triangle = corner[:, [0, a, b]]
        one, two = triangle[:, 1] - triangle[:, 0], triangle[:, 2] - triangle[:, 0]
        area = 0.5 * (one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0])
        r = triangle[..., 1]
        volume += area * r.mean(axis=1)
        moment += (area / 12)[:, None] * (
            (triangle * r[..., None]).sum(axis=1) + triangle.sum(axis=1) * r.sum(axis=1)[:, None])
    start, end = (mesh.points[mesh.face_nodes[:, k]] for k in (0, 1))
    radius = 0.5 * (start[:, 1] + end[:, 1])
    weight = np.stack([2 * start[:, 1] + end[:, 1], start[:, 1] + 2 * end[:, 1]], axis=1) / np.maximum(
        6 * radius, 1e-300)[:, None]
    centre = np.where((radius > 0)[:, None], weight[:, :1] * start + weight[:, 1:] * end, mesh.face_centre)
    return replace(mesh, volume=volume, centre=moment / volume[:, None], area=mesh.area * radius,
                   face_centre=centre, planar=mesh.volume)


def _named_edges(boundary_edges, n_points):
    keys, labels = [], []
    for k, edges in enumerate(boundary_edges.values()):
        edges = np.asarray(edges, dtype=np.int64).reshape(-1, 2)
        keys.append(edges.min(axis=1) * n_points + edges.max(axis=1))
        labels.append(np.full(len(edges), k))
    key, label = np.concatenate(keys), np.concatenate(labels)
    order = np.argsort(key)
    return key[order], label[order]
