"""Looks that answer a question at a place: the boundary layer over a wall point, the wake behind the body."""
import math

import numpy as np
from flask import Blueprint, abort, g, render_template, request
from markupsafe import Markup

from ..core import units
from ..core.flow.wall_treatment import law_of_the_wall
from ..core.gas import sutherland_viscosity
from ..core.instruments.profiles import WallSampler, wake_profile
from ..core.sheet import read_toml
from ..core.study.setup import prepare
from ..store import runs
from ..store.fields import unpack_field, unpack_taps
from .campaigns import only_about
from .runs import run_or_404

pages = Blueprint("looks", __name__)
WIDTH, HEIGHT, LEFT, BOTTOM = 290, 190, 34, 26


def _field(run_id):
    run = run_or_404(run_id)
    only_about("section", run_id)
    data = runs.kept_array(g.database, run_id, "field")
    if not data:
        abort(404, "This run has no field yet.")
    _, mesh, state = unpack_field(data)
    return run, mesh, state, prepare(read_toml(run["sheet"]))


def _numbers(*names):
    try:
        return [units.parse(request.args.get(name, ""), "") for name in names]
    except ValueError as error:
        abort(400, str(error))


@pages.get("/runs/<int:run_id>/profile")
def profile(run_id):
    """The boundary layer over the wall point nearest to x, y, in wall units and with its thicknesses."""
    run, mesh, state, setup = _field(run_id)
    x, y = _numbers("x", "y")
    if setup.sheet.flow.model == "inviscid":
        return render_template("partials/profile.html", problem="An inviscid flow has no boundary layer.")
    sampler = WallSampler(mesh, state, setup.air.gamma, setup.air.mach)
    number = sampler.nearest(x, y)
    found = sampler.profile(number)
    place = mesh.face_centre[sampler.faces[number]]
    taps = unpack_taps(runs.kept_array(g.database, run_id, "taps"))
    k = int(np.argmin((taps.x - place[0])**2 + (taps.y - place[1])**2))
    values = _wall_units(found, state, taps.cf[k], setup)
    curve = law_curve(values["y_plus"][-1]) if setup.sheet.flow.model == "turbulent" else None
    picture = log_chart(values["y_plus"], values["u_plus"], curve) if values["u_plus"] is not None else None
    return render_template("partials/profile.html", problem="", x=float(place[0]), y=float(place[1]),
                           surface=taps.surface[k], cf=float(taps.cf[k]), first=float(values["y_plus"][0]),
                           layer=found.thicknesses(), picture=picture, chord=setup.chord, law=curve
                           is not None)


def _wall_units(found, state, cf, setup):
    """y+ and u+ of a profile, with the friction read off the wall."""
    air, cell = setup.air, found.cells[0]
    warm = state[cell, 1] * air.temperature
    viscosity = (sutherland_viscosity(warm) /
                 sutherland_viscosity(air.temperature) if air.sutherland else 1.0) / setup.reynolds
    rho = found.density[0]
    speed = math.sqrt(max(0.5 * abs(cf) / rho, 1e-14))
    return {
        "y_plus": found.y * rho * speed / viscosity, "u_plus": found.u / speed if abs(cf) > 1e-7 else None
    }


def law_curve(most):
    y = np.geomspace(0.5, max(min(most, 1e4), 50), 80)
    return y, np.array([law_of_the_wall(v) for v in y])


def log_chart(x, y, curve):
    """u+ over y+ on a logarithmic axis as a small SVG, with the law of the wall where there is one."""
    keep = x > 0.2
    x, y = x[keep], y[keep]
    low, high = math.floor(math.log10(max(x.min(), 0.2))), math.ceil(math.log10(max(x.max(), 10)))
    top = 1.1 * max(float(np.abs(y).max()), float(curve[1].max()) if curve else 0, 1e-9)
    bottom = min(0.0, 1.1 * float(y.min()))

    def place(a, b):
        return (LEFT + (np.log10(np.maximum(a, 10.0**low)) - low) / (high - low) * (WIDTH - LEFT - 20),
                HEIGHT - BOTTOM - (b - bottom) / (top - bottom) * (HEIGHT - BOTTOM - 8))

    parts = [
        _axis_line(LEFT, HEIGHT - BOTTOM, WIDTH - 6, HEIGHT - BOTTOM),
        _axis_line(LEFT, 8, LEFT, HEIGHT - BOTTOM)
    ]
    for power in range(low, high + 1):
        px, _ = place(10.0**power, 0.0)
        parts.append(f'<text x="{px:.1f}" y="{HEIGHT - 12}" text-anchor="middle">{10.0**power:g}</text>')
    for value in _ticks(bottom, top):
        _, py = place(1.0, value)
        parts.append(f'<text x="{LEFT - 4}" y="{py + 3:.1f}" text-anchor="end">{value:g}</text>')
    parts += [
        f'<text x="{WIDTH - 8}" y="{HEIGHT - 1}" text-anchor="end">y+</text>', '<text x="4" y="10">u+</text>'
    ]
    if curve:
        parts.append(_path(*place(*curve), "law"))
    px, py = place(x, y)
    parts += [f'<circle class="reading" cx="{a:.1f}" cy="{b:.1f}" r="2"/>' for a, b in zip(px, py)]
    return _svg(parts)


def _ticks(low, high):
    step = 10**math.floor(math.log10(max(high - low, 1e-9) / 2))
    step *= 5 if (high - low) / step > 12 else 2 if (high - low) / step > 6 else 1
    return np.arange(math.ceil(low / step), math.floor(high / step) + 1) * step


def _axis_line(a, b, c, d):
    return f'<line class="axis" x1="{a}" y1="{b}" x2="{c}" y2="{d}"/>'


def _path(px, py, css):
    steps = " ".join(f"{a:.1f},{b:.1f}" for a, b in zip(px, py))
    return f'<polyline class="{css}" points="{steps}"/>'


def _svg(parts):
    return Markup(
        f'<svg class="small-chart" viewBox="0 0 {WIDTH} {HEIGHT}" role="img" '
        f'aria-label="Chart of the profile, whose numbers stand beside it">{"".join(parts)}</svg>')


@pages.get("/runs/<int:run_id>/wake")
def wake(run_id):
    """The wake across a vertical line at x, with the drag that it holds."""
    _, mesh, state, setup = _field(run_id)
    x, = _numbers("x")
    wall = mesh.points[mesh.face_nodes[mesh.wall_faces()].ravel()]
    last = wall[:, 0].max()
    if setup.is_round:
        return render_template(
            "partials/wake.html", problem=
            "The survey is made for sections; of a round body the control volume gives the drag that the air "
            "has lost."
        )
    if not last + 0.02 < x < mesh.points[:, 0].max():
        return render_template(
            "partials/wake.html", problem=
            f"x = {x:g}: the survey stands behind the body, from {last + 0.02:.3g} chords on, and inside the "
            "domain."
        )
    reach = 0.5 + 0.3 * (x - last) + 0.5 * np.ptp(wall[:, 1])
    middle = 0.5 * (wall[:, 1].min() + wall[:, 1].max()) + (x - 0.5) * math.tan(setup.stream.incidence)
    found = wake_profile(mesh, state, setup.air.gamma, setup.air.mach, x, middle - reach, middle + reach)
    return render_template("partials/wake.html", problem="", x=x, drag=found["drag"], least=min(found["u"]),
                           loss=max(found["loss"]), picture=side_chart(found))


def side_chart(found):
    """Speed over the stream's along y as a small SVG."""
    y, u = np.array(found["y"]), np.array(found["u"])
    low, high = min(float(u.min()), 0.0) - 0.02, max(float(u.max()), 1.0) + 0.05
    px = LEFT + (u - low) / (high - low) * (WIDTH - LEFT - 20)
    py = HEIGHT - BOTTOM - (y - y[0]) / (y[-1] - y[0]) * (HEIGHT - BOTTOM - 8)
    parts = [
        _axis_line(LEFT, HEIGHT - BOTTOM, WIDTH - 6, HEIGHT - BOTTOM),
        _axis_line(LEFT, 8, LEFT, HEIGHT - BOTTOM),
        _path(px, py, "law solid")
    ]
    for value in _ticks(low, high):
        parts.append(
            f'<text x="{LEFT + (value - low) / (high - low) * (WIDTH - LEFT - 20):.1f}" y="{HEIGHT - 12}" '
            f'text-anchor="middle">{value:.2g}</text>'
        )
    for value in _ticks(float(y[0]), float(y[-1])):
        parts.append(
            f'<text x="{LEFT - 4}" '
            f'y="{HEIGHT - BOTTOM - (value - y[0]) / (y[-1] - y[0]) * (HEIGHT - BOTTOM - 8) + 3:.1f}" '
            f'text-anchor="end">{value:.2g}</text>'
        )
    parts += [
        f'<text x="{WIDTH - 8}" y="{HEIGHT - 1}" text-anchor="end">u over the stream</text>',
        '<text x="4" y="10">y, c</text>'
    ]
    return _svg(parts)


def fit_chart(cells, values, fitted, label):
    """Values of a grid study over the cell size, with the curve to the limit, as a small SVG."""
    h = 1 / np.sqrt(np.asarray(cells, dtype=float))
    h = h / h.min()
    slope = (np.asarray(values) - fitted.extrapolated) / h**fitted.order
    line = np.linspace(0, h.max(), 60)
    curve = fitted.extrapolated + float(np.average(slope, weights=1 / h)) * line**fitted.order
    low, high = min(*values, fitted.extrapolated, curve.min()), max(*values, fitted.extrapolated, curve.max())
    pad = max(0.08 * (high - low), 1e-6)
    low, high = low - pad, high + pad
    left = LEFT + 26

    def place(a, b):
        return left + np.asarray(a) / h.max() * (WIDTH - left - 20), HEIGHT - BOTTOM - (
            np.asarray(b) - low) / (high - low) * (HEIGHT - BOTTOM - 16)

    parts = [
        _axis_line(left, HEIGHT - BOTTOM, WIDTH - 6, HEIGHT - BOTTOM),
        _axis_line(left, 8, left, HEIGHT - BOTTOM),
        _path(*place(line, curve), "law")
    ]
    for value in _ticks(low, high):
        parts.append(
            f'<text x="{left - 4}" y="{float(place(0, value)[1]) + 3:.1f}" '
            f'text-anchor="end">{value:.4g}</text>'
        )
    for value in _ticks(0.0, float(h.max())):
        parts.append(
            f'<text x="{float(place(value, low)[0]):.1f}" y="{HEIGHT - 12}" '
            f'text-anchor="middle">{value:g}</text>'
        )
    parts += [f'<circle class="reading" cx="{a:.1f}" cy="{b:.1f}" r="3"/>' for a, b in zip(*place(h, values))]
    parts += [
        f'<text x="{WIDTH - 8}" y="{HEIGHT - 1}" text-anchor="end">cell size, the finest is 1</text>',
        f'<text x="4" y="10">{label}</text>'
    ]
    return _svg(parts)
