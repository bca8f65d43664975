"""Turning zones: circles of a plane's grid that turn in the rest of it, and the seam between.

On either side of the seam stands a ring of equally many, equally wide cells, so that wherever the zone has
turned to every cell of one ring borders on two of the other: the number of faces never changes, and where
they begin and end follows from one angle. A face of the seam is an arc. What counts of it is its area vector,
which is that of its chord whatever lies between the same ends; those of the two arcs of a cell add up to that
of its whole edge, so both sides are closed at any angle, and what leaves one enters the other. The cells of
the rings reach to the circle itself: their volumes hold the sliver between arc and chord. A circle that turns
in itself sweeps no volume, so the seam stands still for both sides.
"""
from dataclasses import dataclass, replace

import numpy as np

from .mesh import MeshError

# Cells of the other ring that a ring's cell reads for its gradients: itself between them, as if grown
# together.
ACROSS = 3
# Points of both sides that are nearer than this share of a cell are drawn as one.
MEETING = 1e-3


@dataclass(frozen=True)
class Circle:
    """Where a zone ends, in reference chords.

    Attributes
    ----------
    x, y, radius : float
    """

    x: float
    y: float
    radius: float

    @property
    def centre(self):
        return np.array([self.x, self.y])

    def points(self, count):
        """Points on it, counter-clockwise from the right, shape (count, 2)."""
        angle = 2 * np.pi * np.arange(count) / count
        return self.centre + self.radius * np.stack([np.cos(angle), np.sin(angle)], axis=1)

    def reach(self, points):
        """Distance of points from the middle, shape (n,)."""
        return np.hypot(*(np.asarray(points) - self.centre).T)

    def holds(self, points):
        """Which points lie within, shape (n,)."""
        return self.reach(points) < self.radius

    def gap(self, points):
        """Distance of points from the circle itself, shape (n,)."""
        return np.abs(self.reach(points) - self.radius)

    def turned(self, points, angle):
        """Points turned about the middle by an angle counter-clockwise, shape (n, 2)."""
        return self.centre + (points - self.centre) @ turning(angle).T

    def shrunk(self, by):
        return replace(self, radius=self.radius - by)


class TurningZone:
    """A zone of one mesh.

    Attributes
    ----------
    circle : Circle
    rings : ndarray of int, shape (2, n)
        Cells inside and outside of the seam, counter-clockwise as they stand before the zone turns; their
        numbers rise, those inside come first.
    nodes : ndarray of int, shape (2, n)
        Points on the circle at which the rings' cells begin.
    seam : ndarray of int, shape (2, n)
        Faces between a cell of the inner ring and the first and the second of the outer that it borders on.
    cells, faces, points : ndarray of int
        What turns; the seam is not among the faces.
    angle : float
        By which it has turned, radians counter-clockwise.
    shift : int
        Of how many cells of the rings that is.
    """
    def __init__(self, circle, rings, nodes, seam, cells, faces, points):
        self.circle, self.rings, self.nodes, self.seam = circle, rings, nodes, seam
        self.cells, self.faces, self.points = cells, faces, points
        self.angle, self.shift, self._first = 0.0, 0, None

    @property
    def count(self):
        return self.rings.shape[1]

    def across(self):
        """(inner, outer) pairs of ring cells that see each other through the seam, each shape (ACROSS, n):
        for each cell of the inner ring."""
        middle = self.shift + int(round(self.part))
        n = np.arange(self.count)
        return np.stack([np.broadcast_to(self.rings[0], (ACROSS, self.count)),
                         np.stack([self.rings[1][(n + middle + k) % self.count] for k in (-1, 0, 1)])])

    @property
    def part(self):
        """Share of a cell of the rings by which it has turned beyond `shift` of them."""
        return self.angle / (2 * np.pi / self.count) - self.shift

    def turn_to(self, mesh, angle):
        """Put the zone's points, cells and faces where they are when it has turned by an angle, and cut the
        seam."""
        if self._first is None:
            self._first = (mesh.points[self.points].copy(), mesh.centre[self.cells].copy(),
                           mesh.face_centre[self.faces].copy(), mesh.normal[self.faces].copy())
        points, centre, face_centre, normal = self._first
        for array, where, first in ((mesh.points, self.points, points), (mesh.centre, self.cells, centre),
                                    (mesh.face_centre, self.faces, face_centre)):
            array[where] = self.circle.turned(first, angle)
        mesh.normal[self.faces] = normal @ turning(angle).T
        self.angle = angle
        self._cut(mesh)

    def _cut(self, mesh):
        """Faces of the seam where the zone stands."""
        count, circle = self.count, self.circle
        step = 2 * np.pi / count
        self.shift = int(np.floor(self.angle / step))
        n, begin = np.arange(count), self.angle + step * np.arange(count)
        edge = step * (n + self.shift + 1)
        for k, (start, end) in enumerate(((begin, edge), (edge, begin + step))):
            faces, outer = self.seam[k], (n + self.shift + k) % count
            half, middle = 0.5 * (end - start), 0.5 * (start + end)
            out = np.stack([np.cos(middle), np.sin(middle)], axis=1)
            mesh.right[faces] = self.rings[1][outer]
            mesh.normal[faces] = out
            mesh.area[faces] = np.maximum(2 * circle.radius * np.sin(half), 0.0)
            mesh.face_centre[faces] = circle.centre + (circle.radius * np.sinc(half / np.pi))[:, None] * out
            ends = (self.nodes[0], self.nodes[1][(n + self.shift + 1) % count], np.roll(self.nodes[0], -1))
            mesh.face_nodes[faces] = np.stack(ends[k:k + 2], axis=1)

    def drift(self, points, rate):
        """Velocity of points that turn with the zone at a rate (radians, counter-clockwise), shape (n, 2)."""
        away = points - self.circle.centre
        return rate * np.stack([-away[:, 1], away[:, 0]], axis=1)


def sewn_triangles(mesh, triangles):
    """Triangles that meet along the seams as they stand: those of the rings' cells, which hang over each
    other or leave slivers, are made anew from the points of both sides.

    Parameters
    ----------
    mesh : Mesh
    triangles : ndarray of int, shape (m, 3)
        Of all of its cells.
    """
    for zone in mesh.zones:
        n, part = np.arange(zone.count), zone.part
        inner, outer = (mesh.cell_nodes[ring] for ring in zone.rings)
        between = zone.nodes[1][(n + zone.shift + 1) % zone.count]
        a, b, far_b, far_a = inner.T
        new = [(a, between, far_a), (between, far_b, far_a), (between, b, far_b)]
        between = zone.nodes[0][(n - zone.shift) % zone.count]
        far_a, far_b, b, a = outer.T
        new += [(far_a, far_b, between), (far_b, b, between), (far_a, between, a)]
        rings = np.zeros(len(mesh.points), dtype=bool)
        rings[zone.nodes] = True
        kept = triangles[~rings[triangles].any(axis=1)]
        new = np.concatenate([np.stack(corners, axis=1) for corners in new])
        if min(part, 1 - part) < MEETING:
            # Points of both sides that all but meet are one.
            one = np.arange(len(mesh.points))
            one[zone.nodes[1][(n + zone.shift + round(part)) % zone.count]] = zone.nodes[0]
            new = one[new]
            new = new[(new != np.roll(new, -1, axis=1)).all(axis=1)]
        triangles = np.concatenate([kept, new])
    return triangles


def points_turned(mesh, angles):
    """Points of a mesh as they stand when its zones have turned by some angles, shape (n_points, 2); the mesh
    is left as it is."""
    points = mesh.points.copy()
    for zone, angle in zip(mesh.zones, angles):
        points[zone.points] = zone.circle.turned(points[zone.points], angle - zone.angle)
    return points


def standing(mesh, faces):
    """Centres of faces as they stand before anything turns, shape (n, 2)."""
    out = mesh.face_centre[faces]
    for zone in mesh.zones:
        own = np.isin(faces, zone.faces)
        out[own] = zone.circle.turned(out[own], -zone.angle)
    return out


def turning(angle):
    """Matrix that turns vectors counter-clockwise."""
    c, s = np.cos(angle), np.sin(angle)
    return np.array([[c, -s], [s, c]])


def seam_edges(number, nodes):
    """{boundary: pairs of points} of a zone's seam, inside and outside, until it is sewn; `nodes` as in
    `TurningZone`."""
    return {f"seam {number} {side}": np.stack([own, np.roll(own, -1)], axis=1)
            for side, own in zip(("inside", "outside"), nodes)}


def ring_cells(near, far, inside):
    """Quadrilaterals between the points on a circle and those of a ring's far edge, shape (n, 4),
    counter-clockwise."""
    quads = np.stack([near, np.roll(near, -1), np.roll(far, -1), far], axis=1)
    return quads if inside else quads[:, ::-1]


def sew(mesh, circles, rings, nodes):
    """Join zones to what is round them, in place of the boundaries that `seam_edges` names.

    Parameters
    ----------
    mesh : Mesh
    circles : sequence of Circle
    rings, nodes : list of ndarray of int, shape (2, n)
        Of each zone, see `TurningZone`.

    Returns
    -------
    Mesh
        With `zones`, none of them turned.

    Raises
    ------
    MeshError
        If the rings of a zone do not stand as they must.
    """
    inner, seams = mesh.n_interior, [name for k, pair in enumerate(nodes) for name in seam_edges(k, pair)]
    gone = np.concatenate([mesh.boundaries[name] for name in seams])
    border = np.setdiff1d(np.arange(inner, mesh.n_faces), gone)
    new = sum(2 * r.shape[1] for r in rings)
    place = np.full(mesh.n_faces, -1)
    place[:inner], place[border] = np.arange(inner), inner + new + np.arange(len(border))

    def rows(old):
        return np.concatenate([old[:inner], np.zeros((new, ) + old.shape[1:], old.dtype), old[border]])

    out = replace(mesh, left=rows(mesh.left), right=rows(mesh.right), normal=rows(mesh.normal),
                  area=rows(mesh.area), face_centre=rows(mesh.face_centre), face_nodes=rows(mesh.face_nodes),
                  volume=mesh.volume.copy(), centre=mesh.centre.copy(), points=mesh.points.copy(),
                  boundaries={name: place[faces] for name, faces in mesh.boundaries.items()
                              if name not in seams})
    zones, begin = [], inner
    for circle, ring, node in zip(circles, rings, nodes):
        seam = begin + np.arange(2 * ring.shape[1]).reshape(2, -1)
        begin += seam.size
        out.left[seam] = ring[0]
        # Until it is cut: so that the faces count as faces between cells.
        out.right[seam] = ring[1]
        _reach_to_circle(out, circle, ring)
        cells = np.nonzero(circle.holds(out.centre))[0]
        inside = np.isin(np.arange(out.n_cells), cells)
        if not inside[ring[0]].all() or inside[ring[1]].any():
            raise MeshError("grid: the cells at the edge of a turning zone do not lie on their sides of it")
        faces = np.setdiff1d(np.nonzero(inside[out.left])[0], seam)
        zones.append(TurningZone(circle, ring, node, seam, cells, faces,
                                 np.unique(out.cell_nodes[cells])))
    out.zones = tuple(zones)
    for zone in zones:
        zone.turn_to(out, 0.0)
    return out


def _reach_to_circle(mesh, circle, ring):
    """Give the cells inside the slivers between their chords and the circle, and take them from those
    outside."""
    half = np.pi / ring.shape[1]
    sliver = circle.radius**2 * (half - np.sin(half) * np.cos(half))
    away = 2 * circle.radius * np.sin(half)**3 / (3 * (half - np.sin(half) * np.cos(half)))
    angle = 2 * half * (np.arange(ring.shape[1]) + 0.5)
    at = circle.centre + away * np.stack([np.cos(angle), np.sin(angle)], axis=1)
    for cells, part in ((ring[0], sliver), (ring[1], -sliver)):
        whole = mesh.volume[cells] + part
        mesh.centre[cells] = (mesh.volume[cells, None] * mesh.centre[cells] + part * at) / whole[:, None]
        mesh.volume[cells] = whole
