"""A triangulated surface of parts and named surfaces, and what can be said of it."""
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from .coordinates import ShapeError
from .triangle_tree import build_tree

SHARP = np.radians(25)


class SurfaceError(ShapeError):
    """A surface that cannot be used; the message says why and what to do."""


@dataclass(frozen=True)
class Surface:
    """Triangles of one or several parts.

    Attributes
    ----------
    vertices : ndarray, shape (n, 3)
        Metres; x along the stream, z up.
    triangles : ndarray of int, shape (m, 3)
    part : ndarray of int, shape (m,)
        Index into `parts` of each triangle.
    patch : ndarray of int, shape (m,)
        Index into `patches`, the named surfaces.
    parts, patches : tuple of str
    """

    vertices: np.ndarray
    triangles: np.ndarray
    part: np.ndarray
    patch: np.ndarray
    parts: tuple
    patches: tuple

    @classmethod
    def of(cls, vertices, triangles, name="body"):
        """One part with one named surface."""
        triangles = np.asarray(triangles, dtype=np.int64)
        zeros = np.zeros(len(triangles), dtype=np.int64)
        return cls(np.asarray(vertices, dtype=float), triangles, zeros, zeros, (name, ), (name, ))

    @cached_property
    def corners(self):
        """Corner points, shape (m, 3, 3)."""
        return self.vertices[self.triangles]

    @cached_property
    def vectors(self):
        """Area vectors, outward where the triangles are ordered so, shape (m, 3)."""
        a, b, c = self.corners.transpose(1, 0, 2)
        return 0.5 * np.cross(b - a, c - a)

    @cached_property
    def normals(self):
        """Unit normals; zero for a triangle without area, shape (m, 3)."""
        size = np.linalg.norm(self.vectors, axis=1)
        return self.vectors / np.where(size > 0, size, 1.0)[:, None]

    @cached_property
    def areas(self):
        return np.linalg.norm(self.vectors, axis=1)

    @cached_property
    def tree(self):
        """The search tree, one root for each part."""
        return build_tree(self.corners, self.part)

    @cached_property
    def box(self):
        """Lower and upper corner, shape (2, 3)."""
        used = self.vertices[self.triangles.ravel()]
        return np.stack([used.min(axis=0), used.max(axis=0)])

    @property
    def size(self):
        return self.box[1] - self.box[0]

    @cached_property
    def edges(self):
        """Every edge once: nodes (k, 2), first and second triangle (-1 where there is none), number of
        triangles."""
        nodes = np.sort(
            np.concatenate([self.triangles[:, [0, 1]], self.triangles[:, [1, 2]], self.triangles[:, [2, 0]]]),
            axis=1)
        owner = np.tile(np.arange(len(self.triangles)), 3)
        key = nodes[:, 0] * len(self.vertices) + nodes[:, 1]
        order = np.argsort(key, kind="stable")
        head = np.concatenate([[True], np.diff(key[order]) != 0])
        first = np.nonzero(head)[0]
        count = np.diff(np.append(first, len(key)))
        second = np.where(count > 1, owner[order[np.minimum(first + 1, len(key) - 1)]], -1)
        return nodes[order[first]], owner[order[first]], second, count

    def sharp_edges(self, angle=SHARP):
        """End points of edges at which the surface turns by more than an angle, or ends, shape (k, 2, 3)."""
        nodes, one, two, count = self.edges
        turn = (self.normals[one] * self.normals[two]).sum(axis=1)
        flat = (count == 2) & (turn > np.cos(angle))
        # Neighbours that disagree about the outside fold back on themselves without being sharp.
        shared = self._agreement
        flat |= (count == 2) & ~shared & (turn < -np.cos(angle))
        flat |= (self.areas[one] == 0) | ((two >= 0) & (self.areas[two] == 0))
        return self.vertices[nodes[~flat]]

    @cached_property
    def _agreement(self):
        """Whether the two triangles of an edge run along it in opposite directions, as they should."""
        nodes, one, two, count = self.edges
        return self._direction(one, nodes) != self._direction(np.maximum(two, 0), nodes)

    def _direction(self, triangle, nodes):
        t = self.triangles[triangle]
        at = np.argmax(t == nodes[:, :1], axis=1)
        return t[np.arange(len(t)), (at + 1) % 3] == nodes[:, 1]

    @cached_property
    def volume(self):
        """Enclosed volume of each part, shape (n_parts,); means something where a part is closed."""
        return np.bincount(self.part, self.spanned_volumes, minlength=len(self.parts))

    @cached_property
    def spanned_volumes(self):
        """Signed volume between the origin and each triangle, shape (m,): over a closed piece they add up to
        what it encloses."""
        a, b, c = self.corners.transpose(1, 0, 2)
        return (a * np.cross(b, c)).sum(axis=1) / 6.0

    def open_parts(self, share=0.02):
        """Parts with no inside worth the name: where the area vectors do not add up to nearly nothing, or
        most edges are open.

        A few cracks do not make a part open: the winding number bridges them.
        """
        total = np.stack(
            [np.bincount(self.part, self.vectors[:, a], minlength=len(self.parts)) for a in range(3)], axis=1)
        area = np.bincount(self.part, self.areas, minlength=len(self.parts))
        rim = self._rim_length()
        size = np.sqrt(np.maximum(area, 1e-300))
        return (np.linalg.norm(total, axis=1)
                > 0.25 * area) | (rim > 2.0 * size) & (self._hollowness() < share)

    def _rim_length(self):
        nodes, one, _, count = self.edges
        rim = count == 1
        length = np.linalg.norm(np.diff(self.vertices[nodes[rim]], axis=1)[:, 0], axis=1)
        return np.bincount(self.part[one[rim]], length, minlength=len(self.parts))

    def _hollowness(self):
        """Volume of each part over that of a sphere of its area."""
        area = np.bincount(self.part, self.areas, minlength=len(self.parts))
        return np.abs(self.volume) / np.maximum(area**1.5 / (6 * np.sqrt(np.pi)), 1e-300)

    def moved(self, matrix=None, shift=(0, 0, 0)):
        """Every vertex times a matrix, then shifted; a mirroring matrix keeps the outside outside."""
        matrix = np.eye(3) if matrix is None else np.asarray(matrix, dtype=float)
        triangles = self.triangles[:, ::-1] if np.linalg.det(matrix) < 0 else self.triangles
        return replace(self, vertices=self.vertices @ matrix.T + np.asarray(shift, dtype=float),
                       triangles=np.ascontiguousarray(triangles))

    def inverted(self):
        """The surface with its inside out."""
        return replace(self, triangles=np.ascontiguousarray(self.triangles[:, ::-1]))

    def only(self, keep):
        """The surface with a selection of its triangles; parts and names without triangles go."""
        part, patch = self.part[keep], self.patch[keep]
        parts, patches = np.unique(part), np.unique(patch)
        vertices, triangles = np.unique(self.triangles[keep], return_inverse=True)
        return Surface(self.vertices[vertices], triangles.reshape(-1, 3), np.searchsorted(parts, part),
                       np.searchsorted(patches, patch), tuple(self.parts[p] for p in parts),
                       tuple(self.patches[p] for p in patches))

    def mirrored(self, axis=1):
        """The surface with its mirror image; both halves share parts and names."""
        flip = np.ones(3)
        flip[axis] = -1
        other = self.moved(np.diag(flip))
        return welded(
            replace(self, vertices=np.concatenate([self.vertices, other.vertices]),
                    triangles=np.concatenate([self.triangles, other.triangles + len(self.vertices)]),
                    part=np.concatenate([self.part,
                                         self.part]), patch=np.concatenate([self.patch, self.patch])))


def joined(surfaces):
    """Several surfaces as one; parts and patches of the same name stay apart by a number behind it.

    Raises
    ------
    SurfaceError
        If there is nothing to join.
    """
    if not surfaces:
        raise SurfaceError("There is no surface. Add a part.")
    vertices, triangles, part, patch, parts, patches = [], [], [], [], [], []
    offset = 0
    for s in surfaces:
        vertices.append(s.vertices)
        triangles.append(s.triangles + offset)
        part.append(s.part + len(parts))
        patch.append(s.patch + len(patches))
        parts += [free_name(name, parts) for name in s.parts]
        patches += [free_name(name, patches) for name in s.patches]
        offset += len(s.vertices)
    return Surface(np.concatenate(vertices), np.concatenate(triangles), np.concatenate(part),
                   np.concatenate(patch), tuple(parts), tuple(patches))


def free_name(name, taken):
    """The name, with a number behind it if it is taken."""
    candidate, k = name, 2
    while candidate in taken:
        candidate, k = f"{name} {k}", k + 1
    return candidate


def welded(surface, tolerance=1e-6):
    """Vertices nearer to each other than a share of the size become one; triangles that lose a corner go."""
    step = max(float(np.ptp(surface.vertices, axis=0).max()), 1e-300) * tolerance
    lattice = np.round((surface.vertices - surface.vertices.min(axis=0)) / step).astype(np.int64)
    key = (lattice[:, 0] << 42) | (lattice[:, 1] << 21) | lattice[:, 2]
    _, first, inverse = np.unique(key, return_index=True, return_inverse=True)
    triangles = inverse.ravel()[surface.triangles]
    good = (triangles[:, 0] != triangles[:, 1]) & (triangles[:, 1] != triangles[:, 2]) & (triangles[:, 2]
                                                                                          != triangles[:, 0])
    return replace(surface, vertices=surface.vertices[first], triangles=triangles[good],
                   part=surface.part[good], patch=surface.patch[good])


@dataclass(frozen=True)
class Condition:
    """What is odd about a surface.

    Attributes
    ----------
    open_edges, crowded_edges, flipped_edges, flat_triangles, doubled_triangles : int
        Edges with one triangle; with more than two; whose two triangles disagree about the outside; triangles
        without area; triangles that stand twice.
    open_parts, inside_out_parts : tuple of str
    notes : list of str
    """

    open_edges: int
    crowded_edges: int
    flipped_edges: int
    flat_triangles: int
    doubled_triangles: int
    open_parts: tuple
    inside_out_parts: tuple
    notes: list = field(default_factory=list)


def inspect(surface):
    """Look a surface over.

    Returns
    -------
    Condition
    """
    nodes, one, two, count = surface.edges
    is_open = surface.open_parts()
    inside_out = ~is_open & (surface.volume < 0)
    doubled = len(surface.triangles) - len(np.unique(np.sort(surface.triangles, axis=1), axis=0))
    flat = int((surface.areas <= 1e-14 * float(surface.size.max())**2).sum())
    condition = Condition(int((count == 1).sum()), int((count > 2).sum()),
                          int(((count == 2) & ~surface._agreement).sum()), flat, int(doubled),
                          tuple(surface.parts[p] for p in np.nonzero(is_open)[0]),
                          tuple(surface.parts[p] for p in np.nonzero(inside_out)[0]))
    return replace(condition, notes=list(_notes(surface, condition)))


def _notes(surface, c):
    longest = float(surface.size.max())
    if longest > 500:
        yield (
            f"The surface is {longest:.4g} m long. Was the file written in millimetres? Choose its unit "
            "again."
        )
    elif longest > 30:
        yield (
            f"The surface is {longest:.4g} m long. That is much for a vehicle or a model: if the file was "
            "written in millimetres or inches, choose its unit again."
        )
    elif longest < 0.005:
        yield (
            f"The surface is only {1000 * longest:.3g} mm long. Was the file written in metres? Choose its "
            "unit again."
        )
    if c.open_parts:
        yield (
            f"{_listed(c.open_parts)} {'has' if len(c.open_parts) == 1 else 'have'} no inside: an open sheet "
            "becomes a plate a little thicker than one wall cell.")
    if c.open_edges and not c.open_parts:
        yield (
            f"{c.open_edges} edges are open (cracks or missing faces). Small ones are bridged: what the "
            "surface goes round still counts as inside."
        )
    if c.inside_out_parts:
        yield (
            f"{_listed(c.inside_out_parts)} {'is' if len(c.inside_out_parts) == 1 else 'are'} turned inside "
            "out. That does no harm here."
        )
    if c.flipped_edges:
        yield (
            f"{c.flipped_edges} edges have triangles that disagree about the outside. Single flipped "
            "triangles are outvoted by their neighbours."
        )
    if c.crowded_edges:
        yield (
            f"{c.crowded_edges} edges belong to more than two triangles (walls inside the body, or parts "
            "that touch). Only the outside is used."
        )
    if c.doubled_triangles:
        yield f"{c.doubled_triangles} triangles stand twice."
    if c.flat_triangles:
        yield f"{c.flat_triangles} triangles have no area; they are left out of the flow."


def _listed(names, most=4):
    names = [f"“{n}”" for n in names]
    return ", ".join(names) if len(
        names) <= most else f"{', '.join(names[:most])} and {len(names) - most} more"
