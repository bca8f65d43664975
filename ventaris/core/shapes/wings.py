"""Wings: sections at stations along the span, with straight panels between them."""
from dataclasses import dataclass, field, replace

import numpy as np

from .bodies import loft
from .surface import Surface, joined

# A base thinner than this, in chords, is closed, over so much of the chord.
THIN_BASE, CLOSING = 0.006, 0.15
# Rings of the surface along the span, and points on each side of a section that are made alike.
RINGS, SIDE_POINTS = 25, 300


@dataclass(frozen=True)
class WingForm:
    """A wing as rules: from points of its sections to points in space.

    Places along the span are lengths of the line of quarter points as it is seen from ahead, from 0 in the
    middle, negative to the left.

    Attributes
    ----------
    sections : ndarray, shape (k, m, 2)
        Outlines round their quarter points, in chords, from the upper corner of the tail over the nose to the
        lower one; points of the same number belong together.
    chord, twist : ndarray, shape (k,)
        Metres; degrees, positive nose up.
    quarter : ndarray, shape (k, 3)
        Quarter points of the right half, from the middle outwards.
    up : ndarray, shape (k, 2)
        Where a section's upward direction points in y and z; longer than one where panels meet at an angle,
        so that both keep their thickness.
    matrix, shift : ndarray
        Where the wing is put in the end.
    """

    sections: np.ndarray
    chord: np.ndarray
    twist: np.ndarray
    quarter: np.ndarray
    up: np.ndarray
    matrix: np.ndarray = field(default_factory=lambda: np.eye(3))
    shift: np.ndarray = field(default_factory=lambda: np.zeros(3))

    @property
    def along(self):
        """Places of the stations, shape (k,)."""
        step = np.diff(self.quarter[:, 1:], axis=0)
        return np.concatenate([[0.0], np.cumsum(np.hypot(*step.T))])

    @property
    def half(self):
        """Where the tip is."""
        return float(self.along[-1])

    def between(self, values, place):
        """Values of the stations at places along the span."""
        along, place = self.along, np.abs(place)
        k = np.clip(np.searchsorted(along, place, side="right") - 1, 0, len(along) - 2)
        share = (place - along[k]) / (along[k + 1] - along[k])
        share = share.reshape(share.shape + (1, ) * (values.ndim - 1))
        return values[k] + share * (values[k + 1] - values[k])

    def turned(self, vectors, place):
        """Vectors of the section's plane as it is twisted at a place."""
        angle = np.radians(-self.between(self.twist, place))
        x, z = vectors[..., 0], vectors[..., 1]
        return np.stack([x * np.cos(angle) - z * np.sin(angle), x * np.sin(angle) + z * np.cos(angle)],
                        axis=-1)

    def placed_points(self, points, place):
        """Points round the quarter point, in chords, at places along the span, before the wing is moved,
        shape (..., 3)."""
        place = np.broadcast_to(np.asarray(place, dtype=float), points.shape[:-1])
        x, z = np.moveaxis(self.turned(points, place) * self.between(self.chord, place)[..., None], -1, 0)
        quarter, up = self.between(self.quarter, place), self.between(self.up, place)
        return np.stack([quarter[..., 0] + x,
                         np.where(place < 0, -1.0, 1.0) * (quarter[..., 1] + z * up[..., 0]),
                         quarter[..., 2] + z * up[..., 1]], axis=-1)

    def directions(self, vectors, place, side=0.0):
        """Unit vectors of the section's plane at one place, turned by an angle towards the nearer tip, shape
        (m, 3)."""
        x, z = self.turned(vectors * np.cos(side), np.float64(place)).T
        y_up, z_up = self.between(self.up, np.float64(place))
        length, out = np.hypot(y_up, z_up), np.sin(side)
        y_up, z_up = y_up / length, z_up / length
        return np.stack([x, np.sign(place) * (z * y_up + out * z_up), z * z_up - out * y_up], axis=1)

    def moved(self, points, turn_only=False):
        """Points (or directions) where the wing is put."""
        if turn_only:
            return points @ (self.matrix / np.cbrt(abs(np.linalg.det(self.matrix)))).T
        return points @ self.matrix.T + self.shift

    def placed(self, matrix, shift=(0.0, 0.0, 0.0)):
        """The form moved once more."""
        return replace(self, matrix=matrix @ self.matrix, shift=matrix @ self.shift + np.asarray(shift))


def straight_form(outline, span, tip_share=1.0, sweep=0.0, dihedral=0.0, twist=0.0):
    """The form of a wing of one section.

    Parameters
    ----------
    outline : ndarray, shape (m, 2)
        Of the section in the middle, metres.
    span : float
    tip_share : float
        Chord at the tips over that in the middle.
    sweep, dihedral : float
        Degrees; sweep of the quarter-chord line.
    twist : float
        Degrees between middle and tips; positive turns the tips' noses up.
    """
    chord, semi = float(np.ptp(outline[:, 0])), 0.5 * span
    pivot = np.array([outline[:, 0].min() + 0.25 * chord, 0.0])
    quarter = np.array([[pivot[0], 0.0, 0.0],
                        [pivot[0] + np.tan(np.radians(sweep)) * semi, semi,
                         np.tan(np.radians(dihedral)) * semi]])
    return WingForm(np.repeat([(outline - pivot) / chord], 2, axis=0), chord * np.array([1.0, tip_share]),
                    np.array([0.0, twist]), quarter, np.array([[0.0, 1.0], [0.0, 1.0]]))


def station_form(outlines, nose, chord, twist):
    """The form of a wing of different sections.

    Parameters
    ----------
    outlines : sequence of ndarray, shape (n, 2)
        Section at every station on a chord from (0, 0) to (1, 0), from the tail over the upper side.
    nose : ndarray, shape (k, 3)
        Where the noses are, metres, from y = 0 outwards.
    chord, twist : ndarray, shape (k,)
    """
    nose, chord = np.asarray(nose, dtype=float), np.asarray(chord, dtype=float)
    quarter = nose + np.stack([0.25 * chord, 0 * chord, 0 * chord], axis=1)
    step = np.diff(quarter[:, 1:], axis=0)
    panel = np.arctan2(step[:, 1], step[:, 0])
    # The middle section stands in the plane of symmetry, where the panel meets its mirror image.
    before, after = np.concatenate([-panel[:1], panel]), np.concatenate([panel, panel[-1:]])
    angle, longer = 0.5 * (before + after), 1.0 / np.cos(0.5 * (after - before))
    up = longer[:, None] * np.stack([-np.sin(angle), np.cos(angle)], axis=1)
    alike = [resampled(outline) for outline in outlines]
    if min(np.linalg.norm(o[0] - o[-1]) for o in alike) <= THIN_BASE:
        alike = [closed_tail(outline) for outline in alike]
    sections, twist = np.array(alike) - np.array([0.25, 0.0]), np.asarray(twist, dtype=float)
    return WingForm(sections, chord, twist, quarter, up)


def resampled(outline):
    """An outline with its nose in the middle of its points and as many on each side as any other, denser at
    nose and tail."""
    nose, spread = int(np.argmin(outline[:, 0])), 0.5 * (1 - np.cos(np.linspace(0, np.pi, SIDE_POINTS)))
    sides = []
    for side in (outline[:nose + 1], outline[nose:]):
        arc = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(side, axis=0), axis=1))])
        sides.append(np.stack([np.interp(spread * arc[-1], arc, side[:, a]) for a in (0, 1)], axis=1))
    return np.concatenate([sides[0], sides[1][1:]])


def closed_tail(outline):
    """An outline whose base is drawn together over the last part of its chord: columns of cells as thin as a
    thin base would carry nothing but noise."""
    gap, chord = outline[0] - outline[-1], float(np.ptp(outline[:, 0]))
    upper = np.arange(len(outline)) <= np.argmin(outline[:, 0])
    end = np.where(upper, outline[0, 0], outline[-1, 0])
    share = np.clip((outline[:, 0] - end) / (CLOSING * chord) + 1, 0, 1)**2
    return outline + (np.where(upper, -0.5, 0.5) * share)[:, None] * gap


def straight_wing(outlines, span, tip_share=1.0, sweep=0.0, dihedral=0.0, twist=0.0):
    """The surface of a wing of one section, or several elements of it, symmetric about y = 0.

    Parameters
    ----------
    outlines : dict of str to ndarray, shape (m, 2)
        Closed outline of every element at the middle, in metres, counter-clockwise, without a repeated point.
    span, tip_share, sweep, dihedral, twist : float
        See `straight_form`.

    Returns
    -------
    Surface
        One part for each element; named surfaces "<element> upper", "<element> lower", "<element> tips".
    """
    form = straight_form(np.concatenate(list(outlines.values())), span, tip_share, sweep, dihedral, twist)
    pivot = form.quarter[0, ::2]
    return joined([
        _lofted(form, name, lambda place, o=outline: np.broadcast_to((o - pivot) / form.chord[0],
                                                                     (len(place), *o.shape)))
        for name, outline in outlines.items()
    ])


def station_wing(form):
    """The surface of a wing of different sections, as `straight_wing` makes that of one."""
    closed = np.linalg.norm(form.sections[:, 0] - form.sections[:, -1], axis=1).max() < 1e-9
    # Every second point will do for the surface; of a closed tail the last is the first.
    sections = form.sections[:, :-1:2] if closed else form.sections[:, ::2]
    return _lofted(form, "main", lambda place: form.between(sections, place))


def _lofted(form, name, section):
    """The surface through an element's section at places along the span."""
    along = form.along
    place = np.unique(np.round(np.concatenate([form.half * np.linspace(-1, 1, RINGS), along, -along]), 12))
    outlines = section(place)
    rings = form.placed_points(outlines, np.repeat(place[:, None], outlines.shape[1], axis=1))
    surface = loft(rings, [f"{name} skin"] * (len(place) - 1), (f"{name} tips", f"{name} tips"))
    return _flat_tips(surface, outlines[-1], rings, name)


def _flat_tips(surface, outline, rings, name):
    """End faces triangulated inside the section (a fan from its middle would leave a cambered one)."""
    import shapely
    k, m = rings.shape[:2]
    ears = [
        t for t in shapely.delaunay_triangles(shapely.Polygon(outline)).geoms
        if shapely.Polygon(outline).contains(t.representative_point())
    ]
    lookup = {(round(x, 12), round(y, 12)): i for i, (x, y) in enumerate(outline)}
    caps = [[lookup[(round(x, 12), round(y, 12))] for x, y in list(t.exterior.coords)[:3]] for t in ears]
    caps = np.array(caps)
    # Shapely orders its triangles clockwise.
    a, b, c = (outline[caps[:, i]] for i in range(3))
    clockwise = ((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])) < 0
    caps[clockwise] = caps[clockwise][:, ::-1]
    bands = surface.triangles[:2 * m * (k - 1)]
    last = caps + (k - 1) * m
    # Counter-clockwise in (x, z) looks towards +y: outward at the left end (y < 0).
    triangles = np.concatenate([bands, caps, last[:, ::-1]])
    # A strip of the skin has the side of its piece of the outline, however the wing is swept, tapered,
    # twisted or turned.
    middle = 0.5 * (outline + np.roll(outline, -1, axis=0))
    below = middle[:, 1] < np.interp(middle[:, 0], *_camber(outline))
    columns = np.sort(bands % m, axis=1)
    wrapped = columns[:, -1] - columns[:, 0] > 1
    skin = below[np.where(wrapped, columns[:, -1], columns[:, 0])].astype(int)
    patch = np.concatenate([skin, np.full(2 * len(caps), 2)])
    out = Surface(surface.vertices[:k * m], triangles, np.zeros(len(triangles), dtype=np.int64), patch,
                  (name, ), (f"{name} upper", f"{name} lower", f"{name} tips"))
    if out.volume[0] < 0:
        out = Surface(out.vertices, np.ascontiguousarray(triangles[:, ::-1]), out.part, patch, out.parts,
                      out.patches)
    return out


def _camber(outline):
    """Mean height of an outline at some stations."""
    x = np.linspace(outline[:, 0].min(), outline[:, 0].max(), 41)[1:-1]
    nose, tail = np.argmin(outline[:, 0]), np.argmax(outline[:, 0])
    loop = np.roll(outline, -tail, axis=0)
    cut = (nose - tail) % len(outline)
    one, two = loop[:cut + 1][::-1], np.concatenate([loop[cut:], loop[:1]])
    return x, 0.5 * (np.interp(x, one[:, 0], one[:, 1]) + np.interp(x, two[:, 0], two[:, 1]))
