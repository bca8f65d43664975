"""The cases: each runs the program and compares with an exact or published value."""
import numpy as np

from .. import __version__
from ..core import gas
from ..core.flow.discretisation import Discretisation
from ..core.flow.march.steady import MarchControls, SteadyMarch
from ..core.flow.stream import FreeStream
from ..core.grids.blocks import block_cells, line_edges
from ..core.grids.mesh import mesh_from_cells
from ..core.instruments.probe import read_probe
from . import arrangements, bodies, bump, motion, noise, nozzles, rows, turbulence, turning, wings
from .case import Case, Check, cp_curves, naca0012, run_sheet, side, taps_of, trends_of
from .panel import karman_tsien, solve_section


def free_stream(n=24, seed=3):
    """A random distortion of a square grid keeps the undisturbed stream, and finds it again."""
    rng = np.random.default_rng(seed)
    x, y = np.meshgrid(np.linspace(0, 1, n + 1), np.linspace(0, 1, n + 1), indexing="ij")
    x[1:-1, 1:-1] += 0.3 / n * rng.uniform(-1, 1, (n - 1, n - 1))
    y[1:-1, 1:-1] += 0.3 / n * rng.uniform(-1, 1, (n - 1, n - 1))
    number = np.arange((n + 1)**2).reshape(n + 1, n + 1)
    cells = block_cells(number).reshape(-1, 4)
    edge = np.concatenate([line_edges(a) for a in (number[0], number[-1], number[:, 0], number[:, -1])])
    mesh = mesh_from_cells(np.stack([x.ravel(), y.ravel()], axis=1), cells, {"far field": edge}, [])
    checks = []
    for mach in (0.1, 0.8, 2.0):
        flow = Discretisation(mesh, FreeStream(mach, np.radians(7), reynolds=1000.0), "slip")
        kept = float(np.abs(flow.residual(flow.uniform_state())).max())
        state = flow.uniform_state() + 0.02 * rng.normal(size=(mesh.n_cells, 4)) * flow.column_scale
        march = SteadyMarch(flow, state, MarchControls())
        for _ in range(60):
            if march.residual < 1e-13:
                break
            march.reference = 1.0
            march.advance()
        back = float(np.abs((march.state - flow.stream.state) / flow.column_scale).max())
        checks += [
            Check(f"M {mach:g}: largest residual of the stream", kept, 0, 1e-10, "exact: 0"),
            Check(f"M {mach:g}: largest deviation after a disturbance", back, 0, 1e-10, "exact: 0")
        ]
    return Case("free-stream", "Free stream on a distorted grid",
                f"{n}x{n} cells, points moved by up to 30 % of a cell", checks)


def transonic():
    run = run_sheet(shape=naca0012(), air={"motion": "mach", "mach": 0.8, "incidence": 1.25})
    r, taps = run.result, taps_of(run)
    upper = [s["x"] for s in r["shocks"] if s["surface"] == "upper"]
    lower = [s["x"] for s in r["shocks"] if s["surface"] == "lower"]
    source = "AGARD AR-211, 1985: test cases for inviscid flow field methods; range of published solutions"
    checks = [
        Check("CL", r["coefficients"]["lift"], 0.345, 0.365, source),
        Check("CD", r["coefficients"]["drag"], 0.0220, 0.0232, source),
        Check("upper shock x/c", upper[0] if upper else np.nan, 0.60, 0.645, source),
        Check("lower shock x/c", lower[0] if lower else np.nan, 0.30, 0.38, source)
    ]
    return Case("transonic", "NACA 0012, M 0.8, α 1.25°, inviscid",
                "19 456 cells, far field 50 chords with vortex", checks, r["seconds"], cp_curves(taps),
                trends=trends_of(r))


def low_speed():
    mach, incidence = 0.1, np.radians(2.0)
    run = run_sheet(shape=naca0012(), air={"motion": "mach", "mach": mach, "incidence": 2.0})
    r, taps = run.result, taps_of(run)
    section = run.setup.shape.section
    lift, middle, cp = solve_section(section.at(section.stations(602)), incidence)
    lift, cp = lift / np.sqrt(1 - mach**2), karman_tsien(cp, mach)
    curves = [("computed, upper", *side(taps, "upper"), "computed"),
              ("computed, lower", *side(taps, "lower"), "computed")]
    half, total, count = len(cp) // 2, 0.0, 0
    for name, part in (("upper", slice(half, None)), ("lower", slice(0, half))):
        order = np.argsort(middle[part, 0])
        x, value = middle[part, 0][order], cp[part][order]
        curves.append((f"panel method, {name}", x, value, "reference"))
        station, mine = side(taps, name)
        use = (station > 0.005) & (station < 0.99)
        total += ((mine[use] - np.interp(station[use], x, value))**2).sum()
        count += use.sum()
    rms = float(np.sqrt(total / count))
    checks = [
        Check("size of CD in counts",
              abs(r["coefficients"]["drag"]) * 1e4, 0, 2, "exact: 0 (potential flow)"),
        Check("CL over the panel method's", r["coefficients"]["lift"] / lift, 0.99, 1.01,
              "panel method of 600 panels, Prandtl-Glauert"),
        Check("Cp, root mean square difference", rms, 0, 0.003,
              "panel method, Karman-Tsien; x/c 0.005 to 0.99")
    ]
    return Case("low-speed", "NACA 0012, M 0.1, α 2°, inviscid", "19 456 cells", checks, r["seconds"], curves,
                trends=trends_of(r))


def shock_expansion(thickness, mach, incidence):
    """Exact CL, CD of a double wedge whose shocks are attached (angles in radians)."""
    half = np.arctan(thickness)
    normal = along = 0.0
    for side, turn in (("upper", half - incidence), ("lower", half + incidence)):
        if turn >= 0:
            ahead, ratio, _ = gas.oblique_shock(mach, turn)
        else:
            ahead, ratio = gas.expansion(mach, -turn)
        _, drop = gas.expansion(ahead, 2 * half)
        front, rear = ratio, ratio * drop
        q = 0.5 * 1.4 * mach**2
        sign = -1 if side == "upper" else 1
        normal += sign * 0.5 * ((front - 1) + (rear - 1)) / q
        along += 0.5 * thickness * ((front - 1) - (rear - 1)) / q
    c, s = np.cos(incidence), np.sin(incidence)
    return normal * c - along * s, normal * s + along * c


def double_wedge():
    run = run_sheet(shape={"kind": "double wedge", "thickness": 0.10},
                    air={"motion": "mach", "mach": 2.0, "incidence": 2.0}, domain={"far_field": 20})
    r = run.result
    lift, drag = shock_expansion(0.10, 2.0, np.radians(2.0))
    checks = [
        Check("CL over exact", r["coefficients"]["lift"] / lift, 0.985, 1.015,
              "shock-expansion theory, NACA 1135"),
        Check("CD over exact", r["coefficients"]["drag"] / drag, 0.985, 1.015,
              "shock-expansion theory, NACA 1135")
    ]
    return Case("double-wedge", "Double wedge 10 %, M 2, α 2°, inviscid", "19 456 cells, far field 20 chords",
                checks, r["seconds"], cp_curves(taps_of(run)), trends=trends_of(r))


def laminar():
    run = run_sheet(
        shape=naca0012(),
        air={"motion": "mach", "mach": 0.5, "viscosity_law": "from Reynolds number",
             "reynolds": 5000}, flow={"model": "laminar"})
    r = run.result
    places = [s["x"] for s in r["separations"] if s["surface"] == "upper" and s["kind"] == "separation"]
    source = "published computations, e.g. Venkatakrishnan 1990, Mavriplis & Jameson 1990: 0.0545 to 0.0562"
    checks = [
        Check("CD", r["coefficients"]["drag"], 0.054, 0.057, source),
        Check("CD from pressure", r["coefficients"]["drag_pressure"], 0.0220, 0.0235, source),
        Check("separation x/c", places[0] if places else np.nan, 0.80, 0.83, source)
    ]
    taps = taps_of(run)
    curves = [("computed, Cf upper", *side(taps, "upper", "cf"), "computed")]
    return Case("laminar", "NACA 0012, M 0.5, Re 5 000, α 0°, laminar", "19 456 cells", checks, r["seconds"],
                curves, ("x/c", "Cf"), trends_of(r))


def cylinder():
    run = run_sheet(
        shape={"kind": "ellipse", "thickness": 1.0},
        air={"motion": "mach", "mach": 0.1, "viscosity_law": "from Reynolds number",
             "reynolds": 20}, flow={"model": "laminar"}, domain={"far_field": 100}, grid={"layers": 80})
    r = run.result
    _, flow, state = run.field()
    flow.residual(state)
    x = np.linspace(1.02, 2.6, 160)
    u = np.array([read_probe(flow, state, value, 1e-4)["u"] for value in x])
    back = np.nonzero((u[:-1] < 0) & (u[1:] >= 0))[0]
    bubble = float(x[back[-1]] + (x[1] - x[0]) * -u[back[-1]] / (u[back[-1] + 1] - u[back[-1]]) -
                   1.0) if len(back) else np.nan
    source = "Dennis & Chang 1970 (2.045, 0.94 D); Fornberg 1980 (2.00, 0.91 D)"
    checks = [
        Check("CD", r["coefficients"]["drag"], 1.95, 2.10, source),
        Check("length of the wake bubble / D", bubble, 0.88, 0.98, source)
    ]
    return Case("cylinder", "Circular cylinder, Re 20, M 0.1", "16 640 cells, far field 100 diameters",
                checks, r["seconds"], [("computed, u on the axis behind the cylinder", x - 1, u, "computed")],
                ("x/D behind the cylinder", "u/U"), trends_of(r))


def order_of_accuracy():
    """Entropy made by the scheme in a smooth flow that should make none, on three nested grids."""
    errors, seconds = [], 0.0
    for level in ("coarse", "medium", "fine"):
        run = run_sheet(shape={"kind": "ellipse", "thickness": 0.5}, air={"motion": "mach", "mach": 0.3},
                        domain={"far_field": 30}, grid={"around": 256, "layers": 96, "level": level},
                        run={"residual": 1e-8, "steady": 0.1})
        _, flow, state = run.field()
        entropy = (1 + 1.4 * state[:, 0]) / (1.4 * (state[:, 0] + 1 / 1.4) / state[:, 1])**1.4 - 1
        near = np.linalg.norm(flow.mesh.centre - [0.5, 0], axis=1) < 3
        errors.append(
            float(np.sqrt((entropy[near]**2 * flow.mesh.volume[near]).sum() / flow.mesh.volume[near].sum())))
        seconds = run.result["seconds"]
    order = float(np.log2(errors[1] / errors[2]))
    checks = [
        Check("order from medium to fine", order, 1.8, 4.0,
              "formal order 2; entropy of an isentropic flow is exactly 0"),
        Check("entropy error on the fine grid", errors[2], 0, 1e-4, "exact: 0")
    ]
    return Case("order", "Order of accuracy: ellipse 50 %, M 0.3, inviscid", "1 536, 6 144 and 24 576 cells",
                checks, seconds, [("entropy error", [4.0, 2.0, 1.0], errors, "computed")],
                ("cell size / fine cell size", "entropy error (root mean square)"))


CASES = {
    "free-stream": free_stream, "transonic": transonic, "low-speed": low_speed, "double-wedge": double_wedge,
    "laminar": laminar, "cylinder": cylinder, "order": order_of_accuracy, **turbulence.CASES, **bump.CASES,
    **arrangements.CASES, **motion.CASES, **turning.CASES, **bodies.CASES, **wings.CASES, **nozzles.CASES,
    **noise.CASES, **rows.CASES
}

VERSION = __version__
