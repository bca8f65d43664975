"""A balanced octree over a box: cubes that halve where something asks for it."""
from dataclasses import dataclass

import numpy as np
from numba import njit, prange

from ..shapes.triangle_tree import morton

CORNERS = np.array([[i, j, k] for i in (0, 1) for j in (0, 1) for k in (0, 1)])
AROUND = np.array([[i, j, k] for i in (-1, 0, 1) for j in (-1, 0, 1) for k in (-1, 0, 1)])
MOST_DEPTH = 14


class OctreeError(ValueError):
    """The octree cannot be built; the message says why and what to do."""


@dataclass(frozen=True)
class Octree:
    """Leaves in Z-order.

    Attributes
    ----------
    low : ndarray, shape (3,)
        Lower corner of the box.
    step : float
        Edge of the smallest possible leaf; whole coordinates count in it.
    counts : ndarray of int, shape (3,)
        Size of the box in steps.
    corner : ndarray of int, shape (n, 3)
        Lower corner of each leaf in steps.
    width : ndarray of int, shape (n,)
        Edge of each leaf in steps, a power of two.
    code : ndarray of int, shape (n,)
        Position of the lower corner in the Z-order, ascending.
    """

    low: np.ndarray
    step: float
    counts: np.ndarray
    corner: np.ndarray
    width: np.ndarray
    code: np.ndarray

    @property
    def n_leaves(self):
        return len(self.width)

    @property
    def size(self):
        """Edge of each leaf, shape (n,)."""
        return self.width * self.step

    @property
    def centre(self):
        return self.low + (self.corner + 0.5 * self.width[:, None]) * self.step

    def meeting(self, low, high):
        """Which leaves meet a box, shape (n,)."""
        corner = self.low + self.corner * self.step
        return ((corner <= high) & (corner + self.size[:, None] >= low)).all(axis=1)

    def containing(self, points):
        """Leaf that holds each point, -1 outside the box."""
        lattice = np.floor((np.asarray(points, dtype=float) - self.low) / self.step).astype(np.int64)
        inside = ((lattice >= 0) & (lattice < self.counts)).all(axis=1)
        lattice = np.clip(lattice, 0, self.counts - 1)
        return np.where(inside, np.searchsorted(self.code, morton(lattice), side="right") - 1, -1)


def build_octree(low, base, blocks, depth, wanted, most_leaves=6_000_000):
    """Refine a box of cubes and balance it, so that neighbours (over corners too) differ by one halving at
    most.

    Parameters
    ----------
    low : array, shape (3,)
    base : float
        Edge of the largest cubes.
    blocks : array of int, shape (3,)
        How many of them.
    depth : int
        How often a cube may be halved.
    wanted : callable (level, centres (n, 3), edge) -> ndarray of bool
        Whether cubes of this level shall be halved.
    most_leaves : int

    Returns
    -------
    Octree

    Raises
    ------
    OctreeError
        If more leaves would be made than allowed.
    """
    blocks = np.asarray(blocks, dtype=np.int64)
    if depth > MOST_DEPTH or (blocks * 2**depth).max() >= 2**20:
        raise OctreeError(
            f"The smallest cells would be {2**depth:,} times smaller than the largest. Make the domain "
            "smaller or the surface cells larger."
        )
    low = np.asarray(low, dtype=float)
    halved, cells, total = [], _unpack(np.arange(blocks.prod()), blocks), 0
    for level in range(depth):
        edge = base / 2**level
        chosen = cells[wanted(level, low + (cells + 0.5) * edge, edge)] if len(cells) else cells
        total += 7 * len(chosen)
        if total > most_leaves:
            raise OctreeError(
                f"The grid would have more than {most_leaves:,} cells. Make the surface cells larger, or the "
                "zones smaller or coarser."
            )
        halved.append(_pack(chosen, blocks * 2**level))
        cells = (2 * chosen[:, None] + CORNERS).reshape(-1, 3)
    _balance(halved, blocks)
    corners, widths = [], []
    cells = _unpack(np.arange(blocks.prod()), blocks)
    for level in range(depth + 1):
        width = 2**(depth - level)
        gone = np.isin(_pack(cells, blocks * 2**level), halved[level],
                       assume_unique=True) if level < depth else np.zeros(len(cells), dtype=bool)
        corners.append(cells[~gone] * width)
        widths.append(np.full((~gone).sum(), width))
        cells = (2 * cells[gone][:, None] + CORNERS).reshape(-1, 3)
    corner, width = np.concatenate(corners), np.concatenate(widths)
    code = morton(corner)
    order = np.argsort(code, kind="stable")
    return Octree(low, base / 2**depth, blocks * 2**depth, np.ascontiguousarray(corner[order]), width[order],
                  code[order])


def _balance(halved, blocks):
    """Halve what lies beside a halved cube of half its size, level by level."""
    for level in range(len(halved) - 1, 0, -1):
        dims = blocks * 2**level
        around = (_unpack(halved[level], dims)[:, None] + AROUND).reshape(-1, 3)
        around = around[((around >= 0) & (around < dims)).all(axis=1)] // 2
        halved[level - 1] = np.union1d(halved[level - 1], _pack(around, dims // 2))


def _pack(cells, dims):
    return (cells[:, 0] * dims[1] + cells[:, 1]) * dims[2] + cells[:, 2]


def _unpack(keys, dims):
    return np.stack([keys // (dims[1] * dims[2]), keys // dims[2] % dims[1], keys % dims[2]], axis=1)


@dataclass(frozen=True)
class LeafFaces:
    """Faces between leaves; each is a square of the finer side.

    Attributes
    ----------
    left, right : ndarray of int, shape (m,)
        Leaves below and above along the axis; right (or left, then swapped to left) is negative on the box:
        -1 - side with sides ordered -x, +x, -y, +y, -z, +z.
    axis : ndarray of int, shape (m,)
    corner : ndarray of int, shape (m, 3)
        Lower corner in steps.
    width : ndarray of int, shape (m,)
    """

    left: np.ndarray
    right: np.ndarray
    axis: np.ndarray
    corner: np.ndarray
    width: np.ndarray


def leaf_faces(tree):
    """Every face between leaves and on the box, those between leaves first in the order of their left
    leaves."""
    neighbour = np.empty((tree.n_leaves, 6), dtype=np.int64)
    find_neighbours(tree.corner, tree.width, tree.code, tree.counts, neighbour)
    left, right, axis, corner, width = [], [], [], [], []
    for side in range(6):
        a, upper = side // 2, side % 2 == 1
        other = neighbour[:, side]
        outside = other < 0
        made = outside | (tree.width[np.maximum(other, 0)] >= tree.width if upper else tree.width[np.maximum(
            other, 0)] > tree.width)
        own = np.nonzero(made)[0]
        swap = (not upper) & ~outside[own]
        left.append(np.where(swap, other[own], own))
        right.append(np.where(outside[own], -1 - side, np.where(swap, own, other[own])))
        axis.append(np.full(len(own), a))
        at = tree.corner[own].copy()
        at[:, a] += tree.width[own] if upper else 0
        corner.append(at)
        width.append(tree.width[own])
    left, right, axis, corner, width = (np.concatenate(x) for x in (left, right, axis, corner, width))
    order = np.lexsort((left, right < 0))
    return LeafFaces(left[order], right[order], axis[order], np.ascontiguousarray(corner[order]),
                     width[order])


@njit(cache=True)
def spread(x):
    x = (x | (x << 32)) & 0x1F00000000FFFF
    x = (x | (x << 16)) & 0x1F0000FF0000FF
    x = (x | (x << 8)) & 0x100F00F00F00F00F
    x = (x | (x << 4)) & 0x10C30C30C30C30C3
    return (x | (x << 2)) & 0x1249249249249249


@njit(cache=True, parallel=True)
def find_neighbours(corner, width, code, counts, out):
    """Leaf across the lower corner of each of the six sides, -1 outside the box."""
    n = len(width)
    for i in prange(n):
        for side in range(6):
            a = side // 2
            x, y, z = corner[i, 0], corner[i, 1], corner[i, 2]
            shift = width[i] if side % 2 == 1 else -1
            if a == 0:
                x += shift
            elif a == 1:
                y += shift
            else:
                z += shift
            if x < 0 or y < 0 or z < 0 or x >= counts[0] or y >= counts[1] or z >= counts[2]:
                out[i, side] = -1
                continue
            wanted = spread(x) | (spread(y) << 1) | (spread(z) << 2)
            low, high = 0, n
            while low < high:
                middle = (low + high) // 2
                if code[middle] <= wanted:
                    low = middle + 1
                else:
                    high = middle
            out[i, side] = low - 1
