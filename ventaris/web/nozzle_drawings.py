"""The drawings at the side of a nozzle's run sheet, as SVG in millimetres."""
import numpy as np
from markupsafe import Markup

from ..core.grids.quality import skewness
from ..core.sheet.arrangement import CLOSURES
from ..core.shapes.nozzles import port_spans, wall_pieces
from ..core.study.kinds.nozzle.judge import REGIMES
from ..core.sound.jet import (
    ABSORB_DOWNSTREAM, ABSORB_SIDEWAYS, ABSORB_UPSTREAM, DOWNSTREAM, SIDEWAYS, UPSTREAM
)
from ..core.study.kinds.jet.ready import make_flow
from ..core.study.progress import RunFailed
from ..core.units import show
from . import drawings
from .drawings import MODEL_WORDS, climb_steps, drawn_level
from .handles import handle, place

MM = 1000.0


def frame(inner, box, css="drawing"):
    return drawings.frame(inner, [MM * side for side in box], css)


def line(a, b, css):
    return drawings.line(MM * np.asarray(a), MM * np.asarray(b), css)


def text(x, y, words, size, anchor="middle"):
    return drawings.text(MM * x, MM * y, words, MM * size, anchor=anchor)


def points_of(points):
    """Points as the value of an SVG attribute."""
    return " ".join(f"{MM * x:.3f},{-MM * y:.3f}" for x, y in points)


def edges_of(a, b):
    """Edges as the value of an SVG path."""
    return "".join(f"M{MM * p[0]:.3f} {-MM * p[1]:.3f}L{MM * q[0]:.3f} {-MM * q[1]:.3f}"
                   for p, q in zip(a, b))


def circle(x, y, radius, css):
    return f'<circle class="{css}" cx="{MM * x:.3f}" cy="{-MM * y:.3f}" r="{MM * radius:.3f}"/>'


def draw_nozzle(section, setup):
    """The drawing for a section of the sheet: (svg, caption)."""
    if setup.sheet.flow.model == "noise" and section in NOISE_DRAWINGS:
        try:
            return NOISE_DRAWINGS[section](setup, make_flow(setup))
        except RunFailed as error:
            return frame(_walls(setup), _box(setup)), str(error)
    return {
        "shape": _shape, "air": _air, "domain": _domain, "grid": _grid, "instruments": _instruments,
        "flow": _climb, "run": _climb
    }[section](setup)


def _walls(setup):
    """Both walls as filled shapes with their lip, ports left open: svg."""
    pieces = wall_pieces(setup.contour, setup.sheet.shape.lip, port_spans(setup.sheet.shape))
    return "".join(f'<polygon class="body" points="{points_of(piece * [1, sign])}"/>' for piece in pieces
                   for sign in (1, -1))


def _box(setup, more=0.0):
    c = setup.contour
    top = c.r.max() + setup.sheet.shape.lip
    return [-0.08 * c.length, (1.08 + more) * c.length, -1.35 * top, 1.2 * top]


def _size(box):
    return 0.030 * (box[1] - box[0])


def _axis(setup, box):
    css = "datum" if setup.is_round else "side"
    return line((box[0] + 0.02 * (box[1] - box[0]), 0), (box[1] - 0.02 * (box[1] - box[0]), 0), css)


def _measure(x, r, words, size, anchor="start"):
    return line((x, -r), (x, r), "measure") + text(x + (0.35 if anchor == "start" else -0.35) * size,
                                                   0.25 * size, words, size, anchor=anchor)


def _shape(setup):
    c, m, box = setup.contour, setup.measures(), _box(setup)
    size = _size(box)
    across = "Ø" if setup.is_round else "height"
    parts = [_walls(setup), _axis(setup, box)]
    stations = {(0.0, c.inlet_radius): "start", c.throat: "start", (c.length, c.exit_radius): "end"}
    parts += [
        _measure(x, r, f"{across} {show(2000 * r, '', 4)} mm", size, anchor)
        for (x, r), anchor in stations.items()
    ]
    y = box[2] + 0.6 * size
    parts += [
        line((0, y), (c.length, y), "measure"),
        text(0.5 * c.length, y + 0.4 * size, show(c.length, "m", 4), size)
    ]
    parts += [
        text(p.x,
             c.radius(p.x) + setup.sheet.shape.lip + 0.5 * size, p.name, size)
        for p in setup.sheet.shape.ports
    ]
    caption = (
        f"{'Round' if setup.is_round else 'Flat'}; throat area {show(m['throat_area'] * 1e4, '', 4)} cm², "
        f"exit over throat {m['area_ratio']:.4g}; "
        f"the wall falls at up to {m['steepest_in']:.0f}° and opens at up to {m['steepest_out']:.0f}°.")
    return frame("".join(parts), box), caption


def _air(setup):
    svg, box, d = [_walls(setup)], _box(setup), setup.derived()
    size, given = _size(box), setup.sheet.air
    c = setup.contour
    for k in (-0.6, 0.0, 0.6):
        a = np.array([-0.07 * c.length, k * c.inlet_radius])
        b = a + [0.11 * c.length, 0]
        svg += [
            line(a, b, "stream"), '<polyline class="stream" '
            f'points="{points_of([b + [-0.5 * size, 0.3 * size], b, b + [-0.5 * size, -0.3 * size]])}"/>'
        ]
    svg.append(_axis(setup, box))
    both = (
        f"{show(d['supply'] / 1e3, '', 5)} kPa absolute, {show((d['supply'] - d['ambient']) / 1e3, '', 5)} "
        "kPa above ambient")
    caption = f"Supply: total pressure {both}; {show(d['supply_temperature'], 'K', 4)}. "
    if given.supply == "jet mach":
        caption = (f"Supply for Mach {given.jet_mach:g}: total pressure {both}; "
                   f"{show(d['supply_temperature'], 'K', 4)}. ")
    if given.supply == "mass flow":
        caption = f"Supply: {show(given.mass_flow, 'kg/s')}, which needs about {both}. "
    caption += (f"Behind the exit {show(d['back_pressure'] / 1e3, '', 5)} kPa, ambient "
                f"{show(d['ambient'] / 1e3, '', 5)} kPa. ")
    if setup.theory:
        caption += (
            f"One-dimensional: {REGIMES[d['regime']]}; {show(d['mass_flow'], 'kg/s')}, "
            f"{show(d['thrust'], 'N')} of thrust; a loss-free jet would have Mach {d['ideal_mach']:.3f}.")
        if d["shock"] is not None:
            r = float(c.radius(d["shock"]))
            svg += [
                line((d["shock"], -r), (d["shock"], r), "stream"),
                text(d["shock"],
                     float(c.radius(d["shock"] + 4 * size)) + setup.sheet.shape.lip + 0.5 * size,
                     "shock (theory)", size)
            ]
    return frame("".join(svg), box), caption


MARKS = {
    "inlet": "I inlet", "outlet": "O outlet", "surroundings": "E entrainment", "behind": "E entrainment",
    "downstream": "O outlet", "axis": "axis", "symmetry": "S symmetry", "plate": "P plate"
}


def _domain(setup):
    mesh, scale = setup.generate(("coarse", ))["coarse"], setup.scale
    points = mesh.points * scale
    low, high = points.min(0), points.max(0)
    box = [
        low[0] - 0.11 * (high[0] - low[0]), high[0] + 0.13 * (high[0] - low[0]),
        low[1] - 0.12 * (high[1] - low[1]) - 0.02 * (high[0] - low[0]), high[1] + 0.1 * (high[1] - low[1])
    ]
    size, parts = 0.022 * (box[1] - box[0]), []
    for name, faces in mesh.boundaries.items():
        css = "stream" if name in mesh.walls else "datum" if name == "axis" else "far" if name in (
            "surroundings", "behind", "downstream") else "side"
        a, b = points[mesh.face_nodes[faces, 0]], points[mesh.face_nodes[faces, 1]]
        parts.append(f'<path class="{css}" d="{edges_of(a, b)}"/>')
        if name in MARKS:
            at = mesh.face_centre[faces].mean(0) * scale
            shift = {
                "axis": (0, -1.1 * size), "symmetry": (0, -1.1 * size), "surroundings": (0, 0.6 * size),
                "inlet": (-0.3 * size, 0.4 * size), "outlet": (0.6 * size, 0)
            }.get(name, (0, 0))
            parts.append(
                text(
                    at[0] + shift[0], at[1] + shift[1], MARKS[name], size,
                    anchor="end" if name == "inlet" else "start" if name in ("outlet", "downstream",
                                                                             "plate") else "middle"))
    supply = {
        "total": "total pressure and temperature",
        "jet mach": "the total pressure that its Mach number needs, and a total temperature",
        "mass flow": "a mass flow with its total temperature", "supersonic": "a supersonic stream"
    }[setup.sheet.air.supply]
    words = [f"I: {supply}"]
    if setup.has_jet:
        coflow = setup.sheet.air.coflow
        still = "still air is drawn in with its total pressure, and leaves against its static pressure"
        words += [f"E: {'moving air at ' + show(coflow, 'm/s') if coflow else still}"]
        words += ["P: the plate" if setup.plan.plate else "O: ambient pressure, air may come back"]
    else:
        words += [
            "O: " + ("a mass flow" if setup.sheet.air.outlet == "mass flow" else
                     f"{show(setup.derived()['back_pressure'] / 1e3, '', 5)} kPa")
        ]
    walls = "slip walls" if setup.sheet.flow.model == "inviscid" else "no-slip walls, " + {
        "adiabatic": "adiabatic", "temperature": f"at {show(setup.sheet.air.wall_temperature, 'K')}",
        "heat flux": "heated"
    }[setup.sheet.air.wall_heat]
    if setup.sheet.shape.ports:
        words.append("ports: open to the ambient pressure")
    return frame("".join(parts), box, "drawing wide"), f"The computed half. {'; '.join(words)}; {walls}."


def _grid(setup):
    level = drawn_level(setup)
    mesh, scale = setup.generate((level, ))[level], setup.scale
    c = setup.contour
    right = c.length * 1.02 if not setup.has_jet else c.length + min(2.5, setup.plan.reach) * scale
    top = 1.5 * c.r.max() if setup.has_jet else 1.06 * c.r.max()
    a, b = (mesh.points[mesh.face_nodes[:, k]] * scale for k in (0, 1))
    keep = (np.minimum(a[:, 0], b[:, 0]) < right) & (np.minimum(a[:, 1], b[:, 1]) < top) & (np.maximum(
        a[:, 0], b[:, 0]) > -0.02 * c.length)
    path = edges_of(a[keep], b[keep])
    skew = skewness(mesh)
    worst = np.argsort(-skew)[:5]
    radius = 0.012 * right
    marks = "".join(circle(x, y, radius, "worst") for x, y in mesh.centre[worst] * scale)
    counts = ", ".join(f"{name} {setup.cells(name):,}".replace(",", " ") for name in setup.levels)
    first = setup.plan.first_height
    caption = (f"The {level} grid{' near the nozzle' if setup.has_jet else ''}. Cells: {counts}. " +
               (f"First cell at the walls {show(first * scale * 1000, '', 3)} mm on the fine level. "
                if first else "Evenly spaced across. ") +
               f"The five most skewed cells are ringed; the worst is {skew[worst[0]]:.2f} of 1.")
    return frame(f'<path class="mesh" d="{path}"/>{marks}',
                 (-0.03 * right, 1.01 * right, -0.03 * top, 1.03 * top)), caption


def _instruments(setup):
    i, c = setup.sheet.instruments, setup.contour
    far = max([c.length, *(setup.station_at(s) for s in i.stations), *(p.x for p in i.probes)])
    box = _box(setup, max(0.0, far / c.length - 1))
    size, parts = _size(box), [_walls(setup), _axis(setup, box)]
    last, row = -np.inf, 0
    for x, name in sorted([(0.0, "inlet"), (c.length, "exit"),
                           *((setup.station_at(s), s.name) for s in i.stations)]):
        r = float(c.radius(x))
        # Names of stations near each other stand in rows below each other.
        row = row + 1 if x - last < 0.35 * size * (len(name) + 8) else 0
        last = x
        parts += [
            line((x, -r), (x, r), "measure"),
            text(x, -r - (1.2 + 1.1 * row) * size - setup.sheet.shape.lip, name, size)
        ]
    for number, p in enumerate(i.probes, start=1):
        parts += [
            circle(p.x, p.y, 0.7 * size, "probe"),
            text(p.x + 1.2 * size, p.y - 0.3 * size, str(number), 0.9 * size),
            handle((MM * p.x, MM * p.y), MM * (box[1] - box[0]), f"Probe {p.name}",
                   *place("instruments.probes", number - 1, "m", scale=1 / MM))
        ]
    caption = (
        f"Mass flow, averages and forces at inlet and exit"
        f"{', and at ' + ', '.join(s.name for s in i.stations) if i.stations else ''}"
        f"{f'; {len(i.probes)} probes' if i.probes else ''}."
    )
    if setup.plan.plate:
        caption += " Force and shear on the plate."
    caption += "".join(f" {f.name} = {f.expression}." for f in i.formulas)
    return frame("".join(parts), box), caption


def _climb(setup):
    run, flow = setup.sheet.run, setup.sheet.flow
    model = MODEL_WORDS[flow.model] + (f", {CLOSURES[flow.closure]}" if flow.model == "turbulent" else "")
    caption = (
        f"{model}. The coarse grid starts from one-dimensional theory; each level ends when the residual is "
        f"below {run.residual:g} of the start and mass flow and thrust are "
        f"steady within {run.steady:g}, or after {run.steps} steps.")
    return drawings.frame(climb_steps(setup), (-0.1, 1.15, -0.25, 0.5)), caption


def _noise_domain(setup, flow):
    """The air around the jet with its absorbing zones and microphones."""
    scale, shift = setup.scale, setup.contour.length
    left, right, top = (scale * side for side in (-UPSTREAM, DOWNSTREAM, SIDEWAYS))
    inner = (scale * (ABSORB_UPSTREAM - UPSTREAM), scale * (DOWNSTREAM - ABSORB_DOWNSTREAM),
             scale * (SIDEWAYS - ABSORB_SIDEWAYS))
    box = [shift + 1.04 * left, shift + 1.04 * right, -0.12 * top, 1.08 * top]
    size = 0.026 * (box[1] - box[0])
    outer = [(shift + left, 0), (shift + left, top), (shift + right, top), (shift + right, 0)]
    zone = [(shift + inner[0], 0), (shift + inner[0], inner[2]), (shift + inner[1], inner[2]),
            (shift + inner[1], 0)]
    parts = [
        f'<polyline class="far" points="{points_of(outer)}"/>',
        f'<polyline class="datum" points="{points_of(zone)}"/>',
        line((shift + left, 0), (shift + right, 0), "datum"),
        _walls(setup)
    ]
    parts += [
        text(shift + 0.5 * (left + right), 0.5 * (top + inner[2]), "absorbing zone", size),
        text(shift + 0.5 * (inner[1] + right), 0.3 * top, "absorbing", size),
        text(shift + 0.5 * (left + inner[0]), 0.3 * top, "absorbing", size)
    ]
    for row, m in enumerate(setup.sheet.instruments.microphones):
        parts += [
            handle((MM * (shift + m.x), MM * m.r), MM * (box[1] - box[0]), f"Microphone {m.name}",
                   *place("instruments.microphones", row, "m", y="r", scale=1 / MM, shift=shift)),
            text(shift + m.x, m.r + 0.6 * size, m.name, size)
        ]
    caption = (
        f"The computed half: {show(-left, 'm', 3)} upstream of the exit, {show(right, 'm', 3)} downstream, "
        f"{show(top, 'm', 3)} to the side. Waves are damped in the absorbing zones; microphones stand inside "
        f"them. Air enters at the exit with Mach {setup.theory.exit_mach:.3f} and "
        f"{show(setup.theory.exit_pressure * setup.air.supply_pressure / 1e3, '', 5)} kPa.")
    # Where a click puts a microphone: millimetres of the drawing, which begin at the inlet.
    svg = frame("".join(parts), box, "drawing wide")
    placed = Markup(
        str(svg).replace(
            "<svg ", f'<svg data-place="microphones" data-per-unit="{1 / MM}" data-from="{MM * shift:.3f}" ',
            1))
    return placed, f"{caption} Click into the air to place a microphone."


def _noise_grid(setup, flow):
    """The lines near the exit."""
    scale, shift = setup.scale, setup.contour.length
    x, r = flow.x_faces[(flow.x_faces > -1.2) &
                        (flow.x_faces < 2.4)] * scale + shift, flow.r_faces[flow.r_faces < 1.6] * scale
    step = max(len(x) // 90, 1)
    path = edges_of([(v, 0) for v in x[::step]], [(v, r[-1]) for v in x[::step]]) + edges_of(
        [(x[0], v) for v in r[::step]], [(x[-1], v) for v in r[::step]])
    caption = f"{flow.cells:,} cells".replace(
        ",", " ") + f", {setup.sheet.flow.cells_per_diameter} per exit diameter along the axis" + (
            f" (every {step}th line drawn)" if step > 1 else "") + "; stretched further out."
    return frame(f'<path class="mesh" d="{path}"/>{_walls(setup)}',
                 (x[0], x[-1], -0.3 * r[-1], 1.03 * r[-1])), caption


def _noise_march(setup, flow):
    f = setup.sheet.flow
    unit = setup.scale / setup.air.speed_of_sound
    width = f.duration
    svg = (
        f'<rect class="step" x="0" y="0" width="{100 * f.discard / width:.2f}" height="12"/><rect '
        f'class="body" x="{100 * f.discard / width:.2f}" y="0" width="{100 * (1 - f.discard / width):.2f}" '
        'height="12"/>' + drawings.text(50 * f.discard / width, -22, "start-up", 5) +
        drawings.text(100 * (0.5 + 0.5 * f.discard / width), -22, "record", 5))
    caption = (
        f"{int(f.duration / flow.step):,} steps".replace(",", " ") +
        f" of {show(1e6 * flow.step * unit, '', 3)} µs, {show(1e3 * f.duration * unit, '', 3)} ms in all; "
        f"the first {show(1e3 * f.discard * unit, '', 3)} ms are left out.")
    return drawings.frame(svg, (-4, 104, -32, 8)), caption


NOISE_DRAWINGS = {
    "domain": _noise_domain, "instruments": _noise_domain, "grid": _noise_grid, "flow": _noise_march,
    "run": _noise_march
}
