"""A surface grid of a wing: fine at nose and tail, stretched along the span, fanned round tails and tips."""
from dataclasses import dataclass

import numpy as np

from ..shapes.wings import THIN_BASE, closed_tail
from .blocks import arc_length
from .prisms import Skin, loop_vectors

# Sizes along the section at the nose, in the middle and at the tail, over the cubes outside; most of them on
# the finest level, in chords (these grow with the cubes from level to level); how sizes grow per length.
NOSE, MIDDLE, TAIL = 0.05, 0.75, 0.125
MOST_NOSE, MOST_MIDDLE, MOST_TAIL = 0.003, 0.07, 0.011
RATE = 0.1
# Along the span: at the tip and at most, over the cubes; growth.
TIP, WIDEST, SPAN_GROWTH = 0.15, 6.0, 1.6
# Of half the span; over the length of a cell where it is skewed.
MOST_OF_SPAN, SKEWED = 0.2, 2.0
# Where panels meet at more than this angle (radians) cells along the span are no wider than so many cubes.
BEND, AT_BEND = np.radians(15.0), 0.5
# Steps in which columns turn round half a tail and round the edge of a tip; rings of the tip's flat end.
TAIL_FAN, TIP_FAN, CAP = 4, 4, (0.5, 0.0)


@dataclass(frozen=True)
class Ring:
    """Points round a section, from the lower corner of the tail over the tail, the upper side, the nose and
    back below.

    Attributes
    ----------
    points, direction : ndarray, shape (m, 2)
    partner : ndarray of int, shape (m,)
        The point across the section.
    tail : int
        How many of the first points stand at the tail; in their middle is that of its base.
    is_blunt : bool
    """

    points: np.ndarray
    direction: np.ndarray
    partner: np.ndarray
    tail: int
    is_blunt: bool


def wing_skin(form, size, half, coarser=1.0):
    """The surface grid of a wing.

    Parameters
    ----------
    form : WingForm
    size : float
        Cubes outside, where the wing is put.
    half : bool
        Only y >= 0.
    coarser : float
        Their size over the finest level's.

    Returns
    -------
    Skin
    """
    # Points are made before the wing is put in its place and unit.
    own = size / np.cbrt(abs(np.linalg.det(form.matrix)))
    rings = _rings(form, own, coarser)
    ring = rings[-1]
    y = _places(form, own)
    knots, ways = np.array([r.points for r in rings]), np.array([r.direction for r in rings])
    points, way = [], []

    def add(at, local=None, side=0.0):
        local = form.between(knots, np.float64(at)) if local is None else local
        out = form.between(ways, np.float64(at))
        points.append(form.placed_points(local, at))
        way.append(form.directions(out / np.linalg.norm(out, axis=1)[:, None], at, side))

    middle = 0.5 * (ring.points + ring.points[ring.partner])
    # The corners of a base stay where they are.
    middle[:ring.tail] = ring.points[:ring.tail]

    def end(tip):
        """Rings from the flat end's line of camber to the tip's edge."""
        for share in CAP[::-1]:
            add(tip, middle + share * (ring.points - middle), 0.5 * np.pi)
        for side in np.linspace(0, np.pi / 2, TIP_FAN + 1)[:0:-1]:
            add(tip, side=side)

    if not half:
        end(-y[-1])
        for at in y[:0:-1]:
            add(-at)
    for at in y:
        add(at)
    outer = len(points)
    end(y[-1])
    # The last end was made from the middle outward.
    points[outer:], way[outer:] = points[outer:][::-1], way[outer:][::-1]
    return _joined(form, np.array(points), np.array(way), ring, half, outer)


def _rings(form, size, coarser):
    """The ring of every station, with points at the same shares of their sides: those that the longest chord
    wants."""
    longest, close = int(np.argmax(form.chord)), not all(map(_has_base, form.sections))
    section = closed_tail(form.sections[longest]) if close else form.sections[longest]
    share = ring_shares(section, size / form.chord[longest], coarser)
    return [section_ring(section, share, close) for section in form.sections]


def _has_base(outline):
    return np.linalg.norm(outline[0] - outline[-1]) > THIN_BASE * np.ptp(outline[:, 0])


def ring_shares(outline, size, coarser=1.0):
    """Shares of the way from nose to tail, as far apart as a section and the cubes outside want, the first
    taken times `coarser`."""
    nose, chord = int(np.argmin(outline[:, 0])), float(np.ptp(outline[:, 0]))
    length = 0.5 * (arc_length(outline[:nose + 1])[-1] + arc_length(outline[nose:])[-1])
    return _stations(length / chord, size / chord, coarser)


def section_ring(outline, share, close=True):
    """Points round a section at shares of its sides; `outline`, shape (m, 2), runs from the upper corner of
    the tail over the nose to the lower one, and its base may be closed."""
    chord = float(np.ptp(outline[:, 0]))
    outline = closed_tail(outline) if close else outline
    nose = int(np.argmin(outline[:, 0]))
    upper, lower = outline[:nose + 1][::-1], outline[nose:]
    arcs = [arc_length(side) for side in (upper, lower)]
    sides = [np.stack([np.interp(share * arc[-1], arc, side[:, a]) for a in (0, 1)], axis=1)
             for side, arc in zip((upper, lower), arcs)]
    normals = [_normals(side, turn) for side, turn in zip(sides, (1.0, -1.0))]
    nose_way = np.array([normals[0][0] + normals[1][0]])
    nose_way /= np.linalg.norm(nose_way)
    tail_points, tail_ways = _tail(sides[0][-1], sides[1][-1], normals[0][-1], normals[1][-1], chord)
    points = np.concatenate([tail_points, sides[0][-2:0:-1], sides[0][:1], sides[1][1:-1]])
    ways = np.concatenate([tail_ways, normals[0][-2:0:-1], nose_way, normals[1][1:-1]])
    partner = (2 * (len(tail_points) // 2) - np.arange(len(points))) % len(points)
    return Ring(points, ways, partner, len(tail_points), len(tail_points) > 2 * TAIL_FAN + 1)


def _stations(length, size, coarser):
    """Shares of the way from nose to tail, `length` and `size` in chords."""
    at = np.linspace(0, length, 4001)
    nose, middle, tail = (min(coarser * most, share * size) for most, share in
                          ((MOST_NOSE, NOSE), (MOST_MIDDLE, MIDDLE), (MOST_TAIL, TAIL)))
    wanted = np.minimum(np.minimum(nose + RATE * at, middle), tail + RATE * (length - at))
    count = np.concatenate([[0.0], np.cumsum(np.diff(at) * 0.5 * (1 / wanted[1:] + 1 / wanted[:-1]))])
    n = int(np.ceil(count[-1]))
    return np.interp(np.arange(n + 1) * count[-1] / n, count, at) / length


def _normals(side, turn):
    """Unit normals along a side from nose to tail, out of the section."""
    along = np.gradient(side, arc_length(side), axis=0)
    out = turn * np.stack([-along[:, 1], along[:, 0]], axis=1)
    return out / np.linalg.norm(out, axis=1)[:, None]


def _tail(upper, lower, above, below, chord):
    """Points and ways round the tail, from the lower side to the upper: a fan, or two with a base between."""
    low, high = np.arctan2(below[1], below[0]), np.arctan2(above[1], above[0])
    back = 0.5 * (low + high)
    unit = lambda angle: np.stack([np.cos(angle), np.sin(angle)], axis=1)
    one = unit(np.linspace(low, back, TAIL_FAN + 1))
    two = unit(np.linspace(back, high, TAIL_FAN + 1))
    if np.linalg.norm(upper - lower) < 1e-6 * chord:
        ways = np.concatenate([one, two[1:]])
        return np.tile(0.5 * (upper + lower), (len(ways), 1)), ways
    points = np.concatenate([np.tile(lower, (len(one), 1)), [0.5 * (upper + lower)],
                             np.tile(upper, (len(two), 1))])
    return points, np.concatenate([one, unit(np.array([back])), two])


def _widest(form, size):
    """Most that cells may measure along each panel: where the wing is swept they are skewed, and must not be
    so by more than they are long; shape (panels,)."""
    chord = 0.5 * (form.chord[1:] + form.chord[:-1])
    long = np.minimum(MOST_MIDDLE * chord, MIDDLE * size)
    way = np.diff(form.quarter, axis=0) / np.diff(form.along)[:, None]
    up = 0.5 * (form.up[1:] + form.up[:-1])
    lean = np.maximum(np.abs(way[:, 0]), np.abs((way[:, 1:] * up).sum(axis=1)))
    return np.minimum(min(WIDEST * size, MOST_OF_SPAN * form.half), SKEWED * long / np.maximum(lean, 1e-5))


def _places(form, size):
    """Places of the rings along the right half: as on a straight wing, and at every station."""
    along, widest = form.along, _widest(form, size)
    if len(along) == 2:
        return span_stations(form.half, size, float(widest[0]))
    way = np.diff(form.quarter[:, 1:], axis=0)
    bent = np.abs(np.diff(np.arctan2(way[:, 1], way[:, 0]))) > BEND
    at, rate = np.linspace(0, form.half, 4001), 1 - 1 / SPAN_GROWTH
    wanted = TIP * size + rate * (form.half - at)
    for low, high, most in zip(along[:-1], along[1:], widest):
        wanted = np.minimum(wanted, most + rate * np.maximum(np.maximum(low - at, at - high), 0.0))
    for place in along[1:-1][bent]:
        wanted = np.minimum(wanted, AT_BEND * size + rate * np.abs(at - place))
    count = np.concatenate([[0.0], np.cumsum(np.diff(at) * 0.5 * (1 / wanted[1:] + 1 / wanted[:-1]))])
    ends, places = np.interp(along, at, count), [np.zeros(1)]
    for low, high in zip(ends[:-1], ends[1:]):
        n = max(int(np.ceil(high - low)), 1)
        places.append(np.interp(low + (high - low) * np.arange(1, n + 1) / n, count, at))
    return np.concatenate(places)


def span_stations(semi, size, widest):
    """Places along a half span: narrow at the tip, growing inward."""
    width, widths = TIP * size, []
    while sum(widths) < semi:
        widths.append(width)
        width = min(SPAN_GROWTH * width, widest)
    y = semi - np.concatenate([[0.0], np.cumsum(np.array(widths) * semi / sum(widths))])[::-1]
    y = np.sort(np.abs(y))
    y[0], y[-1] = 0.0, semi
    return y


def _joined(form, points, way, ring, half, outer):
    """One Skin of the rings: on the flat ends the points that coincide are one."""
    rings, m = points.shape[:2]
    number = np.arange(rings * m).reshape(rings, m)
    ends = [list(range(outer - 1 + TIP_FAN, rings))] + ([] if half else [list(range(len(CAP), -1, -1))])
    for end in ends:
        _flat_end(number, points, ring, end)
    a, b = number[:-1], number[1:]
    faces = np.stack([a, np.roll(a, -1, axis=1), np.roll(b, -1, axis=1), b], axis=-1).reshape(-1, 4)
    if ring.is_blunt:
        # Between the base and the end of the line of camber.
        tops = [number[end[-1]] for end in ends]
        base = (0, ring.tail // 2), (ring.tail // 2, ring.tail - 1)
        faces = np.concatenate([faces, [[top[i], top[j], top[-1], top[-1]] for top in tops for i, j in base]])
    faces = squeezed(faces)
    used, index = np.unique(faces, return_inverse=True)
    on_plane = np.zeros(rings * m, dtype=bool)
    if half:
        on_plane[:m] = True
    skin = Skin(form.moved(points.reshape(-1, 3)[used]), form.moved(way.reshape(-1, 3)[used], turn_only=True),
                index.reshape(-1, 4), on_plane[used])
    return turned_outward(skin)


def _flat_end(number, points, ring, end):
    """Points of a tip's flat end, ring by ring from its edge inward: those that coincide get one number."""
    edge = end[0]
    for r in end:
        same = np.linalg.norm(points[r] - points[edge], axis=1) < 1e-12
        number[r, same] = number[edge, same]
        # Points that stand together at the tail carry one direction here.
        gap = np.linalg.norm(points[r][:, None] - points[r][None], axis=2)
        number[r] = number[r, np.argmax(gap < 1e-12, axis=1)]
    last, glued = end[-1], np.arange(len(ring.points)) >= ring.tail
    number[last, glued] = np.minimum(number[last], number[last, ring.partner])[glued]


def squeezed(faces):
    """Quadrilaterals with repeated corners as triangles (their last one repeated); without those of fewer
    corners."""
    new = faces != np.roll(faces, 1, axis=1)
    count = new.sum(axis=1)
    out = faces[count == 4]
    three = count == 3
    corners = faces[three][new[three]].reshape(-1, 3)
    whole = np.concatenate([out, np.column_stack([corners, corners[:, 2]])])
    distinct = np.array([len(set(face)) for face in whole.tolist()])
    return whole[distinct >= 3]


def turned_outward(skin):
    """The skin with its faces ordered as their directions want; by the surface a little off it, since faces
    of a fan are empty on the wall."""
    reach = 0.1 * float(np.ptp(skin.points, axis=0).min())
    vector = loop_vectors((skin.points + reach * skin.direction)[skin.faces])
    wrong = (vector * skin.direction[skin.faces].mean(axis=1)).sum(axis=1) < 0
    faces = skin.faces.copy()
    faces[wrong] = faces[wrong][:, ::-1]
    # A triangle repeats its last corner.
    triangle = wrong & (skin.faces[:, 2] == skin.faces[:, 3])
    faces[triangle] = skin.faces[triangle][:, [1, 0, 2, 2]]
    return Skin(skin.points, skin.direction, faces, skin.on_plane)
