"""The edits of an assembled body: each takes a surface and gives the changed one."""
from dataclasses import replace

import manifold3d
import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial.transform import Rotation

from .booleans import cut_out, halved, united
from .surface import Surface, SurfaceError, joined, welded

# What the faces are called that close holes.
CLOSED = "closed holes"
# Behind the name of what was mirrored; the sheet knows it too.
MIRRORED = "mirrored"
AXES = {"x": 0, "y": 1, "z": 2}
# A plane across an axis is tilted about this one.
TILTED_ABOUT = {"x": "y", "y": "z", "z": "y"}


def edited(surface, edit):
    """A surface after one edit of the sheet; names of parts and named surfaces stay.

    Raises
    ------
    SurfaceError
        When nothing would be changed, nothing left, or the body turned inside out.
    """
    return MAKERS[edit.kind](surface, edit)


def _chosen(surface, name):
    """Numbers of the parts that a name means: itself and what goes by it with something behind; all without
    a name."""
    if not name:
        return list(range(len(surface.parts)))
    found = [k for k, own in enumerate(surface.parts) if own == name]
    found = found or [k for k, own in enumerate(surface.parts) if own.startswith(f"{name} ")]
    if not found:
        raise SurfaceError(
            f"shape.edits: there is no part “{name}” here. There are: {', '.join(surface.parts)}. A part "
            "that was united with another, or cut out, has gone by then.")
    return found


def _taken(surface, name):
    """The parts that a name means, as a surface."""
    return surface.only(np.isin(surface.part, _chosen(surface, name)))


def _rest(surface, name):
    """All other parts in a list: none or one surface."""
    others = ~np.isin(surface.part, _chosen(surface, name))
    return [surface.only(others)] if others.any() else []


def _each(surface):
    """One surface for each part."""
    return [surface.only(surface.part == k) for k in range(len(surface.parts))]


def _mirrored(surface, edit):
    own = _taken(surface, edit.part)
    flip, shift = np.ones(3), np.zeros(3)
    flip[AXES[edit.axis]], shift[AXES[edit.axis]] = -1, 2 * edit.at
    other = own.moved(np.diag(flip), shift)
    return joined([surface, _called(other, edit.part, MIRRORED)])


def _row(surface, edit):
    step = np.array([edit.step_x, edit.step_y, edit.step_z])
    own = _taken(surface, edit.part)
    copies = (_called(own.moved(None, k * step), edit.part, k + 1) for k in range(1, edit.count))
    return joined([surface, *copies])


def _ring(surface, edit):
    centre, own = np.array([edit.x, edit.y, edit.z]), _taken(surface, edit.part)
    angle = 360.0 / edit.count if edit.angle is None else edit.angle
    copies = []
    for k in range(1, edit.count):
        turn = Rotation.from_euler(edit.axis, k * angle, degrees=True).as_matrix()
        copies.append(_called(own.moved(turn, centre - turn @ centre), edit.part, k + 1))
    return joined([surface, *copies])


def _called(copy, part, word):
    """A copy under its names: the word stands behind the name of the part that was copied, before what its
    pieces are called beside."""
    def name(own):
        own = own.removeprefix(f"{part} ") if part and own.startswith(f"{part} ") else own
        return f"{part} {word} {own}" if part and own != part else f"{own} {word}"

    return replace(copy, parts=tuple(map(name, copy.parts)), patches=tuple(map(name, copy.patches)))


def is_copy(name, of):
    """Whether an edit's copy of one part, or a copy of that, is called so."""
    plain = lambda given: [word for word in given.split(" ") if word != MIRRORED and not word.isdigit()]
    return plain(name) == plain(of)


def _cut(surface, edit):
    """Every part is cut by itself."""
    normal = np.zeros(3)
    normal[AXES[edit.axis]] = 1.0
    point = edit.at * normal
    normal = Rotation.from_euler(TILTED_ABOUT[edit.axis], edit.tilt, degrees=True).apply(normal)
    if edit.keep == "above":
        normal = -normal
    offset = float(normal @ point)
    own = _taken(surface, edit.part)
    beyond = own.vertices @ normal - offset
    if beyond.max() <= 0:
        low, high = own.box
        raise SurfaceError(
            f"shape.edits: the plane at {edit.axis} = {edit.at:g} m cuts nothing off; there the body reaches "
            f"from {low[AXES[edit.axis]]:.4g} to {high[AXES[edit.axis]]:.4g} m. Move the plane, or keep the "
            "other side.")
    left = [half for part in _each(own) if (half := _halved(part, normal, offset)) is not None]
    kept = [*_rest(surface, edit.part), *left]
    if not kept:
        raise SurfaceError(f"shape.edits: the plane at {edit.axis} = {edit.at:g} m leaves nothing of the "
                           "body. Move the plane, or keep the other side.")
    return _in_order(kept, surface)


def _halved(part, normal, offset):
    """A part's half; parts that the plane misses need not be closed."""
    side = part.vertices[np.unique(part.triangles)] @ normal - offset
    if side.max() <= 0:
        return part
    return None if side.min() >= 0 else halved(part, normal, offset)


def _in_order(surfaces, before):
    """Surfaces joined, their parts in the order in which they stood."""
    parts = [part for surface in surfaces for part in _each(surface)]
    return joined(sorted(parts, key=lambda part: before.parts.index(part.parts[0])))


def _subtracted(surface, edit):
    tools = _each(_taken(surface, edit.other))
    tool = united(tools) if len(tools) > 1 else tools[0]
    rest = surface.only(~np.isin(surface.part, _chosen(surface, edit.other)))
    left = [cut_out(part, tool) for part in _each(_taken(rest, edit.part))]
    return _in_order([*_rest(rest, edit.part), *left], surface)


def _united(surface, edit):
    wanted = set(_chosen(surface, edit.part)) | set(_chosen(surface, edit.other))
    if len(wanted) < 2:
        raise SurfaceError("shape.edits: there is only one part to unite. Add another, or take the edit out.")
    own = surface.only(np.isin(surface.part, sorted(wanted)))
    first = edit.part if edit.part in own.parts else own.parts[0]
    made = united(sorted(_each(own), key=lambda part: part.parts[0] != first))
    others = ~np.isin(surface.part, sorted(wanted))
    return _in_order([*([surface.only(others)] if others.any() else []), made], surface)


def _closed(surface, edit):
    """Faces over holes that are no wider than asked, part by part; a rim that is only where triangles of the
    same place do not share their corners is no hole."""
    made, widths, found = [], [], False
    for part in _each(_taken(surface, edit.part)):
        part = welded(part, 1e-7)
        for rim in _rims(part):
            width = _width(part.vertices[rim])
            widths.append(width)
            if width <= edit.width:
                part, found = _filled(part, rim), True
        made.append(part)
    if not found:
        least = f"; the narrowest is {min(widths):.4g} m wide" if widths else ": nothing is open"
        raise SurfaceError(f"shape.edits: there is no hole of up to {edit.width:g} m{least}. Give a larger "
                           "width, or take the edit out.")
    return _in_order([*_rest(surface, edit.part), *made], surface)


def _rims(part):
    """Loops of vertices along the open edges of a surface, in the order in which its triangles pass them."""
    t = part.triangles
    ways = np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]])
    n = len(part.vertices)
    key, other = ways[:, 0] * n + ways[:, 1], ways[:, 1] * n + ways[:, 0]
    open_ways = ways[~np.isin(key, other)]
    following = {}
    for a, b in open_ways.tolist():
        following.setdefault(a, []).append(b)
    loops = []
    while following:
        start = next(iter(following))
        loop = [start]
        while True:
            ends = following.get(loop[-1])
            if not ends:
                # It leads nowhere: no rim of a hole.
                loop = []
                break
            nxt = ends.pop()
            if not ends:
                del following[loop[-1]]
            if nxt in loop:
                loop = loop[loop.index(nxt):]
                break
            loop.append(nxt)
        if len(loop) > 2:
            loops.append(np.array(loop))
    return loops


def _frame(points):
    """Middle of points, and their main directions with the extents along them, the largest first."""
    middle = points.mean(axis=0)
    _, _, axes = np.linalg.svd(points - middle, full_matrices=False)
    return middle, axes, np.ptp((points - middle) @ axes.T, axis=0)


def _width(rim):
    """A hole's extent across its narrow side."""
    return float(_frame(rim)[2][1])


def _filled(part, rim):
    """A surface with triangles over a rim."""
    points = part.vertices[rim]
    middle, axes, _ = _frame(points)
    flat = np.ascontiguousarray(((points - middle) @ axes[:2].T)[::-1])
    way = 0.5 * float((flat[:, 0] * np.roll(flat[:, 1], -1) - np.roll(flat[:, 0], -1) * flat[:, 1]).sum())
    if way < 0:
        flat[:, 1] *= -1
    try:
        found = np.asarray(manifold3d.triangulate([flat]), dtype=np.int64).reshape(-1, 3)
    except (RuntimeError, ValueError):
        found = np.empty((0, 3), dtype=np.int64)
    if not len(found):
        raise SurfaceError("shape.edits: a hole's rim crosses itself, so that no faces can be laid over it. "
                           "Close it where the surface was made, or give a smaller width.")
    triangles = rim[::-1][found]
    patches = part.patches if CLOSED in part.patches else (*part.patches, CLOSED)
    number = np.full(len(triangles), patches.index(CLOSED))
    return Surface(part.vertices, np.concatenate([part.triangles, triangles]),
                   np.zeros(len(part.triangles) + len(triangles), dtype=np.int64),
                   np.concatenate([part.patch, number]), part.parts, patches)


def _dropped(surface, edit):
    """Without pieces that hang together in themselves and are no longer than asked on their longest side."""
    surface = welded(surface, 1e-7)
    t, n = surface.triangles, len(surface.vertices)
    own = np.isin(surface.part, _chosen(surface, edit.part))
    edges = np.concatenate([t[:, [0, 1]], t[:, [1, 2]]])
    count, piece = connected_components(coo_matrix((np.ones(len(edges)), edges.T), shape=(n, n)),
                                        directed=False)
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    used = np.unique(t)
    np.minimum.at(low, piece[used], surface.vertices[used])
    np.maximum.at(high, piece[used], surface.vertices[used])
    size = (high - low).max(axis=1)
    small = own & (size[piece[t[:, 0]]] <= edit.width)
    if not small.any():
        least = size[np.unique(piece[t[own, 0]])].min()
        raise SurfaceError(f"shape.edits: no piece is smaller than {edit.width:g} m; the smallest measures "
                           f"{least:.4g} m on its longest side. Give a larger width, or take the edit out.")
    if small.all():
        raise SurfaceError(f"shape.edits: every piece of the body is smaller than {edit.width:g} m. Give a "
                           "smaller width.")
    return surface.only(~small)


def _stretched(surface, edit):
    surface, used, inside, (low, high) = _along(surface, edit)
    points = surface.vertices.copy()
    if edit.share <= -99:
        raise SurfaceError("shape.edits: a stretch of −100 % would leave nothing. Give more than −99 %.")
    longer = 0.01 * edit.share * (high - low if edit.of == "whole" else edit.end - edit.start)
    if longer <= -0.99 * (edit.end - edit.start):
        raise SurfaceError(
            f"shape.edits: {edit.share:g} % of the whole length are {longer:.4g} m, more than the region "
            f"from x = {edit.start:g} to {edit.end:g} m can lose. Give less, or a longer region.")
    points[:, 0] += np.where(used, np.minimum(inside, 1) * longer, 0)
    return replace(surface, vertices=points)


def _tapered(surface, edit):
    if edit.share >= 100:
        raise SurfaceError("shape.edits: a taper of 100 % or more would turn the tail inside out. Give less.")
    surface, used, inside, _ = _along(surface, edit)
    points = surface.vertices.copy()
    factor = 1 - 0.01 * edit.share * np.minimum(inside, 1)
    middle = 0.5 * (points[used].min(axis=0) + points[used].max(axis=0))
    for axis in (1, 2):
        points[:, axis] = np.where(used, middle[axis] + (points[:, axis] - middle[axis]) * factor,
                                   points[:, axis])
    return replace(surface, vertices=points)


def _along(surface, edit):
    """(surface cut at both stations, which vertices are the edit's, how far each lies between the stations,
    where the edit's parts begin and end)."""
    used = np.zeros(len(surface.vertices), dtype=bool)
    used[np.unique(surface.triangles[np.isin(surface.part, _chosen(surface, edit.part))])] = True
    low, high = surface.vertices[used, 0].min(), surface.vertices[used, 0].max()
    if edit.end <= low or edit.start >= high:
        raise SurfaceError(
            f"shape.edits: nothing lies between x = {edit.start:g} and {edit.end:g} m; the body runs from "
            f"{low:.4g} to {high:.4g} m.")
    if not edit.part:
        for station in (edit.start, edit.end):
            surface = _divided(surface, station)
        used = np.ones(len(surface.vertices), dtype=bool)
    inside = np.clip((surface.vertices[:, 0] - edit.start) / (edit.end - edit.start), 0, None)
    return surface, used, inside, (low, high)


def _divided(surface, station):
    """The surface with its triangles divided at a plane across x, so that an edit keeps plane faces plane."""
    x = surface.vertices[:, 0] - station
    scale = 1e-9 * max(float(np.abs(x).max()), 1e-30)
    side = np.where(np.abs(x) <= scale, 0, np.sign(x)).astype(int)
    tri = side[surface.triangles]
    crossed = (tri.min(axis=1) < 0) & (tri.max(axis=1) > 0)
    if not crossed.any():
        return surface
    vertices, cache = list(surface.vertices), {}

    def between(a, b):
        key = (min(a, b), max(a, b))
        if key not in cache:
            share = x[key[0]] / (x[key[0]] - x[key[1]])
            cache[key] = len(vertices)
            vertices.append(surface.vertices[key[0]] + share *
                            (surface.vertices[key[1]] - surface.vertices[key[0]]))
        return cache[key]

    triangles, owner = [], []
    for t in np.nonzero(crossed)[0]:
        loop, nodes = [], surface.triangles[t]
        for k in range(3):
            a, b = nodes[k], nodes[(k + 1) % 3]
            loop.append((a, side[a]))
            if side[a] * side[b] < 0:
                loop.append((between(a, b), 0))
        for sign in (-1, 1):
            part = [n for n, s in loop if s in (0, sign)]
            triangles += [(part[0], part[k], part[k + 1]) for k in range(1, len(part) - 1)]
            owner += [t] * (len(part) - 2)
    keep = ~crossed
    owner = np.array(owner)
    return Surface(np.array(vertices), np.concatenate([surface.triangles[keep],
                                                       np.array(triangles)]),
                   np.concatenate([surface.part[keep], surface.part[owner]]),
                   np.concatenate([surface.patch[keep], surface.patch[owner]]), surface.parts,
                   surface.patches)


MAKERS = {
    "stretch": _stretched, "taper": _tapered, "mirror": _mirrored, "row": _row, "ring": _ring, "cut": _cut,
    "subtract": _subtracted, "unite": _united, "close": _closed, "drop": _dropped
}
