"""The drawings at the side of a blade row's run sheet, as SVG in chords of mid-span."""
import numpy as np

from ..core.grids.mesh import MeshError
from ..core.grids.passage.plane import blade_plane, corner_shift
from ..core.sheet.arrangement import CLOSURES
from ..core.units import show
from .drawings import MODEL_WORDS, climb_steps, frame, line, text

# Blades of the wheel that are drawn, at most, and points along an edge.
MOST_BLADES, EDGE = 80, 24


def draw_row(section, setup):
    """The drawing for a section of the sheet: (svg, caption)."""
    return {
        "shape": _shape,
        "air": _air,
        "domain": _domain,
        "grid": _grid,
        "instruments": _domain,
        "flow": _climb,
        "run": _climb
    }[section](setup)


def _points(points):
    return " ".join(f"{x:.4f},{-y:.4f}" for x, y in points)


def _polygon(points, css):
    return f'<polygon class="{css}" points="{_points(points)}"/>'


def _polyline(points, css):
    return f'<polyline class="{css}" points="{_points(points)}"/>'


def _arrow(a, b, css, size):
    """A line with a head."""
    a, b = np.asarray(a, dtype=float), np.asarray(b, dtype=float)
    way = (b - a) / max(np.hypot(*(b - a)), 1e-12)
    side = np.array([-way[1], way[0]])
    head = [b - size * way + 0.45 * size * side, b, b - size * way - 0.45 * size * side]
    return line(a, b, css) + _polyline(head, css)


def _loop(row, share):
    """Outline of the blade at a share of its span, shape (n, 2)."""
    section = row.section(share * row.tip)
    return np.concatenate([section.upper, section.lower[::-1]])


def _cascade(setup, share, count=3):
    """Neighbouring blades unrolled: (svg, box)."""
    row, loop = setup.row, _loop(setup.row, share)
    pitch = row.pitch(share * row.tip)
    if setup.is_open:
        count = 1
    blades = [loop + [0.0, k * pitch] for k in range(count)]
    inner = "".join(_polygon(blade, "body") for blade in blades)
    points = np.concatenate(blades)
    return inner, [points[:, 0].min(), points[:, 0].max(), points[:, 1].min(), points[:, 1].max()]


def _shift(inner, x, y):
    return f'<g transform="translate({x:.4f} {-y:.4f})">{inner}</g>'


def _wheel(setup, radius):
    """The wheel from upstream, drawn with a tip radius: svg."""
    row = setup.row
    tip = row.tip_radius
    k = radius / tip
    hub = row.radius_at(0.0) * k
    parts = [
        f'<circle class="side" cx="0" cy="0" r="{radius:.4f}"/>' if not setup.is_open else "",
        f'<circle class="body" cx="0" cy="0" r="{hub:.4f}"/>'
    ]
    blades = min(row.blades, MOST_BLADES)
    edges = []
    for share in np.linspace(0, 1, EDGE):
        loop, r = _loop(row, share), row.radius_at(share * row.tip)
        edges.append((r, loop[:, 1].min() / r, loop[:, 1].max() / r))
    r, low, high = np.array(edges).T * [[k], [1], [1]]
    # Seen from upstream, angles against the turning run against the clock here.
    ring = np.concatenate([np.stack([r, low], 1), np.stack([r, high], 1)[::-1]])
    for n in range(blades):
        angle = ring[:, 1] + 2 * np.pi * n / blades
        parts.append(_polygon(np.stack([ring[:, 0] * np.sin(angle), ring[:, 0] * np.cos(angle)], 1), "body"))
    return "".join(parts)


def _turning(setup, radius, size):
    """The arrow that says which way the wheel turns."""
    if not setup.omega:
        return ""
    # Turning goes towards falling angles.
    way = -1.0 if setup.omega > 0 else 1.0
    angle = way * np.linspace(-0.35, 0.35, 24)
    at = 1.12 * radius * np.stack([np.sin(angle), np.cos(angle)], axis=1)
    return _polyline(at, "stream") + _arrow(at[-2], at[-1], "stream", size)


def _shape(setup):
    row, m = setup.row, setup.measures()
    inner, box = _cascade(setup, 0.5)
    tall = box[3] - box[2]
    wide = box[1] - box[0]
    radius = 0.5 * max(tall, wide, 1.0)
    size = 0.085 * radius
    gap = 0.5 * radius
    parts = [_shift(inner, -box[0], -0.5 * (box[2] + box[3]))]
    middle = wide + gap + 1.15 * radius
    parts.append(_shift(_wheel(setup, radius) + _turning(setup, radius, size), middle, 0.0))
    merid, mbox = _meridian(setup)
    k = 1.6 * radius / max(mbox[3] - mbox[2], 0.6 * (mbox[1] - mbox[0]))
    parts.append(f'<g transform="translate({middle + 1.3 * radius + 0.3 * gap - k * mbox[0]:.4f} '
                 f'{k * 0.5 * (mbox[2] + mbox[3]):.4f}) scale({k:.4f})">{merid}</g>')
    right = middle + 1.3 * radius + 0.3 * gap + k * (mbox[1] - mbox[0])
    low = -1.3 * radius
    for x, words in ((0.5 * wide, "mid-span, unrolled"), (middle, "from upstream"),
                     (right - 0.5 * k * (mbox[1] - mbox[0]), "hub to tip")):
        parts.append(text(x, low, words, 1.5 * size))
    ends = [row.section_shape(s * row.tip) for s in (0.0, 0.5, 1.0)]
    angles = " / ".join(f"{np.degrees(s.stagger):.1f}°" for s in ends)
    caption = (
        f"{row.blades} blades; chord at mid-span {show(m['chord'], 'm', 4)}, stagger at hub, middle and tip "
        f"{angles}; solidity {m['solidity']:.2f}")
    caption += "." if setup.is_open else f"; throat of the row {show(1e4 * m['throat_area'], '', 4)} cm²."
    tail_first = setup.omega * ends[1].stagger < 0
    caption += " It turns tail first: look at the sign of its speed." if tail_first else ""
    left = min(-0.1 * radius, 0.5 * wide - 8.0 * size)
    return frame("".join(parts), (left, right + 0.1 * radius, low - size, 1.3 * radius)), caption


def _meridian(setup, whole=False):
    """Hub, casing and blade in the plane through the axis: (svg, box)."""
    row = setup.row
    x = row.x
    blade = []
    for share in np.linspace(0, 1, EDGE):
        loop, r = _loop(row, share), row.radius_at(share * row.tip)
        blade.append((loop[:, 0].min(), loop[:, 0].max(), r))
    front, rear, r = np.array(blade).T
    outline = np.concatenate([np.stack([front, r], 1), np.stack([rear, r], 1)[::-1]])
    if setup.is_open and not whole:
        reach = 0.3 * row.tip_radius
        x = np.linspace(front.min() - reach, rear.max() + reach, 9)
    hub, casing = row.radius(x, 0.0), row.radius(x, 1.0)
    floor = 0.0 if setup.is_open else 0.8 * hub.min()
    inner = _polygon(np.concatenate([np.stack([x, hub], 1), [[x[-1], floor], [x[0], floor]]]), "body")
    top = row.tip_radius * 1.1
    if not setup.is_open or whole:
        top = casing.max() * (1.06 if not setup.is_open else 1.0)
        inner += (_polygon(np.concatenate([np.stack([x, casing], 1), [[x[-1], top], [x[0], top]]]), "body")
                  if not setup.is_open else _polyline(np.stack([x, casing], 1), "side"))
    inner += _polygon(outline, "body")
    return inner, [float(x.min()), float(x.max()), float(floor), float(top)]


def _domain(setup):
    inner, box = _meridian(setup, whole=True)
    size = 0.045 * (box[1] - box[0])
    row = setup.row
    inner += line((box[0], box[2]), (box[0], box[3]), "side") + line((box[1], box[2]),
                                                                     (box[1], box[3]), "side")
    inner += text(box[0], box[3] + 0.4 * size, "inlet", size) + text(box[1], box[3] + 0.4 * size, "outlet",
                                                                     size)
    ahead, behind = -row.x[0] * setup.scale, row.x[-1] * setup.scale
    caption = (
        f"From {show(ahead, 'm', 3)} ahead to {show(behind, 'm', 3)} behind the stacking line" +
        (f", out to {show(row.casing[0] * setup.scale, 'm', 3)}." if setup.is_open else
         f"; hub {show(setup.hub_radius, 'm', 3)}, casing {show(row.casing[0] * setup.scale, 'm', 3)}."))
    return frame(inner, (box[0] - size, box[1] + size, box[2] - size, box[3] + 2 * size)), caption


def _air(setup):
    """Unrolled mid-span with what comes: at rest, the blades' speed, and against the blades."""
    inner, box = _cascade(setup, 0.5)
    air = setup.sheet.air
    middle = setup.middle
    size = 0.09 * max(box[3] - box[2], 1.0)
    blade = abs(setup.omega) * setup.mean_radius
    if setup.is_open:
        axial, said = air.wind, f"wind {show(air.wind, 'm/s', 4)}"
    else:
        axial = blade / max(np.tan(np.clip(middle.inlet_angle, 0.17, 1.4)), 0.1) if blade else 100.0
        said = f"axial speed that meets the noses without incidence {show(axial, 'm/s', 3)}"
    scale = 0.9 / max(np.hypot(axial, blade), 1e-9)
    tip = np.array([box[0] - 0.3, 0.5 * (box[2] + box[3])])
    way = 1.0 if setup.omega >= 0 else -1.0
    # The blades go down where they turn towards falling angles: against them the air comes upwards.
    foot = tip - scale * np.array([axial, way * blade])
    corner = np.array([foot[0], tip[1]])
    inner += _arrow(corner, tip, "here", 0.6 * size) + _arrow(foot, tip, "stream", 0.6 * size)
    inner += _arrow(corner, foot, "datum", 0.6 * size) if blade else ""
    letters = 0.55 * size
    if blade:
        inner += text(foot[0] - letters, foot[1] + letters, "against the blades", letters, anchor="end")
    caption = (f"{air.speed:g} rpm: blades at mid-span {show(blade, 'm/s', 4)}, tips "
               f"{show(setup.tip_speed, 'm/s', 4)}; {said}.")
    if not setup.is_open:
        caption += {
            "pressure": f" Behind: {air.back_pressure / 1e3:.5g} kPa at the hub.", "throttle":
            f" Behind: a throttle, {air.throttle_rise / 1e3:.4g} kPa at {air.throttle_flow:g} kg/s.", "flow":
            f" Through the row: {air.outlet_flow:g} kg/s."
        }[air.outlet]
        caption += _profile_words(air.profile)
    left = min(foot[0] - 6 * size, box[0] - 1.3)
    return frame(inner,
                 (left, box[1] + size, min(foot[1], box[2]) - size, max(tip[1], box[3]) + size)), caption


def _profile_words(stations):
    """What an inlet's profile spans."""
    if not stations:
        return ""
    pressures, warmths, angles = zip(*((s.total_pressure, s.total_temperature, s.swirl) for s in stations))
    span = lambda values, unit, digits: (
        f"{show(min(values), unit, digits)}" if min(values) == max(values) else
        f"{show(min(values), '', digits)} to {show(max(values), unit, digits)}")
    return (f" Inlet over the span by {len(stations)} stations: total pressure {span(pressures, 'Pa', 6)}, "
            f"temperature {span(warmths, 'K', 5)}, angle {span(angles, '°', 3)}.")


def _grid(setup):
    """Cells of the coarse level at mid-span."""
    plane, _, first = setup.counts(setup.levels[0])
    row, share = setup.row, 0.5 * setup.row.tip
    section = row.section(share)
    made = blade_plane(section, row.pitch(share), (row.x_in, row.x_out), plane, first,
                       corner_shift(section.stagger, plane, row.is_open))
    if made.least_sine <= 0:
        raise MeshError(
            "the grid between the blades folds at mid-span. Fewer blades, less stagger or camber, or more "
            "cells round the edges (grid.edge_cells) mend it.")
    around = np.concatenate([made.around, made.around[:1]])
    steps = []
    for block in (around, made.ahead, made.behind):
        for lines in (block, block.transpose(1, 0, 2)):
            steps += ["M" + " ".join(f"{x:.3f},{-y:.3f}" for x, y in points) for points in lines]
    inner = f'<path class="mesh" d="{"".join(steps)}"/>' + _polygon(
        np.concatenate([section.upper, section.lower[::-1]]), "body")
    loop = np.concatenate([section.upper, section.lower])
    reach = 0.6 if not setup.is_open else 1.5
    box = (loop[:, 0].min() - reach, loop[:, 0].max() + reach, loop[:, 1].min() - reach,
           loop[:, 1].max() + reach)
    total = setup.cells(setup.levels[-1])
    caption = (
        f"The coarse plane at mid-span; its worst corner has a sine of {made.least_sine:.2f}. The finest "
        f"passage has {total:,} cells; first cells {show(first * setup.scale * 1e6, '', 3)} µm on the coarse "
        "level.").replace(",", " ", 1)
    return frame(inner, box), caption


def _climb(setup):
    run, flow = setup.sheet.run, setup.sheet.flow
    model = MODEL_WORDS[flow.model] + (f", {CLOSURES[flow.closure]}" if flow.model == "turbulent" else "")
    what = "thrust and torque" if setup.is_open else "mass flow, pressure ratio and torque"
    caption = (
        f"{model}. Each level starts from the one before it and ends when the residual is below "
        f"{run.residual:g} of the start and {what} are steady within {run.steady:g}, or after {run.steps} "
        f"steps.")
    return frame(climb_steps(setup), (-0.1, 1.15, -0.25, 0.5)), caption
