"""Grids round any set of closed curves: wall layers, then triangles out to the edge of the domain.

The fine wall points and layers are thinned for the coarser levels, so that wall and layers are
nested; the triangles are made anew with sizes to match.
"""
from dataclasses import dataclass

import numpy as np
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import reverse_cuthill_mckee
from scipy.spatial import cKDTree

from .casing import Casing
from .fill import Region, clear_of_fronts, fill, seed_points
from .layers import Columns, column_heights, path_with_wake, plain_path, plant_columns, room_along
from .mesh import MeshError, mesh_from_cells
from .section import LEVELS, STRIDE
from .sizing import SizeField, Zone, wall_arcs
from .spacing import distribute
from .turning_zone import Circle, ring_cells, seam_edges, sew

SIDES = ("far field", "ground", "lower wall", "upper wall", "inlet", "outlet", "symmetry", "casing")
# Share of the quadtree's seeds that the relaxed net keeps, measured.
SEEDS_KEPT = 0.97
# Growth of the triangles is halved from level to level like every other size; beyond this they would lose
# their shape.
MOST_GROWTH = 0.6
# Of a turning zone: points on its circle as the walls see it; least number of cells round it; how high they
# are over the room between circle and layers; how large the triangles within and in its wake over them, and
# for how many diameters.
CIRCLE_POINTS, LEAST_ROUND, RING_ROOM, ZONE_SIZE, ZONE_WAKE = 720, 96, 0.3, (1.6, 2.5), 1.5
# Cells of a ground or channel wall over their distance to the body, for a growth of 1 and the usual wall
# cells.
SIDE_SHARE, WALL_SIZE = 0.35, 2.6 / 160


@dataclass(frozen=True)
class HybridGridPlan:
    """What the generator is asked for; sizes in reference chords, on the fine level.

    Attributes
    ----------
    wall_size, least_size, corner_size : float
        Largest, smallest and corner cell length along walls.
    turn_per_cell : float
        Radians of curvature per wall cell.
    gap_share : float
        Cell length on a wall over the distance to the next wall.
    first_height, layers, layer_growth : wall layers
    growth : float
        Growth of the triangles per unit of distance.
    far_field : float
    domain : {"far field", "ground", "channel", "half", "casing"}
    ground : float or None
        y of the ground line.
    channel : tuple or None
        y of the lower and the upper wall, x of inlet and outlet.
    casing : Casing or None
    sticky_sides : bool
        Whether ground, channel or casing walls carry wall layers.
    wake_size, wake_length : float
        Triangles behind every element; no wake zone where the size is 0.
    zones : tuple of Zone
    turning : tuple of Circle
        Zones that turn.
    """

    wall_size: float = 0.016
    least_size: float = 2e-4
    corner_size: float = 1.2e-3
    turn_per_cell: float = 0.10
    gap_share: float = 0.22
    wall_growth: float = 0.12
    first_height: float = 1e-3
    layers: int = 12
    layer_growth: float = 1.32
    growth: float = 0.17
    far_field: float = 50.0
    domain: str = "far field"
    ground: float | None = None
    channel: tuple | None = None
    casing: Casing | None = None
    sticky_sides: bool = False
    wake_size: float = 0.03
    wake_length: float = 2.0
    incidence: float = 0.0
    zones: tuple = ()
    turning: tuple = ()

    def home_of(self, points):
        """Number of the turning zone that holds the first of some points, -1 for none."""
        return next((k for k, c in enumerate(self.turning) if c.holds(points[:1])[0]), -1)


@dataclass
class _Chain:
    """A wall with its columns, and what lies at the ends of an open one."""

    columns: Columns
    wall: np.ndarray
    end_names: tuple = ("", "")
    home: int = -1


@dataclass(frozen=True)
class _Seam:
    """A turning zone's circle: cells round it on the fine level, and how high they may be on any."""

    circle: Circle
    count: int
    height: float


@dataclass
class _Piece:
    """Part of the outer loop: free points, or the front of a chain."""

    name: str
    points: np.ndarray | None = None
    chain: int | None = None


class HybridGrid:
    """The lines of a grid at the fine level, from which every level is made.

    Parameters
    ----------
    outlines : list of Outline
    plan : HybridGridPlan
    """
    def __init__(self, outlines, plan):
        self.outlines, self.plan, self._counts = outlines, plan, {}
        # Walls keep away from circles as from other walls.
        self.circles = [circle.points(CIRCLE_POINTS) for circle in plan.turning]
        self._wall_points()
        self._plant()
        self._outer_loop()
        self.seams = [self._seam(*pair) for pair in zip(plan.turning, self.circles)]
        self.zones = list(plan.zones) + self._wakes() + self._round_seams()

    def _wall_points(self):
        plan = self.plan
        clouds = [o.at(np.linspace(0, o.length, 1500)) for o in self.outlines]
        self.walls = []
        for k, outline in enumerate(self.outlines):
            others = [c for j, c in enumerate(clouds) if j != k]
            others += self._side_points(clouds[k]) + self.circles
            arcs = wall_arcs(outline, np.concatenate(others) if others else np.empty((0, 2)), plan)
            if plan.domain == "half":
                arcs = arcs[outline.at(arcs)[:, 1] > -1e-9]
                arcs = np.sort(np.where(arcs > 0.75 * outline.length, arcs - outline.length, arcs))
            self.walls.append((outline.at(arcs), outline.name_at(arcs + 1e-9 * outline.length)))

    def _side_points(self, near):
        if self.plan.casing:
            return [self.plan.casing.dense()]
        plan, x = self.plan, np.linspace(near[:, 0].min() - 1, near[:, 0].max() + 1, 400)
        ys = [plan.ground
              ] if plan.domain == "ground" else plan.channel[:2] if plan.domain == "channel" else []
        return [np.stack([x, np.full_like(x, y)], 1) for y in ys]

    def _plant(self):
        plan = self.plan
        half = plan.domain == "half"
        bodies = np.concatenate([w for w, _ in self.walls])
        strips = self._strips(bodies)
        segments = [np.stack([w, np.roll(w, -1, 0)], 1)[:len(w) - half] for w, _ in self.walls]
        segments += [np.stack([p[:-1], p[1:]], 1) for _, p, *_ in strips]
        segments += [np.stack([p, np.roll(p, -1, 0)], 1) for p in self.circles]
        solid = np.concatenate(segments)
        paths = []
        for k, ((wall, names), outline) in enumerate(zip(self.walls, self.outlines)):
            if plan.layers > 1 and outline.is_sharp and not half:
                others = [w for j, (w, _) in enumerate(self.walls) if j != k]
                others += [p for _, p, *_ in strips] + self.circles
                paths.append(
                    path_with_wake(
                        wall, names, lambda at, way: float(
                            room_along(at[None], way[None], solid, plan.wall_size * 20, [0])[0]),
                        cKDTree(np.concatenate(others)) if others else None))
            else:
                paths.append(plain_path(wall, names[:len(wall) - half], not half))
        segments = np.concatenate([p.segments for p in paths] + segments[len(paths):])
        self.chains = []
        for path in paths:
            ends = (np.array([1.0, 0.0]), np.array([-1.0, 0.0])) if half else None
            self._add_chain(path, ends, segments, ("symmetry", "symmetry"))
        self.strips = []
        for name, points, ends, ways in strips:
            if plan.sticky_sides:
                self._add_chain(plain_path(points, [name] * (len(points) - 1), False), ways, segments, ends)
                self.strips.append(_Piece(name, chain=len(self.chains) - 1))
            else:
                self.strips.append(_Piece(name, points=points))

    def _add_chain(self, path, ends, segments, end_names):
        plan = self.plan
        stop, direction, edge_names = plant_columns(path, ends)
        base = path.points[stop]
        room = room_along(base, direction, segments, 1.5 * plan.wall_size * plan.layers, stop)
        heights = column_heights(path, stop, direction, room, plan.first_height, plan.layers,
                                 plan.layer_growth)
        nodes = base[:, None] + heights[:, :, None] * direction[:, None]
        self.chains.append(
            _Chain(Columns(nodes, path.node[stop], path.closed, edge_names), path.nodes, end_names,
                   plan.home_of(path.nodes)))

    def _strips(self, bodies):
        """Walls of the domain: (name, points with the fluid to the right, names and columns' directions of
        the ends)."""
        plan, (up, dn) = self.plan, np.array([[0.0, 1.0], [0.0, -1.0]])
        if plan.casing:
            return plan.casing.strips(plan, bodies)
        if plan.domain == "ground":
            return [("ground", self._line(plan.far_field, -plan.far_field, plan.ground,
                                          bodies), ("far field", "far field"), (up, up))]
        if plan.domain == "channel":
            low, high, inlet, outlet = plan.channel
            return [("lower wall", self._line(outlet, inlet, low, bodies), ("outlet", "inlet"), (up, up)),
                    ("upper wall", self._line(inlet, outlet, high, bodies), ("inlet", "outlet"),
                     (dn, dn))]
        return []

    def _line(self, start, end, y, bodies):
        tree, length, sign = cKDTree(bodies), abs(end - start), np.sign(end - start)
        # Under a body the stream bends along the ground as on the body: cells there shrink with those on the
        # body and with the triangles.
        share = SIDE_SHARE * self.plan.growth * self.plan.wall_size / WALL_SIZE

        def size(s):
            at = np.stack([start + sign * s, np.full_like(s, y)], 1)
            return np.clip(share * tree.query(at)[0], self.plan.wall_size, 0.12 * length)

        s = np.linspace(0, length, 4001)
        count = 4 * int(np.ceil(np.trapezoid(1 / size(s), s) / 4))
        arcs = distribute(size, length, count)
        return np.stack([start + sign * arcs, np.full_like(arcs, y)], 1)

    def _outer_loop(self):
        """Pieces of the outer loop, counter-clockwise; chains stand for their fronts."""
        plan, radius = self.plan, self.plan.far_field
        if plan.casing:
            gaps = plan.casing.gaps([self._ends(piece) for piece in self.strips], plan)
            self.outer = [piece for strip, gap in zip(self.strips, gaps) for piece in (strip, _Piece(*gap))]
        elif plan.domain == "far field":
            angle = np.linspace(0, 2 * np.pi, 64, endpoint=False)
            self.outer = [
                _Piece("far field", np.stack([0.5 + radius * np.cos(angle), radius * np.sin(angle)], 1))
            ]
        elif plan.domain == "ground":
            top = self._top(0)
            angle = np.linspace(0, np.pi, 41)
            arc = np.stack([radius * np.cos(angle), top + (radius - 0.0) * np.sin(angle)], 1)
            self.outer = [self.strips[0], _Piece("far field", arc)]
        elif plan.domain == "channel":
            low, high, inlet, outlet = plan.channel
            y = np.linspace(self._top(0), self._top(1),
                            1 + 4 * max(3, int(np.ceil((high - low) / (0.12 * (outlet - inlet)) / 4 + 4))))
            right, left = np.stack([np.full_like(y, outlet), y],
                                   1), np.stack([np.full_like(y, inlet), y[::-1]], 1)
            self.outer = [self.strips[0], _Piece("outlet", right), self.strips[1], _Piece("inlet", left)]
        else:
            front = self.chains[0].columns.front
            ahead = -self._graded(-front[-1, 0], radius, front[-2:])
            behind = self._graded(front[0, 0], radius, front[:2])
            angle = np.linspace(0, np.pi, 33)
            line = lambda x: np.stack([x, np.zeros_like(x)], 1)
            self.outer = [
                _Piece("symmetry", line(ahead[::-1])),
                _Piece("wall", chain=0),
                _Piece("symmetry", line(behind)),
                _Piece("far field", np.stack([radius * np.cos(angle), radius * np.sin(angle)], 1))
            ]

    def _ends(self, piece):
        """Where a wall of the domain, or its layers, begins and ends, counter-clockwise."""
        points = piece.points if piece.chain is None else self.chains[piece.chain].columns.front
        return points[-1], points[0]

    def _top(self, k):
        piece = self.strips[k]
        return piece.points[0, 1] if piece.chain is None else float(self.chains[piece.chain].columns.front[0,
                                                                                                           1])

    def _graded(self, start, end, last_edge):
        first = np.linalg.norm(last_edge[1] - last_edge[0])

        def size(s):
            return np.minimum(first + 0.15 * s, 0.12 * end)

        s = np.linspace(0, end - start, 4001)
        count = 4 * int(np.ceil(np.trapezoid(1 / size(s), s) / 4))
        return start + distribute(size, end - start, count)

    def _seam(self, circle, points):
        """The ring of cells on either side of a circle: as small as the walls make the triangles at the point
        of it that is nearest to one, for it all turns past there."""
        plan = self.plan
        walls = np.concatenate([w for w, _ in self.walls])
        lengths = np.concatenate([np.linalg.norm(np.roll(w, -1, 0) - w, axis=1) for w, _ in self.walls])
        gap, near = cKDTree(walls).query(points)
        size = float((lengths[near] + plan.growth * gap).min())
        fronts = [chain.columns.front for chain in self.chains]
        fronts = np.concatenate(fronts + [piece.points for piece in self.strips if piece.chain is None])
        room = float(circle.gap(fronts).min())
        count = max(LEAST_ROUND, 4 * int(np.ceil(2 * np.pi * circle.radius / min(size, room) / 4)))
        return _Seam(circle, count, RING_ROOM * room)

    def _round_seams(self):
        """Triangles within a turning zone and in its wake, not much larger than those at its edge."""
        out = []
        for seam in self.seams:
            circle, size = seam.circle, 2 * np.pi * seam.circle.radius / seam.count
            inner, wake = ZONE_SIZE
            out += [Zone("circle", inner * size, *circle.centre, width=2 * circle.radius),
                    Zone("strip", wake * size, *circle.centre, width=2 * circle.radius,
                         length=(1 + 2 * ZONE_WAKE) * circle.radius, angle=self.plan.incidence)]
        return out

    def _wakes(self):
        plan = self.plan
        if not plan.wake_size:
            return []
        out = []
        for outline in self.outlines:
            if plan.home_of(outline.at([0.0])) >= 0:
                # What turns has no one wake.
                continue
            x, y = outline.trailing_edge
            out.append(
                Zone("strip", plan.wake_size, x, y, width=0.16 * outline.scale, length=plan.wake_length,
                     angle=plan.incidence))
        return out

    def level(self, name):
        """The mesh of a level."""
        stride = STRIDE[name]
        return _Assembly(self, stride).mesh()

    def count(self, name):
        """About how many cells a level has; cheap beside making it."""
        if name not in self._counts:
            self._counts[name] = _Assembly(self, STRIDE[name]).estimate()
        return self._counts[name]


class _Assembly:
    """Numbers the nodes of one level and joins layers and triangles."""
    def __init__(self, grid, stride):
        self.grid, self.stride = grid, stride
        self.points, self.cells, self.edges = [], [], {}
        self.count, self.seams, self.rings, self.ring_nodes = 0, {}, [], []

    def _new(self, points):
        self.points.append(points)
        ids = self.count + np.arange(len(points))
        self.count += len(points)
        return ids

    def _note(self, name, pairs):
        self.edges.setdefault(name, []).append(np.asarray(pairs).reshape(-1, 2))

    def _add_columns(self, chain):
        c = chain.columns.thinned(self.stride)
        used, wall_of = np.unique(c.wall_node, return_inverse=True)
        wall_ids = self._new(chain.wall[used])
        n, layers = c.nodes.shape[0], c.nodes.shape[1] - 1
        ids = np.empty((n, layers + 1), dtype=np.int64)
        ids[:, 0] = wall_ids[wall_of]
        ids[:, 1:] = self._new(c.nodes[:, 1:].reshape(-1, 2)).reshape(n, layers)
        here = np.arange(n if c.closed else n - 1)
        there = (here + 1) % n
        quads = np.stack([ids[here, :-1], ids[here, 1:], ids[there, 1:], ids[there, :-1]], axis=-1)
        self.cells.append(quads.reshape(-1, 4))
        for k in here:
            if c.names[k]:
                self._note(c.names[k], (ids[k, 0], ids[there[k], 0]))
        if not c.closed:
            for k, name in ((0, chain.end_names[0]), (n - 1, chain.end_names[1])):
                self._note(name, np.stack([ids[k, :-1], ids[k, 1:]], 1))
        return ids[:, -1], c.front, (len(here), layers)

    def _add_rings(self, number, seam):
        """Cells on both sides of a circle; (points, node numbers) of their far edges, inside and outside."""
        n, circle = seam.count // self.stride, seam.circle
        height = min(2 * np.pi * circle.radius / n, seam.height)
        nodes, cells, edges = [], [], []
        for side in (1, -1):
            points = circle.shrunk(side * height).points(n)
            near, far = self._new(circle.points(n)), self._new(points)
            cells.append(sum(len(c) for c in self.cells) + np.arange(n))
            self.cells.append(ring_cells(near, far, side > 0))
            nodes.append(near)
            edges.append((points, far))
        self.seams.update(seam_edges(number, nodes))
        self.rings.append(np.stack(cells))
        self.ring_nodes.append(np.stack(nodes))
        return edges

    def rooms(self):
        """The rooms left for triangles, those of turning zones last: [(Region, node numbers of its points,
        size field)]."""
        grid = self.grid
        fronts = [self._add_columns(chain) for chain in grid.chains]
        self.blocks = [shape for _, _, shape in fronts]
        rings = [self._add_rings(k, seam) for k, seam in enumerate(grid.seams)]
        outer = self._outer_edge(fronts)
        around = [(np.concatenate([points for _, _, points in outer]),
                   np.concatenate([own for _, own, _ in outer]), [edges[1] for edges in rings])]
        around += [(*edges[0], []) for edges in rings]
        for k, chain in enumerate(grid.chains):
            if chain.columns.closed:
                around[chain.home + 1][2].append((fronts[k][1][::-1], fronts[k][0][::-1]))
        return [self._room(*loops) for loops in around]

    def _room(self, outer, numbers, inner):
        plan = self.grid.plan
        region = Region(outer, [points for points, _ in inner])
        return region, np.concatenate([numbers] + [ids for _, ids in inner]), SizeField(
            region.points, region.sizes, self.grid.zones, min(plan.growth * self.stride, MOST_GROWTH),
            0.2 * plan.far_field, self.stride)

    def _outer_edge(self, fronts):
        """Pieces of the outer loop with their node numbers and points."""
        grid, ids = self.grid, []
        for piece in grid.outer:
            if piece.chain is not None:
                own, points = fronts[piece.chain][0][::-1], fronts[piece.chain][1][::-1]
            else:
                points = piece.points[::self.stride]
                if len(grid.outer) > 1 and not np.array_equal(points[-1], piece.points[-1]):
                    points = np.concatenate([points, piece.points[-1:]])
                if piece.name in ("ground", "lower wall", "upper wall", "casing"):
                    points = points[::-1]
                own = None
            ids.append([piece, own, points])
        self._join(ids)
        return ids

    def mesh(self):
        for region, numbers, size in self.rooms():
            points, triangles = fill(region, size)
            number = np.concatenate([numbers, self._new(points[len(region.points):])])
            triangles = number[triangles[_banded(triangles, len(points))]]
            self.cells.append(np.concatenate([triangles, triangles[:, 2:]], axis=1))
        edges = {name: np.concatenate(pairs) for name, pairs in self.edges.items()}
        walls = [name for name in edges if name not in SIDES]
        edges = {name: edges[name] for name in walls + [n for n in edges if n in SIDES]} | self.seams
        layout = {"topology": "hybrid", "blocks": self.blocks, "shape": (0, 0)}
        mesh = mesh_from_cells(np.concatenate(self.points), np.concatenate(self.cells), edges, walls, layout)
        if self.seams:
            mesh = sew(mesh, self.grid.plan.turning, self.rings, self.ring_nodes)
        for name, faces in mesh.boundaries.items():
            mesh.boundaries[name] = _in_order(mesh.face_nodes, faces)
        return mesh

    def estimate(self):
        """Cells of the level, the triangles estimated from the first seeds."""
        total = 0
        for region, _, size in self.rooms():
            seeds = seed_points(size, region.points.min(0), region.points.max(0))
            inside = SEEDS_KEPT * len(clear_of_fronts(region, seeds[region.holds(seeds)], 0.75))
            total += 2 * inside + len(region.points)
        return int(total + sum(n * m for n, m in self.blocks) + sum(ring.size for ring in self.rings))

    def _join(self, pieces):
        """Give the free pieces numbers; where a piece ends the next begins, the point is one."""
        n = len(pieces)
        for k, (piece, own, points) in enumerate(pieces):
            if own is None:
                before, after = pieces[k - 1], pieces[(k + 1) % n]
                first = before[1][-1] if n > 1 and before[1] is not None else None
                last = after[1][0] if n > 1 and after[1] is not None else None
                start, stop = int(first is not None), len(points) - int(last is not None)
                middle = self._new(points[start:stop])
                pieces[k][1] = np.concatenate([[first] if start else [], middle,
                                               [last] if last is not None else []]).astype(np.int64)
        for k, (piece, own, points) in enumerate(pieces):
            if piece.chain is None:
                closed = np.roll(own, -1) if n == 1 else own[1:]
                self._note(piece.name, np.stack([own if n == 1 else own[:-1], closed], 1))
        if n > 1:
            for k in range(n):
                # The joint belongs to the piece that comes first.
                following = pieces[(k + 1) % n]
                if pieces[k][1][-1] == following[1][0]:
                    pieces[k][1], pieces[k][2] = pieces[k][1][:-1], pieces[k][2][:-1]
                else:
                    raise MeshError("the pieces of the outer boundary do not meet")


def _in_order(face_nodes, faces):
    """Boundary faces one after the other as they join; closed or several stretches start anywhere."""
    starts = {int(a): k for k, a in enumerate(face_nodes[faces, 0])}
    ends = set(face_nodes[faces, 1].tolist())
    heads = [k for a, k in starts.items() if a not in ends] or [0]
    order, seen = [], np.zeros(len(faces), dtype=bool)
    for head in [*heads, *range(len(faces))]:
        while head is not None and not seen[head]:
            seen[head] = True
            order.append(head)
            head = starts.get(int(face_nodes[faces[head], 1]))
    return faces[order]


def _banded(triangles, count):
    """Order of triangles in which neighbours stand close together."""
    n = len(triangles)
    incidence = csr_matrix((np.ones(3 * n, dtype=np.int8), (np.repeat(np.arange(n), 3), triangles.ravel())),
                           shape=(n, count))
    return reverse_cuthill_mckee((incidence @ incidence.T).tocsr(), symmetric_mode=True)


def generate_hybrid(outlines, plan, levels=LEVELS):
    """Generate the levels of a hybrid grid; returns {level: Mesh}; raises `MeshError`."""
    grid = HybridGrid(outlines, plan)
    return {level: grid.level(level) for level in levels}
