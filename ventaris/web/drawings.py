"""The drawings at the side of the run sheet, as SVG in chord units."""
import numpy as np
from markupsafe import Markup

from ..core.grids.section import generate_levels
from ..core.units import show


MODEL_WORDS = {"inviscid": "Inviscid: slip walls, no friction", "laminar": "Laminar: no-slip walls, no turbulence",
               "turbulent": "Turbulent: no-slip walls, Spalart-Allmaras closure solved to the wall"}


def draw(section, setup):
    """The drawing for a section of the sheet.

    Returns
    -------
    svg : Markup
    caption : str
    """
    return {"shape": _shape, "air": _air, "domain": _domain, "grid": _grid, "instruments": _instruments, "flow": _climb, "run": _climb}[section](setup)


def _frame(inner, box, css="drawing"):
    left, right, bottom, top = box
    return Markup(f'<svg class="{css}" viewBox="{left:.4f} {-top:.4f} {right - left:.4f} {top - bottom:.4f}" role="img">{inner}</svg>')


def _outline_points(setup, count=260):
    return setup.shape.section.at(setup.shape.section.stations(count))


def _polygon(points, css):
    return f'<polygon class="{css}" points="{" ".join(f"{x:.5f},{-y:.5f}" for x, y in points)}"/>'


def _line(a, b, css):
    return f'<line class="{css}" x1="{a[0]:.4f}" y1="{-a[1]:.4f}" x2="{b[0]:.4f}" y2="{-b[1]:.4f}"/>'


def _text(x, y, words, size=0.035, css="", anchor="middle"):
    return f'<text class="{css}" x="{x:.4f}" y="{-y:.4f}" font-size="{size:.4f}" text-anchor="{anchor}">{words}</text>'


def _shape(setup):
    points = _outline_points(setup)
    m = setup.shape.section.measure(setup.chord)
    low, high = points[:, 1].min(), points[:, 1].max()
    x = np.linspace(0.001, 0.999, 80)
    upper, lower = setup.shape.section.sides(x)
    camber = " ".join(f"{a:.4f},{-b:.4f}" for a, b in zip(x, 0.5 * (upper + lower)))
    parts = [_polygon(points, "body"), f'<polyline class="camber" points="{camber}"/>']
    k = int(np.argmin(np.abs(x - m.thickness_at)))
    parts += [_line((x[k], lower[k]), (x[k], upper[k]), "measure"),
              _text(x[k] + 0.015, 0.5 * (upper[k] + lower[k]) - 0.01, f"{100 * m.thickness:.2f} % at {m.thickness_at:.2f}", 0.034, anchor="start")]
    y = low - 0.07
    parts += [_line((0, y), (1, y), "measure"), _line((0, y - 0.015), (0, y + 0.015), "measure"), _line((1, y - 0.015), (1, y + 0.015), "measure"),
              _text(0.5, y - 0.05, f"chord {show(setup.chord, 'm')}", 0.04)]
    caption = (f"Area {m.area:.4f} c², camber {100 * m.camber:.2f} % at {m.camber_at:.2f} c, nose radius {100 * m.leading_edge_radius:.2f} % c, "
               f"trailing edge {_tail_words(setup, m)}.")
    if abs(setup.shape.turned) > 0.01:
        caption += f" The coordinates were turned by {setup.shape.turned:.2f}° to lay the chord line level; incidence counts from that line."
    return _frame("".join(parts), (min(points[:, 0].min(), 0) - 0.08, max(points[:, 0].max(), 1) + 0.08, y - 0.1, max(high, 0.02) + 0.08)), caption


def _tail_words(setup, m):
    kind = setup.shape.section.trailing_edge
    return {"sharp": f"sharp ({m.trailing_edge_angle:.1f}°)", "blunt": f"{100 * m.trailing_edge_gap:.2f} % c thick", "round": "rounded"}[kind]


def _air(setup):
    a = np.radians(setup.sheet.air.incidence)
    direction, normal = np.array([np.cos(a), np.sin(a)]), np.array([-np.sin(a), np.cos(a)])
    parts = []
    for k in range(-3, 4):
        start = np.array([-0.75, -0.1 * np.tan(a)]) + 0.085 * k * normal
        end = start + 0.42 * direction
        tip = [end - 0.035 * direction + 0.02 * normal, end, end - 0.035 * direction - 0.02 * normal]
        parts += [_line(start, end, "stream"), f'<polyline class="stream" points="{" ".join(f"{x:.4f},{-y:.4f}" for x, y in tip)}"/>']
    parts += [_polygon(_outline_points(setup), "body"), _line((-0.3, 0), (1.25, 0), "datum")]
    if abs(a) > 1e-6:
        end = np.array([0.0, 0.0]) + 1.25 * direction
        parts += [_line((0, 0), end, "datum"), _text(end[0] + 0.02, end[1] * 0.5, f"{setup.sheet.air.incidence:g}°", 0.05, anchor="start")]
    air = setup.air
    caption = (f"{show(air.speed, 'm/s', 4)}, Mach {air.mach:.4g}, Reynolds number {setup.reynolds:.3g} on the chord; {show(air.temperature, 'K', 5)}, "
               f"{show(air.pressure, 'Pa', 6)} absolute.")
    return _frame("".join(parts), (-0.85, 1.4, -0.5, 0.5)), caption


def _chain(points, edges):
    """An SVG path through edges, joined where one begins at the end of the last, so that the dots run on evenly."""
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
    mesh = generate_levels(setup.shape.section, setup.plan, ("coarse",))["coarse"]
    r = setup.plan.far_field
    edges = mesh.face_nodes[mesh.boundaries["far field"]]
    path = _chain(mesh.points, edges)
    size = 0.055 * r
    parts = [f'<path class="far" d="{path}"/>', f'<circle class="here" cx="0.5" cy="0" r="{0.03 * r:.3f}"/>', _polygon(_outline_points(setup, 80), "body"),
             _text(0.5, 0.05 * r, "section", size), _text(-0.55 * r, 0.85 * r, "F", size * 1.3), _text(0.7 * r, 0.82 * r, "F far field", size),
             _line((0.5, -0.06 * r), (0.5, -0.985 * r), "measure"), _text(0.5 + 0.04 * r, -0.55 * r, f"{r:g} chords, {show(r * setup.chord, 'm', 3)}", size, anchor="start")]
    words = "with the vortex of the present lift on it" if setup.stream.mach < 1 else "supersonic: what flows in is the undisturbed stream"
    right = mesh.points[:, 0].max()
    return _frame("".join(parts), (mesh.points[:, 0].min() - 0.08 * r, right + 0.08 * r, -1.1 * r, 1.1 * r), "drawing wide"), (
        f"F: far field at {r:g} chords, {words}. The wall of the section is {'a slip wall' if setup.sheet.flow.model == 'inviscid' else 'a no-slip wall'}.")


def _grid(setup):
    level = "medium" if "medium" in setup.levels else "coarse"
    mesh = generate_levels(setup.shape.section, setup.plan, (level,))[level]
    box = (-0.3, 1.4, -0.55, 0.55)
    a, b = mesh.points[mesh.face_nodes[:, 0]], mesh.points[mesh.face_nodes[:, 1]]
    middle = 0.5 * (a + b)
    keep = (middle[:, 0] > box[0] - 0.2) & (middle[:, 0] < box[1] + 0.2) & (middle[:, 1] > box[2] - 0.2) & (middle[:, 1] < box[3] + 0.2)
    path = "".join(f"M{p[0]:.4f} {-p[1]:.4f}L{q[0]:.4f} {-q[1]:.4f}" for p, q in zip(a[keep], b[keep]))
    parts = [f'<path class="mesh" d="{path}"/>', _polygon(_outline_points(setup), "body")]
    counts = ", ".join(f"{name} {setup.cells(name):,}".replace(",", " ") for name in setup.levels)
    caption = (f"The {level} grid near the section. Cells: {counts}. First layer {setup.plan.first_height:.2g} c on the fine level, "
               f"{show(setup.plan.first_height * setup.chord * 1000, '', 3)} mm.")
    return _frame("".join(parts), box), caption


def _instruments(setup):
    i = setup.sheet.instruments
    points = _outline_points(setup)
    parts = [_polygon(points, "body")]
    for x, y in points[::6]:
        parts.append(f'<circle class="tap" cx="{x:.4f}" cy="{-y:.4f}" r="0.006"/>')
    parts += [f'<circle class="pivot" cx="{i.moment_x:.4f}" cy="{-i.moment_y:.4f}" r="0.02"/>',
              _line((i.moment_x - 0.035, i.moment_y), (i.moment_x + 0.035, i.moment_y), "measure"),
              _line((i.moment_x, i.moment_y - 0.035), (i.moment_x, i.moment_y + 0.035), "measure")]
    xs, ys = [-0.2, 1.3], [-0.35, 0.35]
    for number, probe in enumerate(i.probes, start=1):
        if abs(probe.x) < 6 and abs(probe.y) < 6:
            parts += [f'<circle class="probe" cx="{probe.x:.4f}" cy="{-probe.y:.4f}" r="0.028"/>', _text(probe.x, probe.y - 0.012, str(number), 0.036)]
            xs.append(probe.x)
            ys.append(probe.y)
    box = (min(xs) - 0.1, max(xs) + 0.1, min(ys) - 0.1, max(ys) + 0.1)
    caption = f"Balance on the whole wall, moments about x = {i.moment_x:g}, y = {i.moment_y:g} c; taps round the section; {len(i.probes)} probes."
    return _frame("".join(parts), box), caption


def _climb(setup):
    parts, most = [], max(setup.cells(level) for level in setup.levels)
    for k, level in enumerate(setup.levels):
        width = max(0.06, 1.0 * (setup.cells(level) / most) ** 0.5)
        y = 0.34 - 0.2 * k
        parts += [f'<rect class="step" x="0" y="{-y:.3f}" width="{width:.3f}" height="0.1"/>',
                  _text(0, y + 0.02, f"{level}: {setup.cells(level):,} cells".replace(",", " "), 0.05, anchor="start")]
    run = setup.sheet.run
    caption = (f"{MODEL_WORDS[setup.sheet.flow.model]}. Each level starts from the one "
               f"before it and ends when the residual is below {run.residual:g} of the start and lift, drag and moment are steady within {run.steady:g}, or after {run.steps} steps.")
    return _frame("".join(parts), (-0.1, 1.15, -0.25, 0.5)), caption
