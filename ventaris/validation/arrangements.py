"""Cases of several elements, slots, a channel of momentum, and flow in time."""
import numpy as np

from .case import Case, Check, run_sheet, side, taps_of, trends_of
from .panel import solve_elements

PAIR = {
    "kind": "four-digit", "thickness": 0.12, "camber": 0.02, "elements": [{
        "name": "flap", "chord": 0.3, "thickness": 0.12, "deflection": 20, "gap": 0.03, "overlap": 0.0
    }]
}


def two_elements():
    """Lift of a slotted arrangement in nearly incompressible flow against an independent panel method."""
    mach, incidence = 0.1, 3.0
    run = run_sheet(shape=PAIR, air={"motion": "mach", "mach": mach, "incidence": incidence},
                    grid={"around": 272})
    r, taps = run.result, taps_of(run)
    loops = [_loop(outline) for outline in run.setup.outlines]
    reference = solve_elements(loops, np.radians(incidence))
    factor = 1 / np.sqrt(1 - mach**2)
    checks, curves = [], []
    for outline, (lift, middle, cp) in zip(run.setup.outlines, reference):
        mine = r["coefficients"][f"lift_{outline.name}"]
        checks.append(
            Check(f"CL of the {outline.name} over the panel method's", mine / (lift * factor), 0.98, 1.02,
                  "panel method, 500 panels an element, Prandtl-Glauert"))
        curves.append((f"panel method, {outline.name}", middle[:, 0], cp, "reference"))
        for name in (f"{outline.name} upper", f"{outline.name} lower"):
            curves.append((f"computed, {name}", *side(taps, name), "computed"))
    checks.append(
        Check("size of CD in counts",
              abs(r["coefficients"]["drag"]) * 1e4, 0, 25, "exact: 0 (potential flow)"))
    checks.append(
        Check("drag of the surrounding air less that of the walls, counts",
              1e4 * (r["control_volume"]["drag"] - r["coefficients"]["drag"]), -0.1, 0.1, "momentum theorem"))
    return Case("two-elements", f"Section with a slotted flap, M {mach:g}, α {incidence:g}°, inviscid",
                f"{r['cells']} cells: layers and triangles", checks, r["seconds"], curves,
                trends=trends_of(r))


def _loop(outline, count=250):
    """Panel corners, close together at both edges, from the trailing edge counter-clockwise."""
    nose = next(t.start for t in outline.stretches if t.name.endswith("lower"))
    share = 0.5 * (1 - np.cos(np.linspace(0, np.pi, count + 1)))
    arcs = np.concatenate([share * nose, nose + share[1:] * (outline.length - nose)])
    points = outline.at(arcs[:-1])
    return np.concatenate([points, points[:1]])


def slots():
    """A cylinder with a blowing and a sucking slot of equal mass flow."""
    shape = {
        "kind": "ellipse", "thickness": 1.0,
        "surfaces": [{"name": "top", "side": "angle", "start": 80, "end": 100},
                     {"name": "bottom", "side": "angle", "start": 260, "end": 280}]
    }
    air = {"motion": "mach", "mach": 0.1, "viscosity_law": "from Reynolds number", "reynolds": 40}
    sections = {"flow": {"model": "laminar"}, "grid": {"around": 160}, "run": {"residual": 1e-8}}

    def actions(flow):
        return [{"surface": "top", "action": "blow mass", "mass_flow": -flow},
                {"surface": "bottom", "action": "blow mass", "mass_flow": flow}]

    plain = run_sheet(shape=shape, air=air, **sections).result
    idle = run_sheet(shape=shape, air={**air, "walls": actions(0.0)}, **sections).result
    blown = run_sheet(shape=shape, air={**air, "walls": actions(1.2)}, **sections).result
    mirrored = run_sheet(shape=shape, air={**air, "walls": actions(-1.2)}, **sections).result
    checks = [
        Check("CD without slots", plain["coefficients"]["drag"], 1.48, 1.56,
              "Dennis & Chang 1970: 1.522; Fornberg 1980: 1.498"),
        Check("idle slots: change of CD", idle["coefficients"]["drag"] - plain["coefficients"]["drag"], -1e-6,
              1e-6, "exact: 0"),
        Check("mass blown less mass taken in, over ρ U c", blown["coefficients"]["slot_mass_flow"], -1e-6,
              1e-6, "exact: 0"),
        Check("mass out of a box round it, over ρ U c", blown["control_volume"]["mass"], -1e-6, 1e-6,
              "exact: 0"),
        Check("CL, top sucks and bottom blows", blown["coefficients"]["lift"], 0.02, 2.0,
              "towards the sucking side"),
        Check("CL turned round over CL", mirrored["coefficients"]["lift"] / blown["coefficients"]["lift"],
              -1.02, -0.98, "mirror image: -1"),
        Check("drag of the surrounding air over that of the walls",
              blown["control_volume"]["drag"] / blown["coefficients"]["drag"], 0.99, 1.01, "momentum theorem")
    ]
    return Case("slots", "Circular cylinder with two slots, Re 40, M 0.1",
                f"{blown['cells']} cells: layers and triangles", checks, blown["seconds"])


def shedding():
    """Vortex street of a cylinder."""
    run = run_sheet(
        shape={"kind": "ellipse", "thickness": 1.0}, flow={"model": "laminar", "time": "unsteady"},
        grid={"around": 208, "layers": 80},
        air={"motion": "mach", "mach": 0.1, "viscosity_law": "from Reynolds number", "reynolds": 100}, run={
            "duration": 100, "time_step": 0.08, "discard": 0.6, "disturbance": 0.5, "frames": 0,
            "residual": 1e-4
        })
    r = run.result
    lift, drag = (r["unsteady"]["channels"][name] for name in ("lift", "drag"))
    source = (
        "range of published computations and measurements (Williamson 1996: St 0.164; Park, Kwon, Choi 1998: "
        "CD 1.33, CL' 0.33)"
    )
    checks = [
        Check("Strouhal number", lift["frequency"] or np.nan, 0.160, 0.170, source),
        Check("mean CD", drag["mean"], 1.30, 1.40, source),
        Check("amplitude of CL", lift["amplitude"], 0.29, 0.36, source)
    ]
    seen = [h for h in run.history if h.get("time", 0) > 50]
    return Case("shedding", "Circular cylinder in time, Re 100, M 0.1",
                f"{r['cells']} cells, {r['unsteady']['steps']} steps of {r['unsteady']['step']:g} diameters",
                checks, r["seconds"], [("computed", [h["time"] for h in seen], [h["lift"]
                                                                                for h in seen], "computed")],
                ("time, diameters travelled", "CL"))


CASES = {"two-elements": two_elements, "slots": slots, "shedding": shedding}
