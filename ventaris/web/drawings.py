"""The drawings at the side of the run sheet, as SVG in chord units."""
import numpy as np
from markupsafe import Markup

from ..core.grids.mesh import MeshError
from ..core.grids.quality import skewness
from ..core.grids.turning_zone import Circle
from ..core.sheet.arrangement import CLOSURES
from ..core.study.kinds.section.motion import words_of
from ..core.units import large, show
from .handles import Sets, handle, place
from .section_handles import circle_handles, domain_handles, zone_handles

# Cells of a level that is made and drawn while a page waits.
MOST_DRAWN = 60_000
# How far from the body a zone may reach and still be in the picture, in chords.
FARTHEST = 8

MODEL_WORDS = {
    "inviscid": "Inviscid: slip walls, no friction", "laminar": "Laminar: no-slip walls, no turbulence",
    "turbulent": "Turbulent: no-slip walls"
}
DOMAIN_WORDS = {
    "ground": "G ground", "lower wall": "W lower wall", "upper wall": "W upper wall", "inlet": "I inlet",
    "outlet": "O outlet", "symmetry": "S symmetry line", "axis": "axis", "far field": "F far field",
    "casing": "C casing"
}


def draw(section, setup):
    """The drawing for a section of the sheet.

    Returns
    -------
    svg : Markup
    caption : str
    """
    return {
        "shape": _shape, "air": _air, "domain": _domain, "grid": _grid, "instruments": _instruments,
        "flow": _climb, "run": _climb
    }[section](setup)


def frame(inner, box, css="drawing"):
    left, right, bottom, top = box
    return Markup(f'<svg class="{css}" viewBox="{left:.5f} {-top:.5f} {right - left:.5f} {top - bottom:.5f}" '
                  f'role="img" aria-label="Drawing, described below it">{inner}</svg>')


def _bodies(setup, count=260):
    """Outlines as they stand in the domain: (svg, all points)."""
    if not setup.is_hybrid:
        points = setup.shape.section.at(setup.shape.section.stations(count))
        return _polygon(points, "body"), points
    loops = [o.polygon(count) for o in setup.outlines]
    return "".join(_polygon(loop, "body") for loop in loops), np.concatenate(loops)


def _named_surfaces(setup):
    """Named stretches and what they do, drawn over the walls."""
    parts = []
    named = {s.name for s in setup.shape.surfaces}
    for outline in setup.outlines:
        for t in outline.stretches:
            boundary = setup.boundaries.get(t.name)
            if t.name not in named and boundary is None:
                continue
            points = outline.at(np.linspace(t.start, t.end, 24))
            steps = " ".join(f"{x:.5f},{-y:.5f}" for x, y in points)
            parts.append(f'<polyline class="slot" points="{steps}"/>')
            if t.name in named:
                out = points[12] - points[11]
                away = np.array([out[1], -out[0]]) / max(np.linalg.norm(out), 1e-12)
                parts.append(text(*(points[12] + 0.05 * away), t.name, 0.032))
    return "".join(parts)


def _polygon(points, css):
    return f'<polygon class="{css}" points="{" ".join(f"{x:.5f},{-y:.5f}" for x, y in points)}"/>'


def line(a, b, css):
    return f'<line class="{css}" x1="{a[0]:.4f}" y1="{-a[1]:.4f}" x2="{b[0]:.4f}" y2="{-b[1]:.4f}"/>'


def text(x, y, words, size=0.035, css="", anchor="middle"):
    return (
        f'<text class="{css}" x="{x:.4f}" y="{-y:.4f}" font-size="{size:.4f}" '
        f'text-anchor="{anchor}">{words}</text>'
    )


def _shape(setup):
    if setup.is_hybrid:
        return _arrangement(setup)
    bodies, points = _bodies(setup)
    m = setup.shape.section.measure(setup.chord)
    low, high = points[:, 1].min(), points[:, 1].max()
    x = np.linspace(0.001, 0.999, 80)
    upper, lower = setup.shape.section.sides(x)
    camber = " ".join(f"{a:.4f},{-b:.4f}" for a, b in zip(x, 0.5 * (upper + lower)))
    parts = [bodies, f'<polyline class="camber" points="{camber}"/>']
    k = int(np.argmin(np.abs(x - m.thickness_at)))
    parts += [
        line((x[k], lower[k]), (x[k], upper[k]), "measure"),
        text(x[k] + 0.015, 0.5 * (upper[k] + lower[k]) - 0.01,
             f"{100 * m.thickness:.2f} % at {m.thickness_at:.2f}", 0.034, anchor="start")
    ]
    y = low - 0.07
    parts += [_chord_line(y, setup.chord)]
    caption = (f"Area {m.area:.4f} c², camber {100 * m.camber:.2f} % at {m.camber_at:.2f} c, nose radius "
               f"{100 * m.leading_edge_radius:.2f} % c, trailing edge {_tail_words(setup, m)}.")
    if abs(setup.shape.turned) > 0.01:
        caption += (
            f" The coordinates were turned by {setup.shape.turned:.2f}° to lay the chord line level; "
            "incidence counts from that line."
        )
    return frame("".join(parts),
                 (min(points[:, 0].min(), 0) - 0.08, max(points[:, 0].max(), 1) + 0.08, y - 0.1,
                  max(high, 0.02) + 0.08)), caption


def _chord_line(y, chord):
    return (line((0, y), (1, y), "measure") + line((0, y - 0.015), (0, y + 0.015), "measure") + line(
        (1, y - 0.015), (1, y + 0.015), "measure") + text(0.5, y - 0.05, f"chord {show(chord, 'm')}", 0.04))


def _arrangement(setup):
    bodies, points = _bodies(setup)
    parts = [bodies, _named_surfaces(setup)]
    for outline in setup.outlines:
        if outline.name:
            own = outline.polygon(120)
            parts.append(text(*own.mean(0), outline.name, 0.034))
    y = points[:, 1].min() - 0.07
    parts.append(_chord_line(y, setup.chord))
    m = setup.shape.section.measure(setup.chord)
    sheet = setup.sheet.shape
    words = [f"Main element {100 * m.thickness:.1f} % thick, camber {round(100 * m.camber, 1) + 0.0:.1f} %"]
    for e in sheet.elements:
        words.append(f"{e.name}: {e.chord:g} c, {e.deflection:g}°" +
                     (f", gap {100 * e.gap:g} %, overlap {100 * e.overlap:g} %" if e.role != "free" else ""))
    if sheet.attitude == "inverted":
        words.append("upside down")
    if setup.shape.surfaces:
        words.append("named surfaces: " + ", ".join(s.name for s in setup.shape.surfaces))
    return frame("".join(parts), (points[:, 0].min() - 0.08, points[:, 0].max() + 0.08, y - 0.1,
                                  points[:, 1].max() + 0.1)), "; ".join(words) + "."


def _tail_words(setup, m):
    kind = setup.shape.section.trailing_edge
    return {
        "sharp": f"sharp ({m.trailing_edge_angle:.1f}°)",
        "blunt": f"{100 * m.trailing_edge_gap:.2f} % c thick", "round": "rounded"
    }[kind]


def _air(setup):
    a = setup.stream.incidence
    direction, normal = np.array([np.cos(a), np.sin(a)]), np.array([-np.sin(a), np.cos(a)])
    parts = []
    for k in range(-3, 4):
        start = np.array([-0.75, -0.1 * np.tan(a)]) + 0.085 * k * normal
        end = start + 0.42 * direction
        tip = [end - 0.035 * direction + 0.02 * normal, end, end - 0.035 * direction - 0.02 * normal]
        parts += [
            line(start, end, "stream"),
            f'<polyline class="stream" points="{" ".join(f"{x:.4f},{-y:.4f}" for x, y in tip)}"/>'
        ]
    bodies, points = _bodies(setup)
    parts += [bodies, _named_surfaces(setup), line((-0.3, 0), (1.25, 0), "datum")]
    if abs(a) > 1e-6:
        end = np.array([0.0, 0.0]) + 1.25 * direction
        parts += [
            line((0, 0), end, "datum"),
            text(end[0] + 0.02, end[1] * 0.5, f"{setup.sheet.air.incidence:g}°", 0.05, anchor="start")
        ]
    air = setup.air
    caption = (
        f"{show(air.speed, 'm/s', 4)}, Mach {air.mach:.4g}, Reynolds number {large(setup.reynolds, 3)} on "
        f"the chord; {show(air.temperature, 'K', 5)}, {show(air.pressure, 'Pa', 6)} absolute.")
    for action in setup.sheet.air.walls:
        caption += f" {_action_words(action)}."
    if setup.moving:
        moves, reach, grips = _moves(setup)
        parts, points = [*moves, *parts, *grips], np.concatenate([points, reach])
        words = "; ".join(words_of(row) for row in setup.moving.rows)
        caption += f" {words[0].upper()}{words[1:]}."
    box = (min(-0.85, points[:, 0].min() - 0.1), max(1.4, points[:, 0].max() + 0.1),
           min(-0.5, points[:, 1].min() - 0.1), max(0.5, points[:, 1].max() + 0.1))
    return frame("".join(parts), box), caption


def _moves(setup):
    """Where everything goes: outlines at the ends of their way, the pivot, a wheel's circle with its sense;
    and points that must be seen."""
    moving, motion = setup.moving, setup.moving.motion
    loops = [o.polygon(120) for o in setup.outlines]
    parts, reach, grips = [], [], []
    for _, centre, radius, turn in moving.wheels:
        ring = Circle(*centre, radius).points(72)
        sense = 1 if moving.sign * turn > 0 else -1
        tip = centre + [0.06 * radius * sense, radius]
        wings = tip + 0.1 * radius * np.array([[-sense, 0.6], [0, 0], [-sense, -0.6]])
        parts += [
            _polygon(ring, "datum"),
            f'<polyline class="stream" points="{" ".join(f"{a:.4f},{-b:.4f}" for a, b in wings)}"/>'
        ]
        reach.append(ring)
    for moves in moving.circles:
        x, y = moves.circle.centre
        ring = moves.circle.points(144)
        parts.append(_polygon(ring, "measure"))
        grips += circle_handles(setup, moves.circle)
        reach.append(ring)
        parts += _ends_of(moves, loops, moving.lasts / setup.stream.mach) if not moves.wheel else []
    if not moving.wheel and not moving.circles:
        times = np.linspace(0, moving.lasts / setup.stream.mach, 97)
        for law in (motion.pitch, motion.heave):
            values = [law.value(t) for t in times]
            for t in {times[int(np.argmin(values))], times[int(np.argmax(values))]} if np.ptp(values) else ():
                ghosts = [motion.place(loop, t) for loop in loops]
                parts += [_polygon(ghost, "datum") for ghost in ghosts]
                reach += ghosts
    if moving.turns:
        x, y = motion.pivot
        parts.append(f'<circle class="here" cx="{x:.4f}" cy="{-y:.4f}" r="0.018"/>')
    return parts, np.concatenate(reach or loops), grips


def _ends_of(moves, loops, lasts):
    """What is in a circle that swings or turns once, at the ends of its way."""
    times = np.linspace(0, lasts, 97)
    values = [moves.law.value(t) for t in times]
    own = [loop for loop in loops if moves.circle.holds(loop[:1])[0]]
    return [
        _polygon(moves.circle.turned(loop, -values[k]), "datum")
        for k in {int(np.argmin(values)), int(np.argmax(values))} for loop in own
    ]


def _action_words(action):
    return _held_words(action) + driven_words(action)


def _held_words(action):
    name = f"“{action.surface}”"
    if action.action == "blow":
        return f"{name} {'blows' if action.speed >= 0 else 'sucks'} at {show(abs(action.speed), 'm/s', 4)}"
    if action.action == "blow mass":
        return (
            f"{name} {'blows' if action.mass_flow >= 0 else 'sucks'} "
            f"{show(abs(action.mass_flow), 'kg/(m*s)', 4)}"
        )
    return (f"{name} slips"
            if action.action == "slip" else f"{name} moves along itself at {show(action.speed, 'm/s', 4)}")


def driven_words(action):
    """How a wall changes in time, to follow on what it does; empty where it does not."""
    if not action.is_driven:
        return ""
    if action.varies == "sine":
        often = f"k {action.reduced:g}" if action.given == "reduced" else f"{action.hertz:g} Hz"
        return f", ± {show(abs(action.swing), 'm/s', 4)} at {often}"
    if action.varies == "table":
        return ", and what its table says"
    return f", and by the formula {action.formula}"


def _chain(points, edges):
    """An SVG path through edges, joined where one begins at the end of the last, so that the dots run on
    evenly."""
    following = {int(a): int(b) for a, b in edges}
    starts = set(following) - set(following.values()) or {int(edges[0, 0])}
    path = ""
    for here in starts:
        path += f"M{points[here, 0]:.2f} {-points[here, 1]:.2f}"
        while here in following:
            here = following.pop(here)
            path += f"L{points[here, 0]:.2f} {-points[here, 1]:.2f}"
    return path


def _domain(setup):
    if setup.cells("coarse") > MOST_DRAWN:
        raise MeshError(
            "The grid has too many cells for its domain to be drawn here. Take fewer or larger cells.")
    mesh = setup.generate(("coarse", ))["coarse"]
    low, high = mesh.points.min(0), mesh.points.max(0)
    r = 0.5 * float((high - low).max())
    size = (0.08 if setup.in_casing else 0.055) * r
    bodies, points = _bodies(setup, 80)
    parts, seen = [bodies], []
    for name, faces in mesh.boundaries.items():
        if name in mesh.walls:
            continue
        parts.append(f'<path class="{"far" if name == "far field" else "side"}" '
                     f'd="{_chain(mesh.points, mesh.face_nodes[faces])}"/>')
        seen.append(name)
        if name != "far field":
            parts.append(text(*_beside(mesh, name, r), DOMAIN_WORDS[name], size))
    centre = 0.5 * (points.min(0) + points.max(0))
    parts += [f'<circle class="here" cx="{centre[0]:.3f}" cy="{-centre[1]:.3f}" r="{0.03 * r:.3f}"/>']
    words = []
    if "far field" in seen:
        far = setup.plan.far_field
        parts += [
            text(0.62 * far, 0.86 * far, "F far field", size),
            line((0.5, 0.06 * r), (0.5, 0.985 * far), "measure"),
            text(0.5 + 0.04 * r, 0.5 * far, f"{far:g} chords, {show(far * setup.chord, 'm', 3)}", size,
                 anchor="start")
        ]
        carries = setup.stream.mach < 1 and setup.sheet.domain.kind == "far field" and not setup.moving
        words.append(f"F: far field at {far:g} chords" +
                     (", with the vortex of the present lift on it"
                      if carries else ": what flows in is the undisturbed stream"))
    words += _domain_words(setup, points)
    parts += domain_handles(setup, points, 2.2 * r)
    pad = (0.28 if setup.in_casing else 0.17) * r
    return frame("".join(parts), (low[0] - pad, high[0] + pad, low[1] - pad, high[1] + pad),
                 "drawing wide"), "; ".join(words) + "."


def _beside(mesh, name, r):
    """Where a side of the domain is named, beside it and outside."""
    faces = mesh.boundaries[name]
    if name == "casing":
        # Above the middle of what faces upwards most.
        up = faces[mesh.normal[faces, 1] >= mesh.normal[faces, 1].max() - 0.05]
        top = up[np.argmax(mesh.face_centre[up, 1])]
        return mesh.face_centre[up, 0].mean(), mesh.face_centre[top, 1] + 0.04 * r
    shift = {"ground": (0.5 * r, -0.07 * r), "upper wall": (0, 0.03 * r)}.get(name, (0, -0.07 * r))
    if name in ("inlet", "outlet"):
        shift = 0.13 * r * mesh.normal[faces].mean(0) / max(np.linalg.norm(mesh.normal[faces].mean(0)), 1e-9)
    return mesh.face_centre[faces].mean(0) + shift


def _domain_words(setup, points):
    """What is said of what bounds the air; `points` are those of the bodies."""
    domain, words = setup.sheet.domain, []
    if domain.kind == "ground":
        motion = {"moving": "it moves with the stream", "fixed": "it stands still",
                  "slip": "it slips"}[domain.ground]
        words.append(
            f"G: ground {domain.clearance:g} chords ({show(domain.clearance * setup.chord, 'm', 3)}) below "
            f"the lowest point; {motion}")
    if domain.kind == "channel":
        words.append(f"W: {domain.side_walls} walls {domain.height:g} chords apart; blockage "
                     f"{100 * np.ptp(points[:, 1]) / domain.height:.1f} %")
    if domain.kind == "casing":
        held = (f"{domain.outlet_pressure:g} Pa" if domain.outlet == "pressure" else
                f"{domain.outlet_flow:g} kg/s per metre")
        words.append(f"C: {domain.side_walls} walls; I: total pressure {domain.inlet_pressure:g} Pa above "
                     f"the ambient one; O: {held}")
    if domain.kind == "round":
        words.append("the section is turned about the axis; coefficients refer to the frontal area of "
                     f"{show(setup.reference_area, 'm^2', 4)}")
    if domain.kind == "half":
        words.append("S: symmetry line; the forces are those of the whole body")
    words.append(
        f"the walls of the body are {'slip' if setup.sheet.flow.model == 'inviscid' else 'no-slip'} walls")
    return words


def drawn_level(setup):
    """The level whose cells are drawn; raises `MeshError` where even the coarse one has more than a page
    should wait for."""
    level = next(
        (name for name in ("medium", "coarse") if name in setup.levels and setup.cells(name) <= MOST_DRAWN),
        None)
    if level is None:
        raise MeshError(
            f"The coarse grid alone has about {setup.cells('coarse'):,} cells: too many to be drawn here. "
            "Take fewer or larger cells.".replace(",", " "))
    return level


def _grid(setup):
    level = drawn_level(setup)
    mesh = setup.generate((level, ))[level]
    bodies, points = _bodies(setup)
    zones = zone_handles(setup)
    points = np.concatenate([points, *(loop for loop, _ in zones if np.abs(loop).max() < FARTHEST)])
    box = (points[:, 0].min() - 0.3, points[:, 0].max() + 0.4, points[:, 1].min() - 0.5,
           points[:, 1].max() + 0.5)
    a, b = mesh.points[mesh.face_nodes[:, 0]], mesh.points[mesh.face_nodes[:, 1]]
    middle = 0.5 * (a + b)
    keep = (middle[:, 0] > box[0] - 0.2) & (middle[:, 0] < box[1] + 0.2) & (middle[:, 1] > box[2] - 0.2) & (
        middle[:, 1] < box[3] + 0.2)
    path = "".join(f"M{p[0]:.4f} {-p[1]:.4f}L{q[0]:.4f} {-q[1]:.4f}" for p, q in zip(a[keep], b[keep]))
    skew = skewness(mesh)
    worst = np.argsort(-skew)[:5]
    marks = "".join(f'<circle class="worst" cx="{x:.4f}" cy="{-y:.4f}" r="{0.012 * (box[1] - box[0]):.4f}"/>'
                    for x, y in mesh.centre[worst])
    parts = [f'<path class="mesh" d="{path}"/>', bodies, marks]
    parts += [_polygon(loop, "zone") + grips for loop, grips in zones]
    about = "about " if setup.is_hybrid else ""
    counts = ", ".join(f"{name} {about}{setup.cells(name):,}".replace(",", " ") for name in setup.levels)
    place = mesh.centre[worst[0]]
    caption = (
        f"The {level} grid near the body. Cells: {counts}. First layer {setup.plan.first_height:.2g} c on "
        "the fine level, "
        f"{show(setup.plan.first_height * setup.chord * 1000, '', 3)} mm. The five most skewed cells are "
        f"ringed; the worst, {skew[worst[0]]:.2f} of 1, is at x = {place[0]:.3g}, y = {place[1]:.3g} c.")
    return frame("".join(parts), box), caption


def _instruments(setup):
    i = setup.sheet.instruments
    bodies, points = _bodies(setup)
    parts, grips = [bodies], [
        handle((i.moment_x, i.moment_y), 1.5, "Moments about", Sets("instruments.moment_x", along=1.0),
               Sets("instruments.moment_y", up=1.0))
    ]
    for x, y in points[::6]:
        parts.append(f'<circle class="tap" cx="{x:.4f}" cy="{-y:.4f}" r="0.006"/>')
    parts += [
        f'<circle class="pivot" cx="{i.moment_x:.4f}" cy="{-i.moment_y:.4f}" r="0.02"/>',
        line((i.moment_x - 0.035, i.moment_y), (i.moment_x + 0.035, i.moment_y), "measure"),
        line((i.moment_x, i.moment_y - 0.035), (i.moment_x, i.moment_y + 0.035), "measure")
    ]
    xs, ys = [-0.2, 1.3, points[:, 0].max()], [-0.35, 0.35, points[:, 1].min(), points[:, 1].max()]
    for number, probe in enumerate(i.probes, start=1):
        if abs(probe.x) < 6 and abs(probe.y) < 6:
            parts += [
                f'<circle class="probe" cx="{probe.x:.4f}" cy="{-probe.y:.4f}" r="0.028"/>',
                text(probe.x + 0.055, probe.y - 0.012, str(number), 0.036)
            ]
            grips.append(handle((probe.x, probe.y), 1.8, f"Probe {probe.name}", *place(
                "instruments.probes", number - 1)))
            xs.append(probe.x)
            ys.append(probe.y)
    for row, meter in enumerate(i.meters):
        start, end = np.array([meter.x1, meter.y1]), np.array([meter.x2, meter.y2])
        middle, way = 0.5 * (start + end), end - start
        tip = middle + 0.12 * np.array([way[1], -way[0]])
        parts += [line(start, end, "measure"), line(middle, tip, "stream"),
                  text(*(middle - 0.05 * np.array([way[1], -way[0]])), meter.name, 0.036)]
        grips += [handle(at, 1.8, f"End of {meter.name}", *place("instruments.meters", row, x=f"x{k}",
                                                                 y=f"y{k}"))
                  for k, at in ((1, start), (2, end))]
        xs += [meter.x1, meter.x2, tip[0]]
        ys += [meter.y1, meter.y2, tip[1]]
    box = (min(xs) - 0.1, max(xs) + 0.1, min(ys) - 0.1, max(ys) + 0.1)
    caption = (
        f"Balance on the whole wall, moments about x = {i.moment_x:g}, y = {i.moment_y:g} c; taps round the "
        f"body; {len(i.probes)} probes."
    )
    if setup.elements:
        caption += " Lift and drag are also given for every element."
    if setup.slots:
        caption += (
            " The momentum of what the slots blow and take in is part of the forces; the run also says them "
            "without."
        )
    for formula in i.formulas:
        caption += f" {formula.name} = {formula.expression}."
    return frame("".join(parts + grips), box), caption


def climb_steps(setup):
    """Bars for the cells of every level."""
    parts, most = [], max(setup.cells(level) for level in setup.levels)
    for k, level in enumerate(setup.levels):
        width = max(0.06, 1.0 * (setup.cells(level) / most)**0.5)
        y = 0.34 - 0.2 * k
        parts += [
            f'<rect class="step" x="0" y="{-y:.3f}" width="{width:.3f}" height="0.1"/>',
            text(0, y + 0.02, f"{level}: {setup.cells(level):,} cells".replace(",", " "), 0.05,
                 anchor="start")
        ]
    return "".join(parts)


def _climb(setup):
    run = setup.sheet.run
    model = MODEL_WORDS[setup.sheet.flow.model] + (f", {CLOSURES[setup.sheet.flow.closure]}"
                                                   if setup.sheet.flow.model == "turbulent" else "")
    caption = (
        f"{model}. Each level starts from the one "
        f"before it and ends when the residual is below {run.residual:g} of the start and lift, drag and "
        f"moment are steady within {run.steady:g}, or after {run.steps} steps.")
    return frame(climb_steps(setup), (-0.1, 1.15, -0.25, 0.5)), caption
