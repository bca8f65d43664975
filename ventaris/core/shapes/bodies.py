"""Bodies made from parameters, as triangulated surfaces: vehicles, boxes, ellipsoids, cylinders,
rings.

x runs along the stream, y to the right-hand side seen from above with the nose to the left, z up.  Lengths in
metres.
"""
from dataclasses import replace

import numpy as np

from . import families
from .surface import Surface, SurfaceError, joined

AROUND = 96


def loft(rings, names, caps=("", "")):
    """A surface through closed rings of points, closed at both ends by flat caps.

    Parameters
    ----------
    rings : ndarray, shape (k, m, 3)
        Counter-clockwise seen from the end (from +x for rings along x).
    names : sequence of str, length k - 1
        Named surface of the band between two rings.
    caps : pair of str
        Names of the end faces; empty puts them under the neighbouring band's name.
    """
    k, m, _ = rings.shape
    index = np.arange(k * m).reshape(k, m)
    a, b = index[:-1], index[1:]
    a2, b2 = np.roll(a, -1, axis=1), np.roll(b, -1, axis=1)
    bands = np.stack([np.stack([a, a2, b2], axis=-1), np.stack([a, b2, b], axis=-1)], axis=2).reshape(-1, 3)
    patches = list(dict.fromkeys([caps[0] or names[0], *names, caps[1] or names[-1]]))
    patch = np.repeat([patches.index(n) for n in names], 2 * m)
    first, last = k * m, k * m + 1
    ring0, ring1 = index[0], index[-1]
    start = np.stack([np.full(m, first), np.roll(ring0, -1), ring0], axis=1)
    end = np.stack([np.full(m, last), ring1, np.roll(ring1, -1)], axis=1)
    vertices = np.concatenate([rings.reshape(-1, 3), rings[:1].mean(axis=1), rings[-1:].mean(axis=1)])
    triangles = np.concatenate([bands, start, end])
    patch = np.concatenate([
        patch,
        np.full(m, patches.index(caps[0] or names[0])),
        np.full(m, patches.index(caps[1] or names[-1]))
    ])
    surface = Surface(vertices, triangles, np.zeros(len(triangles), dtype=np.int64), patch, ("body", ),
                      tuple(patches))
    return surface if surface.volume[0] > 0 else Surface(vertices, np.ascontiguousarray(triangles[:, ::-1]),
                                                         surface.part, patch, ("body", ), tuple(patches))


def rounded_rectangle(left, right, low, high, radius, count=AROUND):
    """Points of rounded rectangles, counter-clockwise seen from +x (y to the right, z up), arguments of shape
    (k,), to (k, count, 2)."""
    left, right, low, high = (np.asarray(a, dtype=float)[:, None] for a in (left, right, low, high))
    radius = np.minimum(
        np.asarray(radius, dtype=float)[:, None], 0.4999 * np.minimum(right - left, high - low))
    quarter = count // 4
    arc = quarter // 2
    out = []
    corners = ((right, high, 0.0), (left, high, 90.0), (left, low, 180.0), (right, low, 270.0))
    for k, (y, z, begin) in enumerate(corners):
        sy, sz = (1.0 if y is right else -1.0), (1.0 if z is high else -1.0)
        cy, cz = y - sy * radius, z - sz * radius
        angle = np.radians(begin + np.linspace(0, 90, arc + 1))[None]
        out.append(np.stack([cy + radius * np.cos(angle), cz + radius * np.sin(angle)], axis=-1))
        # The straight side to the next corner.
        ny, nz, following = corners[(k + 1) % 4]
        ny2 = ny - (1.0 if ny is right else -1.0) * radius
        nz2 = nz - (1.0 if nz is high else -1.0) * radius
        turn = np.radians(following)
        target = np.stack([ny2 + radius * np.cos(turn), nz2 + radius * np.sin(turn)], axis=-1)
        source = out[-1][:, -1:]
        share = np.linspace(0, 1, quarter - arc + 1)[None, 1:-1, None]
        out.append(source + share * (target - source))
    return np.concatenate(out, axis=1)


def vehicle(length, width, height, corner, nose_length, nose_side, nose_roof, nose_floor, tail_length,
            tail_side, tail_roof, tail_floor, tail_kind="straight"):
    """A railcar, a road vehicle, a box with rounded nose: a rounded rectangle that narrows towards both ends.

    Parameters
    ----------
    length, width, height : float
    corner : float
        Radius of the edges along the body.
    nose_length : float
        Over which it narrows in front, along quarter ellipses.
    nose_side, nose_roof, nose_floor : float
        By how much at the tip.
    tail_length, tail_side, tail_roof, tail_floor : float
        The same behind.
    tail_kind : {"straight", "rounded"}

    Returns
    -------
    Surface
        Nose tip at x = 0, symmetric about y = 0, floor at z = 0. Named surfaces: nose, middle, tail, base.

    Raises
    ------
    SurfaceError
    """
    _check_vehicle(length, width, height, nose_length, nose_side, nose_roof + nose_floor, tail_length,
                   tail_side, tail_roof + tail_floor)
    front = nose_length * (1 - np.cos(np.linspace(0, 0.5 * np.pi, 40)))
    rear = length - tail_length * (np.cos(np.linspace(0, 0.5 * np.pi, 30))
                                   if tail_kind == "rounded" else np.linspace(1, 0, 12))
    x = np.concatenate([front, np.linspace(nose_length, length - tail_length, 24)[1:-1], rear])
    x = np.unique(np.round(x, 12))
    n = _ellipse(np.clip(1 - x / max(nose_length, 1e-12), 0, 1)) if nose_length > 0 else np.zeros_like(x)
    s = np.clip((x - length + tail_length) / max(tail_length, 1e-12), 0, 1)
    t = (_ellipse(s) if tail_kind == "rounded" else s) if tail_length > 0 else np.zeros_like(x)
    least = 1e-3 * min(width, height)
    half = np.maximum(0.5 * width - nose_side * n - tail_side * t, 0.5 * least)
    low, high = nose_floor * n + tail_floor * t, height - nose_roof * n - tail_roof * t
    thin = np.maximum(least - (high - low), 0)
    low, high = low - 0.5 * thin, high + 0.5 * thin
    loops = rounded_rectangle(-half, half, low, high, np.full_like(x, max(corner, 1e-4 * width)))
    rings = np.concatenate([np.repeat(x[:, None, None], loops.shape[1], axis=1), loops], axis=2)
    middle = 0.5 * (x[1:] + x[:-1])
    names = ["nose" if m < nose_length else "tail" if m > length - tail_length else "middle" for m in middle]
    return loft(rings, names, ("nose", "base"))


def _check_vehicle(length, width, height, nose_length, nose_side, nose_height, tail_length, tail_side,
                   tail_height):
    """Raise `SurfaceError` where nose or tail narrow by more than there is."""
    for what, inset, room in (("side", nose_side, 0.5 * width), ("side", tail_side, 0.5 * width)):
        if inset > room:
            raise SurfaceError(
                f"shape.parts: the body narrows by {inset:.3g} m at each side, more than half its width. "
                f"Give at most {room:.3g} m."
            )
    for inset, where in ((nose_height, "nose"), (tail_height, "tail")):
        if inset > height:
            raise SurfaceError(
                f"shape.parts: roof and floor of the {where} meet and cross ({inset:.3g} m on a height of "
                f"{height:.3g} m). Lower them."
            )
    if nose_length + tail_length > length:
        raise SurfaceError(
            f"shape.parts: nose and tail together ({nose_length + tail_length:.3g} m) are longer than the "
            f"body ({length:.3g} m)."
        )


def _ellipse(s):
    return 1 - np.sqrt(np.clip(1 - s**2, 0, 1))


def box(length, width, height):
    """A box with sharp edges; lower front corner at x = 0, z = 0, symmetric about y = 0. Named surfaces:
    front, rear, right, left, top, bottom."""
    x, y, z = (0, length), (-0.5 * width, 0.5 * width), (0, height)
    vertices = np.array([[a, b, c] for a in x for b in y for c in z])
    quads = {
        "front": (0, 1, 3, 2), "rear": (4, 6, 7, 5), "left": (0, 4, 5, 1), "right": (2, 3, 7, 6),
        "bottom": (0, 2, 6, 4), "top": (1, 5, 7, 3)
    }
    triangles = np.array([t for q in quads.values() for t in ((q[0], q[1], q[2]), (q[0], q[2], q[3]))])
    return Surface(vertices, triangles, np.zeros(12, dtype=np.int64), np.repeat(np.arange(6), 2), ("body", ),
                   tuple(quads))


def ellipsoid(length, width, height):
    """An ellipsoid round the origin, with triangles of about equal size."""
    import trimesh
    ball = trimesh.creation.icosphere(subdivisions=5)
    return Surface.of(ball.vertices * 0.5 * np.array([length, width, height]), ball.faces, "skin")


def revolution(length, diameter, nose, nose_length, tail_length, rear_diameter, fins=0, fin_chord=0.1,
               fin_span=0.1, fin_thickness=0.05, fin_sweep=0.0):
    """A body of revolution along x with its nose at x = 0, and fins at its rear end if wanted.

    Parameters
    ----------
    length, diameter, nose_length, tail_length, rear_diameter : float
        Metres; without a boat-tail (`tail_length` 0) the rear diameter is not used.
    nose : one of families.NOSES
    fins : int
        Evenly spaced, the first one pointing up between two where there are four (an x).
    fin_chord, fin_span : float
        Of each fin, off the body's largest radius.
    fin_thickness : float
        In chords; the fins are double wedges.
    fin_sweep : float
        Radians, of the leading edge; the tip's chord is what the trailing edge, square to the axis, leaves.

    Raises
    ------
    SurfaceError
        When the parts do not fit.
    """
    if nose_length + tail_length > length * (1 + 1e-9):
        raise SurfaceError(
            f"shape.parts: a nose of {nose_length:.3g} m and a boat-tail of {tail_length:.3g} m are longer "
            f"than the body of {length:.3g} m. Shorten one."
        )
    tip_chord = fin_chord - fin_span * np.tan(fin_sweep)
    if fins and (tip_chord < 0.05 * fin_chord or fin_chord > length):
        raise SurfaceError(
            f"shape.parts: fins with a chord of {fin_chord:.3g} m swept by {np.degrees(fin_sweep):.0f}° over "
            f"a span of {fin_span:.3g} m have no tip left. Sweep them less, or give more chord."
        )
    loop = families.revolution_body(diameter / length, nose, nose_length / length, tail_length / length,
                                    rear_diameter / diameter if tail_length else 1.0)
    upper = length * loop[:len(loop) // 2 + 1][::-1]
    angle = np.linspace(0, 2 * np.pi, AROUND + 1)[:-1]
    rings = np.stack([
        np.stack([
            np.full(AROUND, x),
            max(r, 1e-6 * length) * np.cos(angle),
            max(r, 1e-6 * length) * np.sin(angle)
        ], axis=1) for x, r in upper
    ])
    body = loft(rings, ["side"] * (len(rings) - 1), ("side", "base"))
    if not fins:
        return body
    root = 0.45 * (rear_diameter if tail_length else diameter)
    parts = [body]
    for k in range(fins):
        turn = 2 * np.pi * (k + 0.5) / fins
        parts.append(_fin(turn, length, root, 0.5 * diameter, fin_chord, tip_chord, fin_span, fin_thickness,
                          fin_sweep))
    return joined(parts)


def _fin(turn, length, root, radius_outside, fin_chord, tip_chord, fin_span, fin_thickness, fin_sweep):
    """One fin of a body of revolution, at an angle round its axis, from a radius inside the body."""
    outward, across = np.array([0.0, np.sin(turn),
                                np.cos(turn)]), np.array([0.0, np.cos(turn), -np.sin(turn)])
    sections = []
    for radius, chord in ((root, fin_chord + (radius_outside - root) * np.tan(fin_sweep)),
                          (radius_outside + fin_span, tip_chord)):
        half = 0.5 * fin_thickness * chord
        stations = ((length - chord, 0.0), (length - 0.5 * chord, half), (length, 0.0),
                    (length - 0.5 * chord, -half))
        sections.append([[x, 0, 0] + radius * outward + offset * across for x, offset in stations])
    return replace(loft(np.array(sections), ["fin"], ("fin", "fin")), parts=("fin", ))


def frustum(length, front, rear, wall=0.0):
    """A cylinder, cone or ring along x from x = 0.

    Parameters
    ----------
    length : float
    front, rear : float
        Outer diameters at x = 0 and x = length.
    wall : float
        Thickness of the wall of a hollow one; 0 is solid.
    """
    if wall > 0 and wall >= 0.5 * max(front, rear):
        raise SurfaceError(
            f"shape.parts: a wall of {wall:.3g} m leaves no hole in a ring of {max(front, rear):.3g} m. Make "
            "it thinner, or 0 for a solid one."
        )
    angle = np.linspace(0, 2 * np.pi, AROUND + 1)[:-1]
    circle = np.stack([np.cos(angle), np.sin(angle)], axis=1)

    def ring(x, diameter):
        return np.concatenate([np.full((AROUND, 1), x), 0.5 * max(diameter, 1e-6) * circle], axis=1)

    if wall == 0:
        return loft(np.stack([ring(0.0, front), ring(length, rear)]), ["side"], ("front", "rear"))
    outer = [ring(0.0, front), ring(length, rear)]
    inner = [ring(length, rear - 2 * wall), ring(0.0, front - 2 * wall)]
    rings = np.stack([*outer, *inner])
    index = np.arange(4 * AROUND).reshape(4, AROUND)
    triangles, patch = [], []
    for k in range(4):
        a, b = index[k], index[(k + 1) % 4]
        a2, b2 = np.roll(a, -1), np.roll(b, -1)
        triangles += [np.stack([a, a2, b2], axis=1), np.stack([a, b2, b], axis=1)]
        patch += [np.full(2 * AROUND, k)]
    surface = Surface(rings.reshape(-1, 3), np.concatenate(triangles), np.zeros(8 * AROUND, dtype=np.int64),
                      np.concatenate(patch), ("body", ), ("outside", "rear rim", "inside", "front rim"))
    return surface if surface.volume[0] > 0 else Surface(
        surface.vertices, np.ascontiguousarray(
            surface.triangles[:, ::-1]), surface.part, surface.patch, surface.parts, surface.patches)
