"""The drawings at the side of a body's run sheet, as SVG in metres."""
import numpy as np
from markupsafe import escape

from ..core.grids.bodies import coarsening
from ..core.grids.embedded import SIDES
from ..core.look.silhouette import VIEWS, edges, section_across, silhouette
from ..core.study.kinds.body.surfaces import triangles_of
from ..core.units import large, show
from .drawings import frame
from .handles import Sets, handle, place

NAMES = {"side": "from the left", "front": "from ahead", "top": "from above"}
MOST_SQUARES = 16_000


def draw_body(section, setup):
    """The drawing for a section of a body's sheet.

    Returns
    -------
    svg : Markup
    caption : str
    """
    return {
        "shape": _shape, "air": _air, "domain": _domain, "grid": _grid, "instruments": _instruments,
        "flow": _air, "run": _domain
    }[section](setup)


def _path(loops, css):
    steps = "".join("M" + " ".join(f"{x:.5f},{-y:.5f}" for x, y in loop) + "Z" for loop in loops)
    return f'<path class="{css}" fill-rule="evenodd" d="{steps}"/>'


def _lines(segments, css):
    steps = "".join(f"M{a[0]:.5f},{-a[1]:.5f}L{b[0]:.5f},{-b[1]:.5f}" for a, b in segments)
    return f'<path class="{css}" d="{steps}"/>'


def _text(x, y, words, size, css=""):
    return f'<text class="{css}" x="{x:.5f}" y="{-y:.5f}" font-size="{size:.5f}">{escape(words)}</text>'


def _view(surface, view, with_edges=True):
    """(svg, box) of one view."""
    loops = silhouette(surface.corners, view)
    inner = _path(loops, "body") + (_lines(edges(surface, view), "mesh") if with_edges else "")
    points = surface.box[:, VIEWS[view]]
    return inner, (points[0, 0], points[1, 0], points[0, 1], points[1, 1])


# Width of a letter over its height, about.
LETTER = 0.56


def _shape(setup):
    surface = setup.body.surface
    size = surface.size
    rows, across = [], 0.0
    gap = 0.12 * float(size.max())
    # Side view above, front view to its right, top view below: as on a drawing board.
    inner, box = _view(surface, "side")
    rows.append(inner)
    letters = 0.035 * float(size[0] + size[1] + 2 * gap)
    front, front_box = _view(surface, "front")
    # A wing seen from the side is narrower than what is written over it.
    longest = f"{show(float(size[0]), 'm', 4)} long"
    shift = max(box[1] + gap, box[0] + (LETTER * len(longest) + 1) * letters) - front_box[0]
    rows.append(f'<g transform="translate({shift:.5f} 0)">{front}</g>')
    top, top_box = _view(surface, "top")
    down = box[2] - gap - top_box[3]
    rows.append(f'<g transform="translate(0 {-down:.5f})">{top}</g>')
    across = shift + front_box[1]
    low = top_box[2] + down
    pad = 0.05 * (across - box[0]) + letters
    rows.append(_text(box[0], box[3] + 0.4 * letters, longest, letters, "pale"))
    words = f"{show(float(size[1]), 'm', 4)} × {show(float(size[2]), 'm', 4)}"
    rows.append(_text(across - (front_box[1] - front_box[0]), box[3] + 0.4 * letters, words, letters, "pale"))
    # A slender body's end view is narrower than what is written over it.
    across = max(across, shift + front_box[0] + LETTER * len(words) * letters)
    m = setup.measures()
    caption = (f"{len(surface.triangles):,} triangles".replace(",", " ") +
               f" in {len(surface.parts)} part{'s' if len(surface.parts) != 1 else ''}; frontal area "
               f"{m['frontal_area']:.5g} m² "
               f"(measured along lines {show(m['frontal_resolution'], 'm', 2)} apart, good to "
               f"{max(100 * m['frontal_uncertainty'] / max(m['frontal_area'], 1e-12), 0.001):.2g} %), "
               f"reference area {setup.area:.5g} m² and length {setup.length:.4g} m, of the whole body.")
    return frame("".join(rows), (box[0] - pad, across + pad, low - pad, box[3] + pad)), caption


def _openings(setup, size):
    """Arrows at what passes air, seen from the side: into the surface or out of it, with a word beside
    each."""
    surface, out = setup.body.surface, []
    for name, action in setup.openings.items():
        if name in SIDES or not action.is_open:
            continue
        own = triangles_of(name, surface)
        share = surface.areas[own, None] / surface.areas[own].sum()
        middle, normal = ((share * values[own]).sum(axis=0)[[0, 2]]
                          for values in (surface.corners.mean(axis=1), surface.normals))
        length = np.linalg.norm(normal)
        if length < 0.3:
            continue
        way = 0.12 * size * normal / length
        inwards = (action.action == "takes in" or action.action == "blows" and action.speed < 0
                   or action.action == "blows mass" and action.mass_flow < 0)
        start, tip = (middle + way, middle) if inwards else (middle, middle + way)
        along, across = 0.3 * (tip - start), 0.15 * (tip - start)[[1, 0]] * [1, -1]
        out += [
            _lines([(start, tip), (tip, tip - along + across), (tip, tip - along - across)], "stream"),
            _text(middle[0] + way[0] + 0.02 * size, middle[1] + way[1] + 0.05 * size, name, 0.04 * size,
                  "pale")
        ]
    return out


def _air(setup):
    surface = setup.body.surface
    inner, box = _view(surface, "side")
    size = box[1] - box[0]
    a = np.radians(setup.sheet.air.incidence)
    letters = 0.05 * size
    parts = [inner]
    for k in range(3):
        y = box[2] + (box[3] - box[2]) * (0.2 + 0.3 * k)
        x0, x1 = box[0] - 0.45 * size, box[0] - 0.1 * size
        rise = np.tan(a) * (x1 - x0)
        parts.append(
            _lines([((x0, y - rise), (x1, y)),
                    ((x1, y), (x1 - 0.05 * size, y + 0.025 * size - 0.05 * size * np.tan(a))),
                    ((x1, y), (x1 - 0.05 * size, y - 0.025 * size - 0.05 * size * np.tan(a)))], "stream"))
    parts += _openings(setup, size)
    air = setup.air
    yaw = f", yaw {setup.sheet.air.yaw:g}°" if setup.sheet.air.yaw else ""
    parts.append(
        _text(box[0] - 0.45 * size, box[3] + 0.06 * size, f"{show(air.speed, 'm/s', 4)}{yaw}", letters))
    caption = (f"Mach {air.mach:.3g}, Reynolds number {large(setup.reynolds, 3)} on {setup.length:.4g} m; "
               f"{show(air.dynamic_pressure, 'Pa', 4)} of dynamic pressure.")
    room = 0.3 if setup.openings else 0.1
    return frame(
        "".join(parts),
        (box[0] - 0.5 * size, box[1] + room * size, box[2] - 0.2 * size, box[3] + 0.2 * size)), caption


def _domain(setup):
    s, plan, domain = setup.scale, setup.plan, setup.sheet.domain
    low, high = np.array(plan.low) * s, np.array(plan.high) * s
    side, _ = _view(setup.body.surface, "side", False)
    top, _ = _view(setup.body.surface, "top", False)
    gap = 0.08 * (high[0] - low[0])
    down = low[2] - gap - high[1]
    letters = 0.022 * (high[0] - low[0])

    def side_of(a, b, css):
        return (f'<rect class="{css}" x="{a[0]:.5f}" y="{-b[1]:.5f}" width="{b[0] - a[0]:.5f}" '
                f'height="{b[1] - a[1]:.5f}"/>')

    parts = [
        side_of(low[[0, 2]], high[[0, 2]], "far"), side, f'<g transform="translate(0 {-down:.5f})">',
        side_of(low[[0, 1]], high[[0, 1]], "far"), top
    ]
    if setup.half:
        parts.append(_lines([((low[0], 0.0), (high[0], 0.0))], "stream"))
    parts.append("</g>")
    if domain.kind == "ground":
        parts.append(_lines([((low[0], low[2]), (high[0], low[2]))], "side"))
        parts.append(
            _text(low[0] + letters, low[2] + 0.6 * letters, f"ground, {setup.sheet.domain.ground}", letters))
    parts.append(
        _text(low[0] + letters, high[2] - 1.4 * letters, "from the left", letters, "pale") +
        _text(low[0] + letters, high[1] + down - 1.4 * letters, "from above", letters, "pale"))
    parts += _domain_grips(setup, low, high, down)
    shadow = setup.body.shadow.area * (0.5 if setup.half else 1.0)
    section = (high[1] - low[1]) * (high[2] - low[2])
    size = high - low
    half = "half body against a symmetry plane; " if setup.half else ""
    sides = "slip walls" if domain.walls == "slip" else "far field"
    caption = (f"{size[0]:.4g} × {size[1]:.4g} × {size[2]:.4g} m of air; "
               f"blockage {100 * shadow / section:.2g} %; {half}sides and ceiling: {sides}.")
    pad = 0.03 * size[0]
    return frame("".join(parts), (low[0] - pad, high[0] + pad, low[1] + down - pad, high[2] + pad)), caption


def _domain_grips(setup, low, high, down):
    """Handles of the domain's sides, whose distances are in body lengths; the view from above stands `down`
    lower in the drawing."""
    length, domain, (body_low, body_high) = setup.scale, setup.sheet.domain, setup.body.surface.box
    width, middle = float(high[0] - low[0]), 0.5 * (body_low + body_high)
    ends = [((low[0], middle[2]), "ahead", -1.0 / length, 0.0, body_low[0] / length),
            ((high[0], middle[2]), "behind", 1.0 / length, 0.0, -body_high[0] / length),
            ((middle[0], high[2]), "above", 0.0, 1.0 / length, -body_high[2] / length),
            ((middle[0], high[1] + down), "right", 0.0, 1.0 / length, -(body_high[1] + down) / length)]
    if domain.half == "no":
        ends.append(((middle[0], low[1] + down), "left", 0.0, -1.0 / length, (body_low[1] + down) / length))
    out = [handle(at, width, f"The domain's side: {name}", Sets(f"domain.{name}", along, up, base))
           for at, name, along, up, base in ends]
    under = (Sets("domain.clearance", up=-1.0, base=float(body_low[2]), unit="m") if domain.kind == "ground"
             else Sets("domain.below", up=-1.0 / length, base=body_low[2] / length))
    return [*out, handle((middle[0], low[2]), width, "Below", under)]


def _zones(setup):
    """Regions of small cells seen from the left with their handles, and what of them must be seen, as rows of
    (x, z)."""
    parts, seen = [], []
    for row, zone in enumerate(setup.sheet.grid.zones):
        path, first = "grid.zones", 0.5 * (zone.height if zone.kind == "box" else zone.width)
        last = 0.5 * zone.height if zone.kind == "cone" else first
        x, end, z = zone.x, zone.x + zone.length, zone.z
        loop = [(x, z - first), (end, z - last), (end, z + last), (x, z + first)]
        across = "width" if zone.kind == "cylinder" else "height"
        wide = float(setup.body.surface.size[0]) * 1.6
        parts += [
            _path([loop], "zone"),
            handle((x, z), wide, f"Start of zone {row + 1}", *place(path, row, "m", y="z")),
            handle((end, z + last), wide, f"Length and height of zone {row + 1}",
                   Sets(f"{path}[].length", 1.0, 0.0, -x, "m", row),
                   Sets(f"{path}[].{across}", 0.0, 2.0, -2 * z, "m", row))
        ]
        seen += loop
    return parts, seen


def _grid(setup):
    """Leaves of the medium octree (the coarse one where only that is run) cut by the plane through the body's
    middle."""
    level = "coarse" if len(setup.levels) == 1 else "medium"
    (tree, outside, rim), s = setup.grids().drawn(level), setup.scale
    box = setup.body.surface.box
    y = 0.25 * float(tree.size.min()) + (0.0 if setup.half else float(box[:, 1].mean()) / s)
    low = tree.low + tree.corner * tree.step
    inside = (low[:, 1] <= y) & (low[:, 1] + tree.size > y) & outside
    size = box[1] - box[0]
    reach = 0.6 * float(size[0]) if len(rim) else 0.35 * float(size.max())
    window = (box[0, 0] - reach, box[1, 0] + 1.6 * reach, box[0, 2] - reach, box[1, 2] + reach)
    if setup.sheet.domain.kind == "ground":
        window = (*window[:2], max(window[2], setup.plan.low[2] * s - 0.02 * size.max()), window[3])
    zones, seen = _zones(setup)
    if seen:
        (x0, z0), (x1, z1) = np.min(seen, axis=0), np.max(seen, axis=0)
        window = (min(window[0], x0), max(window[1], x1), min(window[2], z0), max(window[3], z1))
    corner, edge = low[inside] * s, tree.size[inside] * s
    near = (corner[:, 0] < window[1]) & (corner[:, 0] + edge > window[0]) & (corner[:, 2] < window[3]) & (
        corner[:, 2] + edge > window[2])
    corner, edge = corner[near][:MOST_SQUARES], edge[near][:MOST_SQUARES]
    steps = "".join(f"M{x:.5f},{-z - e:.5f}h{e:.5f}v{e:.5f}" for (x, _, z), e in zip(corner, edge))
    steps += "".join(
        "M" + "L".join(f"{x:.5f},{-z:.5f}" for x, _, z in loop) + "Z" for loop in (rim * s)[:MOST_SQUARES])
    corners = setup.body.surface.corners
    # The whole body's outline would cover the layers under a winglet or a tail.
    loops = (section_across(corners, y * s) if len(rim) else []) or silhouette(corners, "side")
    inner = f'<path class="mesh" d="{steps}"/>' + _path(loops, "body") + "".join(zones)
    levels = ("coarse", "medium", "fine")
    sizes = ", ".join(show(setup.plan.size * s * coarsening(name), "m", 3) for name in levels)
    cells = large(setup.cells(setup.levels[-1]))
    caption = (
        f"The {level} level on the plane y = {y * s:.3g} m. Cells on the body: {sizes} on coarse, medium and "
        f"fine; about {cells} cells on the {setup.levels[-1]} level, those inside the body included.")
    return frame(inner, window, "drawing grid"), caption


def _instruments(setup):
    inner, box = _view(setup.body.surface, "side", False)
    size = box[1] - box[0]
    i = setup.sheet.instruments
    letters, r = 0.04 * size, 0.012 * size
    parts = [inner]

    def mark(x, y, words):
        return f'<circle class="probe" cx="{x:.5f}" cy="{-y:.5f}" r="{r:.5f}"/>' + _text(
            x + 1.5 * r, y + 1.5 * r, words, letters)

    parts.append(mark(i.moment_x, i.moment_z, "moments"))
    grips = [handle((i.moment_x, i.moment_z), size, "Moments about",
                    Sets("instruments.moment_x", 1.0, unit="m"),
                    Sets("instruments.moment_z", up=1.0, unit="m"))]
    for row, p in enumerate(i.probes):
        parts.append(mark(p.x, p.z, p.name))
        grips.append(
            handle((p.x, p.z), size, f"Probe {p.name}", *place("instruments.probes", row, "m", y="z")))
    for row, m in enumerate(i.meters):
        path = "instruments.meters"
        grips += [
            handle((m.x, m.z), size, f"Middle of {m.name}", *place(path, row, "m", y="z")),
            handle((m.x, m.z + 0.5 * m.height), size, f"Height of {m.name}",
                   Sets(f"{path}[].height", up=2.0, base=-2.0 * m.z, unit="m", row=row))
        ]
        parts.append(
            _lines([((m.x, m.z - 0.5 * m.height), (m.x, m.z + 0.5 * m.height))], "stream") +
            _text(m.x + r, m.z + 0.5 * m.height, m.name, letters))
    for x, words in ((i.front_axle, "front axle"), (i.rear_axle, "rear axle")):
        if x is not None:
            parts.append(mark(x, box[2], words))
            grips.append(handle((x, box[2]), size, words, Sets(f"instruments.{words.replace(' ', '_')}", 1.0,
                                                              unit="m")))
    caption = f"Coefficients on {setup.area:.5g} m² and {setup.length:.4g} m; forces in {i.force_unit}."
    xs = [box[0], box[1], i.moment_x] + [p.x for p in i.probes] + [m.x for m in i.meters]
    ys = [box[2], box[3], i.moment_z] + [p.z
                                         for p in i.probes] + [m.z - 0.5 * m.height for m in i.meters
                                                               ] + [m.z + 0.5 * m.height for m in i.meters]
    pad = 0.12 * size
    window = (min(xs) - pad, max(xs) + pad, min(ys) - pad, max(ys) + pad)
    return frame("".join(parts + grips), window), caption
