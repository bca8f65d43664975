"""Cases of bodies in space: exact flows, bluff bodies, friction, supersonic flow."""
import time

import numpy as np

from ..core.flow.boundaries.contract import Boundary
from ..core.flow.boundaries.registry import FAR_FIELD
from ..core.flow.discretisation import Discretisation
from ..core.flow.march.steady import MarchControls, SteadyMarch
from ..core.flow.stream import FreeStream
from ..core.grids.embedded import embed
from ..core.grids.octree import build_octree
from ..core.instruments.plane_meter import SpatialSampler
from ..core.shapes import bodies as builders
from ..core.shapes.frontal import frontal_area
from .case import Case, Check, run_sheet, trends_of
from .shock_layer import EXACT_LAYER, solve_sphere

BLUFF = {"domain": {"ahead": 5, "behind": 10, "beside": 5}, "flow": {"model": "turbulent"}}
BOTH = (("spalart-allmaras", "Spalart-Allmaras"), ("sst", "SST"))
# Behind a bluff body the closure is at its weakest; said in the report where a number falls outside.
BLUFF_OPEN = "mean flow behind a bluff body; see the limits in docs/theory-bodies.md"


def _ball(length=1.0):
    return {"parts": [{"name": "ball", "kind": "ellipsoid", "length": length, "width": 1.0, "height": 1.0}]}


def _at_reynolds(mach, reynolds):
    return {"motion": "mach", "mach": mach, "viscosity_law": "from Reynolds number", "reynolds": reynolds}


def free_stream():
    """The undisturbed stream stays what it is on a grid cut by a body whose walls let it through."""
    run = run_sheet(
        space="body", shape={
            "parts": [{
                "name": "body", "kind": "box", "length": 1, "width": 0.6, "height": 0.4, "roll": 20,
                "pitch": 15, "yaw": 10
            }]
        }, air={"motion": "mach", "mach": 0.3, "incidence": 4, "yaw": 7}, flow={"model": "inviscid"},
        grid={"level": "coarse", "surface_size": 0.02}, run={"steps": 5})
    _, flow, _ = run.field()
    flow.kind[:] = FAR_FIELD
    flow.stencils.let_through()
    flow.first_order = False
    kept = float(np.abs(flow.residual(flow.uniform_state())).max())
    return Case("body-free-stream", "Free stream on a grid cut by a turned box",
                f"{flow.n_cells} cells, Mach 0.3, incidence 4°, yaw 7°",
                [Check("largest residual of the stream", kept, 0, 1e-9, "exact: 0")])


def _slip_body(key, title, length, factor):
    run = run_sheet(
        space="body", shape=_ball(length), air={"motion": "mach", "mach": 0.1}, flow={"model": "inviscid"},
        domain={"ahead": 8, "behind": 8, "beside": 8}, grid={
            "level": "fine", "surface_size": 1 / 32, "curved": 0 if length == 1.0 else 12, "edge_halvings": 0,
            "wake_length": 0
        })
    r, (_, flow, state) = run.result, run.field()
    scale = run.setup.scale
    flow.residual(state)
    pressure, _ = flow.wall_loads()
    mesh, wall = flow.mesh, flow.wall
    area = mesh.area[wall]
    cp = np.einsum("ij,ij->i", pressure, mesh.normal[wall]) / area / (0.5 * flow.stream.mach**2)
    place = mesh.face_centre[wall] * scale - run.setup.body.surface.box.mean(axis=0)
    out = place / np.array([length / 2, 0.5, 0.5])**2
    out /= np.linalg.norm(out, axis=1)[:, None]
    exact = 1 - factor**2 * (1 - out[:, 0]**2)
    rms = float(np.sqrt((area * (cp - exact)**2).sum() / area.sum()))
    order = np.argsort(place[:, 0])
    x = place[order, 0] / length + 0.5
    checks = [
        Check("Cp, root mean square difference over the surface", rms, 0, 0.015,
              "exact: potential flow (Lamb: Hydrodynamics, 1932)"),
        Check("size of CD", abs(r["coefficients"]["drag"]), 0, 0.003, "exact: 0 (potential flow)")
    ]
    every = max(len(x) // 700, 1)
    return Case(key, title, f"{r['cells']} cells, 32 across the diameter, Mach 0.1", checks, r["seconds"],
                [("computed on the wall faces", x[::every], cp[order][::every], "reference"),
                 ("exact", x[::every], exact[order][::every], "computed")], trends=trends_of(r))


def slip_sphere():
    return _slip_body("body-sphere-slip", "Sphere without friction, 32 cells across", 1.0, 1.5)


def slip_ellipsoid():
    e = np.sqrt(1 - 0.25)
    alpha = 2 * (1 - e**2) / e**3 * (np.arctanh(e) - e)
    return _slip_body("body-ellipsoid-slip", "Ellipsoid 2:1 without friction, along its axis", 2.0,
                      2 / (2 - alpha))


def frontal_areas():
    ball = builders.ellipsoid(1.0, 1.0, 1.0)
    cube = builders.box(1.0, 1.0, 1.0)
    turn = np.linspace(0, 2 * np.pi, 361)[:-1]
    rings = [
        np.stack([
            np.full(360, 0.15 * np.sin(a)), (0.5 + 0.15 * np.cos(a)) * np.cos(turn),
            (0.5 + 0.15 * np.cos(a)) * np.sin(turn)
        ], axis=1) for a in turn[::4]
    ]
    torus = _torus(np.array(rings))
    exact = (np.pi / 4, 1.0, np.pi * (0.65**2 - 0.35**2))
    found = (frontal_area(ball.corners).area, frontal_area(cube.corners).area, frontal_area(torus).area)
    checks = [
        Check(f"{name}: measured over exact", a / b, 0.999, 1.001, "exact geometry")
        for name, a, b in zip(("sphere", "cube", "torus"), found, exact)
    ]
    return Case("body-frontal", "Frontal area of sphere, cube and torus",
                "shadow along the stream, 2 400 lines", checks)


def _torus(rings):
    n, m = rings.shape[:2]
    i, j = np.meshgrid(np.arange(n), np.arange(m), indexing="ij")
    a, b, c, d = ((i * m + j), ((i + 1) % n * m + j), ((i + 1) % n * m + (j + 1) % m), (i * m + (j + 1) % m))
    points = rings.reshape(-1, 3)
    return points[np.concatenate(
        [np.stack([a, b, c], axis=-1).reshape(-1, 3),
         np.stack([a, c, d], axis=-1).reshape(-1, 3)])]


def plate():
    """A turbulent layer that begins at the inflow of an empty box with a no-slip floor, with three
    closures."""
    started, mach, reynolds = time.monotonic(), 0.15, 5e6

    def wanted(level, centres, edge):
        return centres[:, 2] - 0.5 * edge < (0.12 if level < 1 else 0.05 if level < 2 else 0.03)

    tree = build_octree((0.0, 0.0, 0.0), 1 / 16, (18, 1, 8), 3, wanted)
    mesh = embed(tree, None)
    sides = {name: Boundary("slip") for name in ("left", "right")} | {"floor": Boundary("no-slip")}
    floor = mesh.boundaries["floor"]
    x = mesh.face_centre[floor, 0]
    k = np.argsort(x)
    law = (2 * np.log10(reynolds * x[k]) - 0.65)**-2.3
    checks, curves = [], []
    for closure, name in (*BOTH, ("k-epsilon", "k-ε")):
        flow = Discretisation(mesh, FreeStream(mach, reynolds=reynolds), closure=closure, boundaries=sides)
        march = SteadyMarch(flow, flow.uniform_state(), MarchControls(5.0, 1e4, 1.5, 10, 25,
                                                                      least_solved=0.5))
        for _ in range(150):
            if march.advance().residual < 1e-5:
                break
        flow.residual(march.state)
        stress = flow.flux[floor, 2] / mesh.area[floor] / (0.5 * mach**2)
        found = float(np.interp(0.97, x[k], stress[k]))
        whole = float(np.trapezoid(stress[k], x[k]) / np.trapezoid(law, x[k]))
        checks += [
            Check(f"{name}: Cf at x = 0.97 over the flat-plate law",
                  found / float(np.interp(0.97, x[k], law)), 0.9, 1.1,
                  "Schlichting: Boundary-Layer Theory, (2 log10 Re_x - 0.65)^-2.3"),
            Check(f"{name}: friction of the whole plate over the law", whole, 0.9, 1.1,
                  "the same, integrated from x = 0.01")
        ]
        curves.append((f"computed, {name}", x[k], stress[k], "computed"))
    y_plus = flow.wall_treatment.y_plus[floor - mesh.n_interior]
    return Case("body-plate", "Flat plate on the octree with wall function, Re 5e6",
                f"{mesh.n_cells} cells, first cells at y+ {np.median(y_plus):.0f}", checks,
                time.monotonic() - started, [*curves, ("law", x[k], law, "reference")], ("x", "Cf"))


def sphere_laminar():
    run = run_sheet(space="body", shape=_ball(), air=_at_reynolds(0.15, 100), flow={"model": "laminar"},
                    domain={"ahead": 8, "behind": 15, "beside": 8},
                    grid={"level": "fine", "surface_size": 1 / 40, "curved": 0, "wake_length": 2})
    r = run.result
    return Case("body-sphere-100", "Sphere, Re 100, laminar",
                f"{r['cells']} cells, 40 across the diameter, Mach 0.15", [
                    Check("CD", r["coefficients"]["drag"], 1.09 * 0.96, 1.09 * 1.04,
                          "Clift, Grace, Weber: Bubbles, Drops and Particles, 1978: 1.09")
                ], r["seconds"], trends=trends_of(r))


def sphere_supersonic():
    checks, curves, trends, seconds = [], [], {}, 0.0
    exact = 0.5 * solve_sphere(2.0).stand_off
    for closure, name, still in (
        ("spalart-allmaras", "Spalart-Allmaras", ""),
        ("sst", "SST",
         "SST finds the pressure behind the sphere a little lower, 4.3 % instead of 4 (4.6 without its loss "
         "by dilatation)"
         )):
        run = run_sheet(
            space="body", shape=_ball(), air=_at_reynolds(2.0, 1e6),
            flow={"model": "turbulent", "closure": closure}, domain={"ahead": 1.5, "behind": 3, "beside": 3},
            grid={
                "level": "fine", "surface_size": 1 / 40, "curved": 0, "wake_length": 0.7, "zones": [{
                    "kind": "box", "size": 1 / 80, "x": -0.72, "length": 0.22, "width": 0.4, "height": 0.4
                }]
            }, run={"courant_start": 2, "courant_most": 20})
        r, (_, flow, state) = run.result, run.field()
        nose = run.setup.body.surface.box[0, 0]
        x = np.linspace(nose - 0.5, nose, 400)
        flow.residual(state)
        value = SpatialSampler(flow, state).at(np.stack([x, np.full(400, 1e-3), np.full(400, 1e-3)], axis=1))
        mach = np.linalg.norm(value[:, 2:5], axis=1) / np.sqrt(value[:, 1])
        after = np.nonzero(mach < 1.29)[0]
        checks += [
            Check(f"CD, {name}", r["coefficients"]["drag"], 0.96, 1.04,
                  "Bailey, Hiatt: Sphere drag coefficients, AIAA J. 10, 1972: 1.0", still),
            Check(f"stand-off of the shock / D, {name}",
                  float(nose - x[after[0]]) if len(after) else np.nan, 0.94 * exact, 1.06 * exact,
                  EXACT_LAYER + "; Billig's correlation, 0.161, is 8 % below it at this Mach number")
        ]
        curves.append((f"Mach number ahead of the nose, {name}", x - nose, mach, "computed"))
        trends[f"drag, {name}"] = trends_of(r)["drag"]
        seconds += r["seconds"]
    return Case("body-sphere-2", "Sphere, Mach 2, Re 1e6", f"{r['cells']} cells, 40 across the diameter",
                checks, seconds, curves, ("x from the nose / D", "Mach"), trends)


def _bluff(key, title, part, low, high, source, wanted="Cd", reference=None, budget=120_000, **more):
    run = run_sheet(space="body", shape={"parts": [part]}, air=_at_reynolds(0.15, 1e6),
                    grid={"level": "fine", "budget": budget, "wake_length": 2}, **{**BLUFF, **more})
    r = run.result
    value = r["coefficients"]["drag"] * (r["shape"]["area"] if wanted == "drag area" else 1.0)
    checks = [Check(wanted, value, low, high, source, BLUFF_OPEN)]
    return Case(key, title, f"{r['cells']} cells, Re 1e6. {r['verdict']['words']}", checks, r["seconds"],
                trends={"drag": trends_of(r)["drag"]}), value


def _cube(roll=0.0, pitch=0.0, yaw=0.0):
    return {
        "name": "cube", "kind": "box", "length": 1, "width": 1, "height": 1, "roll": roll, "pitch": pitch,
        "yaw": yaw
    }


def cubes():
    source = "Hoerner: Fluid-Dynamic Drag, 1965: 1.05"
    case, aligned = _bluff("body-cube",
                           "Cube: face on, rolled by 20° about the stream, and turned by 15° about two axes",
                           _cube(), 1.05 * 0.95, 1.05 * 1.05, source)
    case.checks[0].name = "CD, face on"
    other, rolled = _bluff("", "", _cube(roll=20), 0, 9, "")
    turned, value = _bluff("", "", _cube(pitch=15, yaw=15), 0, 9, "")
    case.checks.append(
        Check("drag area rolled by 20° over that face on", rolled / aligned, 0.95, 1.05,
              "the flow does not know the grid's axes", BLUFF_OPEN))
    case.checks.append(
        Check("CD turned by 15° and 15°, on its own frontal area", value, 0.6, 1.1,
              "between a cube face on (1.05) and on edge (0.8), Hoerner 1965", BLUFF_OPEN))
    case.seconds += other.seconds + turned.seconds
    return case


def disc():
    part = {"name": "disc", "kind": "frustum", "length": 0.03, "front_diameter": 1.0, "rear_diameter": 1.0}
    checks, trends, seconds, words = [], {}, 0.0, []
    for closure, name in BOTH:
        case, _ = _bluff("body-disc", "", part, 1.17 * 0.95, 1.17 * 1.05,
                         "Hoerner: Fluid-Dynamic Drag, 1965: 1.17",
                         flow={"model": "turbulent", "closure": closure})
        case.checks[0].name = f"{name}: CD"
        checks += case.checks
        seconds += case.seconds
        trends[f"drag, {name}"] = case.trends["drag"]
        words.append(f"{name}: {case.setup}")
    return Case("body-disc", "Thin disc across the stream", " ".join(words), checks, seconds, trends=trends)


def square_back():
    part = {
        "name": "body", "kind": "vehicle", "length": 1.044, "width": 0.389, "height": 0.288, "corner": 0.0,
        "nose_length": 0.1, "nose_side": 0.1, "nose_roof": 0.1, "nose_floor": 0.1, "tail_length": 0.0
    }
    checks, trends, seconds, words = [], {}, 0.0, []
    for closure, name in BOTH:
        run = run_sheet(
            space="body", shape={"parts": [part]}, air={"motion": "speed", "speed": 40},
            flow={"model": "turbulent",
                  "closure": closure}, grid={"level": "fine", "budget": 300_000}, domain={
                      "kind": "ground", "clearance": 0.05, "ground": "fixed", "half": "yes", "ahead": 3,
                      "behind": 6, "beside": 3
                  })
        r = run.result
        trend = r["trends"]["drag"]
        steps = np.diff(trend["values"])
        checks += [
            Check(f"{name}: levels computed", float(len(r["levels"])), 3, 3, "three levels"),
            Check(f"{name}: monotone (1 is yes)", float(len(steps) == 2 and steps[0] * steps[1] > 0), 1, 1,
                  "a trend that can be read", BLUFF_OPEN),
            Check(f"{name}: error bar given (1 is yes)", float(trend["error"] is not None), 1, 1,
                  "every value carries its error bar"),
            Check(f"{name}: CD", r["coefficients"]["drag"], 0.20, 0.32,
                  "SAE paper 840300, 1984: 0.25 (noted, not required)", BLUFF_OPEN)
        ]
        seconds += r["seconds"]
        trends[f"drag, {name}"] = trends_of(r)["drag"]
        words.append(f"{name}: {r['cells']} cells in {r['seconds']:.0f} s. {r['verdict']['words']}")
    return Case("body-square-back", "Square-back rounded box over a fixed ground",
                f"half of it, Re {r['air']['reynolds']:.2g}. {' '.join(words)}", checks, seconds,
                trends=trends)


def spheroid():
    """A slender body of revolution along the stream, with wall layers."""
    part = {"name": "hull", "kind": "ellipsoid", "length": 0.6, "width": 0.1, "height": 0.1}
    checks, trends, seconds, words = [], {}, 0.0, []
    for closure, name in BOTH:
        run = run_sheet(
            space="body",
            shape={"parts": [part]}, air=_at_reynolds(0.1, 1e6),
            flow={"model": "turbulent", "closure": closure}, grid={"level": "fine", "budget": 40_000},
            domain={"kind": "free", "half": "yes", "ahead": 3, "behind": 4, "beside": 3})
        r = run.result
        c, drag = r["coefficients"], r["trends"]["drag"]
        plate = 0.455 / np.log10(1e6)**2.58 * run.setup.measures()["wetted_area"] / (np.pi * 0.05**2)
        whole = 1 + 1.5 / 6**1.5 + 7 / 6**3
        checks += [
            Check(f"{name}: friction over the plate's", (c["drag"] - c["drag_pressure"]) / plate, 0.96, 1.08,
                  "Prandtl, Schlichting: 0.455 / log10(Re)^2.58, on the wetted area"),
            Check(f"{name}: drag over the plate's", c["drag"] / plate, 0.96 * whole, 1.04 * whole,
                  f"Hoerner: Fluid-Dynamic Drag, 1965: {whole:.3f}"),
            Check(f"{name}: the error bar holds it (1 is yes)",
                  float(abs(c["drag"] - whole * plate) <= drag["error"]), 1, 1, "a bar holds its reference")
        ]
        seconds += r["seconds"]
        trends[f"drag, {name}"] = trends_of(r)["drag"]
        words.append(f"{name}: {r['cells']} cells in {r['seconds']:.0f} s. {r['verdict']['words']}")
    return Case("body-spheroid", "Spheroid 6:1 along the stream, with wall layers",
                f"half of it, Re 1e6 on its length. {' '.join(words)}", checks, seconds, trends=trends)


CASES = {
    "body-free-stream": free_stream, "body-frontal": frontal_areas, "body-sphere-slip": slip_sphere,
    "body-ellipsoid-slip": slip_ellipsoid, "body-plate": plate, "body-sphere-100": sphere_laminar,
    "body-sphere-2": sphere_supersonic, "body-cube": cubes, "body-disc": disc,
    "body-square-back": square_back, "body-spheroid": spheroid
}
