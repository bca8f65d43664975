"""Octree grids round bodies: sizes from distance, edges, curvature and zones, and a budget that is met."""
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from scipy.spatial import cKDTree

from ..shapes.clearances import measure_clearances
from ..shapes.triangle_tree import build_tree
from .cut_cells import HALF_DIAGONAL, Obstacle
from .embedded import embed
from .joined import hull_of, join
from .lattice_skin import count_faces, lattice_skin
from .mesh import MeshError
from .octree import OctreeError, build_octree
from .prisms import SkinError
from .wall_layers import LayerPlan, lay

LEVELS = ("coarse", "medium", "fine")
# Sizes of neighbouring levels: near enough that the coarsest has the same flow, apart enough that what they
# differ by is more than what a cut cell more or less does.
LADDER = 1.5
LARGEST_SHARE = 0.5
# How often cells on the body are halved again where it curves, and the least share that counts of a curvature
# which the stream runs along.
CURVED_HALVINGS, LEAST_ACROSS = 3, 0.5
# A triangle whose normal is lower than this stands over the ground; a gap passes air from so many of the
# smallest cells on.
LOOKS_DOWN, PASSED_BY = -0.5, 2.0
# How much larger than the finest level's a coarser one's box may be before its largest cells are halved, and
# how often they are.
SAME_BOX, MOST_HALVED = 0.15, 1
# Sizes over the finest level's on which cells are counted for a budget.
COUNTED = (4.0, 2.0)
# How many sizes are tried for it at most, after how many one that fits is enough, and by how much larger the
# next is where none was.
MOST_TRIED, ENOUGH_TRIED, STEP_UP = 10, 4, 1.1
# Share of a budget beyond which no better size is looked for.
FILLED = 0.9
# Cubes round layers that have a surface grid of their own at most, over the body's length along the stream.
LARGEST_CUBE = 0.2
# How cells and faces on the body grow when their size is halved.
LEAST_GROWTH, MOST_GROWTH, FACE_GROWTH = 3.0, 8.0, 4.5
# Cells along the wall under layers, which tell apart what lies across it, over what curves and gaps ask of
# cubes.
WIDER = 2.0
# Cells of each size beside the body in the octree that only its surface grid is made on.
LATTICE_BUFFER = 1.0
# Its cells over those asked for: a surface at round numbers then stands between its points.
OFF_ROUND = 0.98637
# Leaves outside the layers' hull over those of the body itself, as seen on wings.
ROUND_HULL = 1.15
# A shell: more than this share of its surface stands over walls thinner than a cell, round a room of so many
# cells.
MOSTLY, ROOMY = 0.5, 4.0


def coarsening(level):
    """Size of a level's cells over the finest level's."""
    return LADDER**(LEVELS.index("fine") - LEVELS.index(level))


@dataclass(frozen=True)
class SolidZone:
    """A region with small cells: kind, middle line from `start` to `end` along x, and how wide and high it is
    at both ends."""

    kind: str
    start: tuple
    length: float
    widths: tuple
    heights: tuple
    size: float

    def holds(self, points, slack):
        """Which points lie in it, or nearer to it than a distance."""
        x, y, z = (points - np.asarray(self.start)).T
        share = np.clip(x / self.length, 0, 1)
        wide = 0.5 * (self.widths[0] + (self.widths[1] - self.widths[0]) * share) + slack
        high = 0.5 * (self.heights[0] + (self.heights[1] - self.heights[0]) * share) + slack
        along = (x > -slack) & (x < self.length + slack)
        return along & ((np.abs(y) < wide) & (np.abs(z) < high) if self.kind == "box" else
                        (y / wide)**2 + (z / high)**2 < 1)


@dataclass(frozen=True)
class BodyGridPlan:
    """How the cells round a body shall be; lengths in the unit of the surface.

    Attributes
    ----------
    low, high : tuple
        Corners of the domain; the upper one may move outward by less than one of the largest cells.
    size : float
        Cells on the body, fine level.
    edge_halvings : int
    curved : float
        Cells per radius of curvature; 0 does not ask.
    across_gap : float
        Cells across the gap to a ground; 0 does not ask.
    buffer : float
        Cells of each size between the body and the next larger ones.
    zones : tuple of SolidZone
    fixed : tuple of bool
        Which of the lower sides (x, y, z) must stand exactly where they are (a ground, a symmetry plane).
    shock_size : float or None
        Cells where the level before found a shock, fine level.
    layers : LayerPlan or None
        Layers at the wall; None cuts the cubes by the wall itself.
    """

    low: tuple
    high: tuple
    size: float
    edge_halvings: int
    curved: float
    buffer: float
    zones: tuple = ()
    fixed: tuple = (False, False, False)
    shock_size: float | None = None
    layers: LayerPlan | None = None
    across_gap: float = 0.0

    def blocks(self, coarser):
        """Largest cells of a grid with cells on the body so many times larger than the finest level's.

        Returns
        -------
        base : float
            Their edge.
        depth : int
            How often they are halved to those on the body.
        blocks : ndarray of int, shape (3,)
            How many there are along each side.
        """
        span = np.subtract(self.high, self.low)
        base, depth = self._largest(self.size, span)
        blocks = _filled(span, base)
        if coarser == 1.0:
            return base, depth, blocks
        # The same box as on the finest level, as nearly as cubes of other sizes can fill it.
        span, tried = blocks * base, []
        base, depth = self._largest(self.size * coarser, span)
        for halved in range(MOST_HALVED + 1):
            blocks = _filled(span, base / 2**halved)
            tried.append((float((blocks * base / 2**halved / span).max()) - 1, halved, blocks))
            if tried[-1][0] < SAME_BOX:
                break
        _, halved, blocks = min(tried, key=lambda t: t[0])
        return base / 2**halved, depth - halved, blocks

    @staticmethod
    def _largest(size, span):
        """Largest cells in a box that are halved to a size, and how often."""
        depth = max(0, int(np.floor(np.log2(LARGEST_SHARE * float(span.min()) / size))))
        return size * 2**depth, depth


def _filled(span, base):
    """Cubes along each side that fill a box."""
    return np.maximum(1, np.ceil(span / base - 1e-6)).astype(int)


class BodyGrids:
    """The levels of one body's grid.

    Parameters
    ----------
    surface : Surface
    plan : BodyGridPlan
    skin_maker : callable (size, coarser) -> Skin, or None
        A surface grid of the body for cubes of a size, so many times larger than the finest level's; None
        takes one from a lattice.
    """
    def __init__(self, surface, plan, skin_maker=None):
        self.surface, self.plan, self.skin_maker = surface, plan, skin_maker
        edges = surface.sharp_edges()
        self.edges = build_tree(np.stack([edges[:, 0], edges[:, 1], edges[:, 1]],
                                         axis=1)) if len(edges) and plan.edge_halvings else None
        wider = WIDER if plan.layers is not None else 1.0
        wanted = [wider * curvature_sizes(surface, plan.curved)] if plan.curved > 0 else []
        if plan.across_gap > 0 and plan.fixed[2]:
            wanted.append(wider * gap_sizes(surface, plan))
        self.wanted_size = np.minimum.reduce(wanted) if wanted else None
        self._trees, self._meshes, self._face_counts, self._clearances = {}, {}, {}, None

    def obstacle(self, level):
        """The surface with sheets and thin parts given the thickness that this level's cells need."""
        size = self._surface_size(level)
        is_open = self.surface.open_parts()
        thickness = np.where(is_open | self._thin_shells(size), 0.6 * size, 0.0)
        return Obstacle(self.surface, is_open, thickness)

    def _thin_shells(self, size):
        """Parts that are mostly walls thinner than a cell round a room with space for cells: drawn as they
        are, such walls would let the air through."""
        room = np.array([
            np.ptp(self.surface.corners[self.surface.part == k].reshape(-1, 3), axis=0).min()
            for k in range(len(self.surface.parts))
        ])
        # A wing whose tips turn up has room between them, and is no shell.
        wide = (room > ROOMY * size) & (self.skin_maker is None)
        if not wide.any():
            return wide
        if self._clearances is None:
            self._clearances = measure_clearances(self.surface, self._surface_size(LEVELS[0]))
        return wide & np.array(
            [self._clearances.share_of_part(k, size)[0] > MOSTLY for k in range(len(wide))])

    def _surface_size(self, level):
        return self.plan.size * coarsening(level)

    def tree(self, level):
        """The octree of a level, before it is cut."""
        return self._tree(coarsening(level))

    def _tree(self, coarser):
        if coarser not in self._trees:
            self._trees[coarser] = self._build(coarser)
        return self._trees[coarser]

    def _build(self, coarser, shocks=None):
        """The octree round the body, with sizes so many times larger than the finest level's."""
        return self._octree(coarser, self.surface.tree, self._sizes(coarser), self.edges, self.plan.zones,
                            shocks)

    def _sizes(self, coarser):
        """Cell size that curves and gaps ask for at each triangle; None where they do not."""
        return None if self.wanted_size is None else self.wanted_size * coarser

    def lattice(self, coarser):
        """The octree on whose leaves the surface grid of layers is made; it reaches below a ground, so that
        what stands on this is closed."""
        return self._octree(coarser, self.surface.tree, self._sizes(coarser), self.edges,
                            buffer=LATTICE_BUFFER, is_lattice=True)

    def _octree(self, coarser, around, sizes, edges=None, zones=(), shocks=None, buffer=None,
                is_lattice=False):
        """The octree round a search tree of triangles, with `sizes` asked for by each of these (None: not),
        small cells at `edges`, in `zones` and at `shocks`.

        A lattice for the surface grid is a little finer and reaches further, below a ground too.
        """
        plan = self.plan
        base, depth, blocks = plan.blocks(coarser)
        if depth < 1:
            raise OctreeError(
                f"grid.surface_size: cells of {plan.size * coarser:.3g} m on a coarse level are as large as "
                "the domain. Make them smaller."
            )
        low, high = np.array(plan.low), np.array(plan.high)
        # What is rounded up goes to both sides, where the lower one may move.
        low -= np.where(plan.fixed, 0.0, 0.5 * (blocks * base - (high - low)))
        if is_lattice:
            base *= OFF_ROUND
            below = np.array([OFF_ROUND, 0.0 if plan.fixed[1] else OFF_ROUND, 1.0])
            low, blocks = low - below * base, blocks + 2
        buffer = plan.buffer if buffer is None else buffer
        edge_depth = depth + (plan.edge_halvings if edges is not None else 0)
        curved_depth = depth + (CURVED_HALVINGS if sizes is not None else 0)
        # Zones and shocks may ask for smaller cells than the body has.
        deep = lambda size: max(0, int(np.ceil(np.log2(base / (size * coarser)) - 0.01)))
        zone_depth = max((deep(zone.size) for zone in zones), default=0)
        front, front_depth = None, 0
        if shocks is not None and len(shocks) and plan.shock_size:
            front = cKDTree(shocks)
            front_depth = deep(plan.shock_size)

        def wanted(number, centres, edge):
            out = np.zeros(len(centres), dtype=bool)
            reach = 0.5 * buffer * edge + HALF_DIAGONAL * edge
            if number < max(curved_depth, depth):
                distance, triangle = around.nearest(centres, within=1.001 * reach, tolerance=0.02)
                close = distance < reach
                if number < depth:
                    out |= close
                else:
                    k = np.nonzero(close)[0]
                    out[k] = sizes[triangle[k]] < 0.75 * edge
            if number < zone_depth:
                for zone in zones:
                    if edge > 1.01 * zone.size * coarser:
                        out |= zone.holds(centres, 0.5 * edge)
            if number < front_depth:
                out |= np.isfinite(front.query(centres, distance_upper_bound=(HALF_DIAGONAL + 1.0) * edge)[0])
            if edges is not None and depth <= number < edge_depth:
                distance, _ = edges.nearest(centres, within=1.001 * reach)
                out |= distance < reach
            return out

        try:
            return build_octree(low, base, blocks, max(edge_depth, curved_depth, front_depth, zone_depth),
                                wanted)
        except OctreeError as error:
            raise MeshError(f"grid: {error}") from None

    def mesh_at_shocks(self, level, shocks):
        """The cut mesh of a level with small cells round points where a shock was found, shape (k, 3); raises
        MeshError."""
        return self._cut(level, shocks)

    def mesh(self, level):
        """The cut mesh of a level; raises MeshError."""
        if level not in self._meshes:
            self._meshes[level] = self._cut(level)
        return self._meshes[level]

    @cached_property
    def _cubes(self):
        """The same without layers: what is not cut by their hull is cut as finely as cubes ask for."""
        plan = self.plan
        return self if plan.layers is None else BodyGrids(self.surface, replace(plan, layers=None))

    def _cut(self, level, shocks=None):
        if self.plan.layers is not None:
            try:
                return join(*self._layered(level, shocks))
            except (SkinError, MeshError) as error:
                mesh = self._cubes._cut(level, shocks)
                mesh.notes.append(f"The {level} grid has no wall layers: {error}.")
                return mesh
        tree = self.tree(level) if shocks is None else self._build(coarsening(level), shocks)
        return embed(tree, self.obstacle(level))

    def _layered(self, level, shocks):
        """What a level with wall layers is joined from; raises SkinError, MeshError."""
        plan, coarser, size = self.plan, coarsening(level), self._surface_size(level)
        if self.surface.open_parts().any() or self._thin_shells(size).any():
            raise SkinError("the surface is open, or a shell thinner than a cell")
        half, ground = plan.fixed[1], plan.low[2] if plan.fixed[2] else None
        obstacle = self.obstacle(level)
        skin = self.skin_maker(size, coarser) if self.skin_maker else lattice_skin(
            obstacle, self.lattice(coarser), half)
        layers = lay(plan.layers, obstacle, skin, size, coarser, ground)
        hull = hull_of(layers, half)
        # Cubes are as large as the faces that the layers grew from.
        sizes = None
        if skin.size is not None:
            middle = hull.surface.corners.mean(axis=1)
            if half:
                # The other half is its mirror image.
                middle[:, 1] = np.abs(middle[:, 1])
            sizes = skin.size[cKDTree(skin.points).query(middle)[1]]
        tree = self._octree(coarser, hull.surface.tree, sizes, zones=plan.zones, shocks=shocks)
        return tree, layers, hull, obstacle, half

    def drawn(self, level):
        """What a drawing shows of a level: the octree, which of its leaves hold air outside the layers, and
        the corners of the layers' cells on the symmetry plane, shape (r, 4, 3)."""
        try:
            tree, layers, hull, _, _ = self._layered(level, None) if self.plan.layers else (None, ) * 5
        except (SkinError, MeshError):
            tree = None
        if tree is None or not len(layers.rim):
            tree = self._cubes.tree(level)
            return tree, np.ones(tree.n_leaves, dtype=bool), np.empty((0, 4, 3))
        near = np.nonzero(np.abs(tree.centre[:, 1]) < tree.size)[0]
        outside = np.ones(tree.n_leaves, dtype=bool)
        outside[near] = hull.signed_distance(tree.centre[near])[0] > -0.5 * tree.size[near]
        return tree, outside, layers.rim

    def _leaves(self, coarser):
        """Leaves of the octree, those inside the body included; of one outside layers, which has no smaller
        ones at edges, curves and gaps, a few more than round the body itself."""
        leaves = self._outside._tree(coarser).n_leaves
        return leaves if self.plan.layers is None else int(ROUND_HULL * leaves)

    @cached_property
    def _outside(self):
        plan = self.plan
        if plan.layers is None or self.skin_maker is None:
            return self
        return BodyGrids(self.surface,
                         replace(plan, layers=None, curved=0.0, edge_halvings=0, across_gap=0.0))

    def _in_layers(self, coarser):
        """Cells that layers add to the leaves of the octree round the body."""
        if self.plan.layers is None:
            return 0
        size = self.plan.size * coarser
        heights = self.plan.layers.heights(size, coarser)
        faces = len(self.skin_maker(size, coarser).faces) if self.skin_maker else self._faces(coarser)
        return faces * len(heights)

    def _faces(self, coarser):
        """About how many faces the surface grid has: counted where cells are much larger, as leaves are."""
        if coarser not in self._face_counts:
            if coarser >= COUNTED[1]:
                self._face_counts[coarser] = count_faces(self.obstacle(LEVELS[0]), self.lattice(coarser))
            else:
                most, more = (self._faces(c) for c in COUNTED)
                growth = min(max(more / max(most, 1), LEAST_GROWTH), FACE_GROWTH)
                self._face_counts[coarser] = int(more * growth**np.log2(COUNTED[1] / coarser))
        return self._face_counts[coarser]

    def growth(self):
        """How many times the leaves of the octree become more when sizes are halved."""
        most, more = (self._leaves(c) for c in COUNTED)
        return min(max(more / most, LEAST_GROWTH), MOST_GROWTH)

    def expected(self, level):
        """Cells of a level: leaves of the octree, those inside the body included, counted where it is there,
        else by how they grow between much larger ones; and what layers add."""
        coarser = coarsening(level)
        if coarser in self._outside._trees:
            leaves = self._leaves(coarser)
        else:
            leaves = int(self._leaves(COUNTED[1]) * self.growth()**np.log2(COUNTED[1] / coarser))
        return leaves + self._in_layers(coarser)


def curvature_sizes(surface, per_radius):
    """Cell size that each triangle's curvature asks for; infinite on flat ones and at sharp edges, shape
    (m,)."""
    nodes, one, two, count = surface.edges
    smooth = (count == 2) & (two >= 0)
    turn = np.arccos(np.clip((surface.normals[one] * surface.normals[np.maximum(two, 0)]).sum(axis=1), -1, 1))
    smooth &= turn < np.radians(25)
    # Normals of triangles between points of a curved surface turn by their heights over the edge, however
    # long they are along it.
    along = surface.vertices[nodes[:, 1]] - surface.vertices[nodes[:, 0]]
    length = np.maximum(np.linalg.norm(along, axis=1), 1e-300)
    along /= length[:, None]
    apart = (surface.areas[one] + surface.areas[np.maximum(two, 0)]) / length
    # What runs along the stream turns little of it.
    across = np.maximum(np.sqrt(np.maximum(1 - along[:, 0]**2, 0.0)), LEAST_ACROSS)
    radius = np.where(turn > 1e-3, apart / np.maximum(turn * across, 1e-9), np.inf)
    out = np.full(len(surface.triangles), np.inf)
    np.minimum.at(out, one[smooth], radius[smooth])
    np.minimum.at(out, two[smooth], radius[smooth])
    return out / per_radius


def gap_sizes(surface, plan):
    """Cell size that the gap to the ground asks for under each triangle; infinite where none is, or where the
    smallest cells could not pass through it anyway, shape (m,)."""
    gap = surface.corners[:, :, 2].min(axis=1) - plan.low[2]
    looks_down = surface.normals[:, 2] < LOOKS_DOWN
    open_gap = looks_down & (gap > PASSED_BY * plan.size / 2**CURVED_HALVINGS)
    return np.where(open_gap, gap / plan.across_gap, np.inf)


def size_for_budget(surface, plan_of, budget, skin_maker=None):
    """Cell size on the body with which the fine level keeps a budget.

    Counted on octrees of much larger cells and scaled by how the count grew between the last two; the real
    count is checked when the grid is made. The count jumps where the box takes other largest cells: where no
    size meets the budget closely, the tried one that fills it best is taken.

    Parameters
    ----------
    plan_of : callable
        The plan of a size.
    """
    size, tried = 0.03 * float(surface.size.max()), {}
    # The surface grid of layers is not made much smaller by larger cubes: where it alone takes the budget
    # these stay of use.
    most = np.inf if skin_maker is None else LARGEST_CUBE * float(surface.size[0])
    for _ in range(MOST_TRIED):
        size = min(size, most)
        if size in tried:
            break
        grids = BodyGrids(surface, plan_of(size), skin_maker)
        try:
            estimate, growth = grids.expected("fine"), grids.growth()
        except MeshError:
            size *= 2
            continue
        better = size * (estimate / (0.93 * budget))**(1 / np.log2(growth))
        if abs(better / size - 1) < 0.03:
            return better
        tried[size] = estimate
        if len(tried) < ENOUGH_TRIED:
            size = better
            continue
        fitting = [s for s, cells in tried.items() if cells <= budget]
        if not fitting:
            # After a few jumps to and fro by small steps up.
            size = STEP_UP * max(tried)
            continue
        best = max(fitting, key=tried.get)
        finer = [s for s in tried if s < best]
        if tried[best] > FILLED * budget or size == most or finer and best / max(finer) < 1.03:
            break
        # Between what fits and what does not, or further on.
        size = np.sqrt(best * max(finer)) if finer else min(better, size / STEP_UP)
    fitting = [s for s, cells in tried.items() if cells <= budget]
    return max(fitting, key=tried.get) if fitting else min(tried, key=tried.get, default=size)
