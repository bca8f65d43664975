"""Cases of axisymmetric flow: nozzles against one-dimensional theory, cones, a pipe, spheres; and the planar
wedge."""
import numpy as np

from ..core import gas
from ..core.flow.discretisation import Discretisation
from ..core.flow.stream import FreeStream
from ..core.grids.section import SectionGridPlan
from ..core.grids.revolved import generate_revolved_levels
from ..core.instruments.taps import read_taps
from ..core.shapes.families import ellipse
from ..core.shapes.section import Section
from ..core.theory import cone_flow, mach_disc_distance, mach_of_area
from .case import Case, Check, run_sheet, trends_of
from .shock_layer import EXACT_LAYER, solve_sphere
from .shocks import CASES as SHOCKS

LENGTH = 10.0


def slender_contour(opening=0.5):
    """A nozzle so slender that its flow is one-dimensional: radius 0.25 m at the throat, 10 m long. Points
    (x, r)."""
    x = np.linspace(0, LENGTH, 401)
    area = np.where(x < 4, 1 + 0.6 * (0.5 + 0.5 * np.cos(np.pi * x / 4)),
                    1 + opening * (0.5 - 0.5 * np.cos(np.pi * (x - 4) / 6)))
    return list(zip(x.tolist(), (0.25 * np.sqrt(area)).tolist()))


def _slender(back, **grid):
    return run_sheet(space="nozzle", shape={"kind": "coordinates", "points": slender_contour()},
                     air={"total_pressure": 1e5 / back, "back_pressure": 1e5},
                     grid={"along": 240, "across": 16, **grid}, run={"steady": 1e-6, "steps": 600})


def nozzle_shock():
    """Two back pressures; the pressure is compared where the shock is more than 3.5 % of the length away."""
    checks, curves, seconds = [], [], 0.0
    source = "quasi-one-dimensional theory, exact"
    for back in (0.75, 0.82):
        run = _slender(back)
        theory, c, wall = run.setup.theory, run.result["coefficients"], run.rows()["wall"]
        seconds += run.result["seconds"]
        exact = np.interp(wall["s"], run.setup.stations, theory.pressure) * 1e5 / back
        away = np.abs(wall["s"] - theory.shock) > 0.035 * LENGTH
        name = f"back pressure {back:g} of the supply's"
        checks += [
            Check(f"{name}: shock off its place, % of the length",
                  100 * abs(run.result["shocks"][0]["mean"] - theory.shock) / LENGTH, 0, 0.3, source),
            Check(f"{name}: mass flow off, %",
                  100 * abs(c["mass_flow"] / run.result["theory"]["mass_flow"] - 1), 0, 0.1, source),
            Check(f"{name}: largest pressure difference away from the shock, %",
                  100 * float(np.abs(wall["pressure"] / exact - 1)[away].max()), 0, 0.5, source)
        ]
        curves += [(f"computed, {back:g}", wall["s"], wall["pressure"] / (1e5 / back), "computed"),
                   (f"theory, {back:g}", run.setup.stations[::6], theory.pressure[::6], "reference")]
    return Case("nozzle-shock", "Nozzle with a shock inside, round, inviscid",
                "240 x 16 cells; 10 m long, throat radius 0.25 m", checks, seconds, curves,
                ("x, m", "pressure over the supply's total"))


def nozzle_supersonic():
    run = _slender(0.2)
    c = run.result["coefficients"]
    exact = mach_of_area(1.5, supersonic=True)
    checks = [
        Check("exit Mach number over theory's", c["exit_mach"] / exact, 0.995, 1.005,
              "isentropic flow, area ratio 1.5"),
        Check("total pressure at the exit over the supply's", c["pressure_ratio"], 0.998, 1.002, "exact: 1"),
        Check("mass flow off, %", 100 * abs(c["mass_flow"] / run.result["theory"]["mass_flow"] - 1), 0, 0.1,
              "choked throat")
    ]
    return Case("nozzle-supersonic", "Nozzle, supersonic throughout, round, inviscid", "240 x 16 cells",
                checks, run.result["seconds"])


def pipe():
    """Fully developed laminar flow in a round pipe, fed by a mass flow."""
    radius, length, reynolds = 0.05, 4.0, 100.0
    temperature, pressure = 288.15, 101325.0
    density, sound = pressure / (gas.AIR_CONSTANT * temperature), np.sqrt(1.4 * gas.AIR_CONSTANT *
                                                                          temperature)
    speed = 0.1 * sound
    viscosity = density * speed * 2 * radius / reynolds
    run = run_sheet(
        space="nozzle",
        shape={"kind": "coordinates",
               "points": [(0, radius), (0.5 * length, radius), (length, radius)]}, air={
                   "state": "pressure and temperature", "supply": "mass flow",
                   "mass_flow": density * speed * np.pi * radius**2, "viscosity_law": "constant",
                   "viscosity": viscosity
               }, grid={"along": 160, "across": 32}, flow={"model": "laminar"}, run={"steps": 400})
    rows = run.rows()
    wall, axis = rows["wall"], rows["axis"]
    part = (wall["s"] > 0.75 * length) & (wall["s"] < 0.93 * length)
    local = np.interp(wall["s"], axis["s"], axis["speed"])
    # The air expands along the pipe: what is compared is the shear for the speed that is there.
    mean = run.result["coefficients"]["mass_flow"] / (
        np.interp(wall["s"], axis["s"], axis["pressure"] /
                  (gas.AIR_CONSTANT * axis["temperature"])) * np.pi * radius**2)
    shear = wall["shear"] / (4 * viscosity * mean / radius)
    slope = np.polyfit(axis["s"][(axis["s"] > 0.75 * length) & (axis["s"] < 0.93 * length)],
                       axis["pressure"][(axis["s"] > 0.75 * length) & (axis["s"] < 0.93 * length)], 1)[0]
    momentum = -slope / (2 * np.mean(wall["shear"][part]) / radius)
    source = (
        "Hagen-Poiseuille flow, exact for constant density; the density falls by some per cent along this "
        "pipe"
    )
    checks = [
        Check("speed on the axis over the mean", float(np.mean(local[part] / mean[part])), 1.96, 2.04,
              source),
        Check("wall shear over 4 mu U / R", float(np.mean(shear[part])), 0.97, 1.03, source),
        Check("pressure gradient over 2 tau / R", float(momentum), 1.0, 1.12,
              "balance of forces; more than 1 by what the expanding air gains in momentum")
    ]
    return Case("nozzle-pipe", "Round pipe, laminar, Re 100", "160 x 32 cells, 40 diameters long", checks,
                run.result["seconds"])


def cones():
    checks, curves, seconds = [], [], 0.0
    for angle in (10, 20):
        for mach in (2.0, 3.0):
            run = run_sheet(
                shape={
                    "kind": "revolution", "thickness": 2 * np.tan(np.radians(angle)), "nose": "cone",
                    "nose_length": 1.0
                }, air={"motion": "mach", "mach": mach}, domain={"kind": "round", "far_field": 2},
                grid={"level": "medium"}, run={"steps": 200})
            _, flow, state = run.field()
            taps = read_taps(flow, state)
            k = taps.side("upper")
            x, pressure = taps.x[k], 1 + 0.7 * mach**2 * taps.cp[k]
            middle = (x > 0.3) & (x < 0.9)
            exact = cone_flow(mach, np.radians(angle))[1]
            seconds += run.result["seconds"]
            checks.append(
                Check(f"cone {angle}°, M {mach:g}: surface pressure over the exact",
                      float(pressure[middle].mean() / exact), 0.985, 1.015,
                      "Taylor-Maccoll solution, integrated here; x 0.3 to 0.9"))
            curves += [(f"computed, {angle}°, M {mach:g}", x, pressure, "computed"),
                       (f"exact, {angle}°, M {mach:g}", x[::4], np.full(len(x[::4]), exact), "reference")]
    return Case("nozzle-cones", "Cones at zero incidence, inviscid", "2 816 cells (medium)", checks, seconds,
                curves, ("x over the length", "surface pressure over the stream's"))


def wedge():
    mach, angle = 2.5, np.radians(10.0)
    run = run_sheet(shape={"kind": "double wedge",
                           "thickness": float(np.tan(angle))}, air={"motion": "mach", "mach": mach},
                    domain={"far_field": 5}, grid={"around": 320, "layers": 96})
    _, flow, state = run.field()
    _, ratio, wave = gas.oblique_shock(mach, angle)
    taps = read_taps(flow, state)
    k = taps.side("upper")
    front = (taps.x[k] > 0.1) & (taps.x[k] < 0.4)
    pressure = float((1 + 0.7 * mach**2 * taps.cp[k][front]).mean())
    places = _shock_points(flow, state, 0.5 * (ratio - 1) / 1.4, 0.12, 0.6)
    measured = float(np.degrees(np.arctan(np.polyfit(places[:, 0], places[:, 1], 1)[0])))
    checks = [
        Check("shock angle, °", measured,
              np.degrees(wave) - 0.3,
              np.degrees(wave) + 0.3, "oblique-shock relations (NACA Report 1135)"),
        Check("pressure behind over the exact", pressure / ratio, 0.995, 1.005, "oblique-shock relations")
    ]
    return Case("nozzle-wedge", "Wedge 10°, M 2.5, planar, inviscid", "around 320, 96 layers", checks,
                run.result["seconds"])


def _shock_points(flow, state, gauge, low, high):
    """Where the pressure passes a value between neighbouring cells above the body, for x between two
    stations, shape (n, 2)."""
    mesh, inner = flow.mesh, flow.n_interior
    left, right = mesh.left[:inner], mesh.right[:inner]
    a, b = state[left, 0] - gauge, state[right, 0] - gauge
    crossing = a * b < 0
    share = (a[crossing] / (a - b)[crossing])[:, None]
    at = (1 - share) * mesh.centre[left[crossing]] + share * mesh.centre[right[crossing]]
    above = (at[:, 0] > low) & (at[:, 0] < high) & (at[:, 1] > 0.6 * at[:, 0] * np.tan(np.radians(31)))
    return at[above]


def round_stream():
    """The stream along the axis on a mesh of revolution."""
    mesh = generate_revolved_levels(Section(ellipse(0.4)), SectionGridPlan(64, 24, 16), ("fine", ))["fine"]
    checks = []
    for mach, reynolds in ((0.1, None), (0.8, 1000.0), (2.0, None)):
        flow = Discretisation(mesh, FreeStream(mach, reynolds=reynolds), "slip", vortex=False)
        residual = np.abs(flow.residual(flow.uniform_state()))
        body = np.zeros(flow.n_cells, dtype=bool)
        body[mesh.left[flow.wall]] = True
        checks.append(
            Check(f"M {mach:g}: largest residual of the stream away from the body",
                  float(residual[~body].max()), 0, 1e-10, "exact: 0"))
    return Case("nozzle-stream", "Free stream on a mesh of revolution", "1 536 cells", checks)


def slip_sphere():
    run = run_sheet(shape={"kind": "ellipse", "thickness": 1.0}, air={"motion": "mach", "mach": 0.1},
                    domain={"kind": "round"})
    _, flow, state = run.field()
    taps = read_taps(flow, state)
    angle = np.arctan2(taps.y, 0.5 - taps.x)
    exact = 1 - 2.25 * np.sin(angle)**2
    checks = [
        Check("Cp, root mean square difference", float(np.sqrt(np.mean((taps.cp - exact)**2))), 0, 0.01,
              "potential flow; compressibility at M 0.1 makes about 0.003"),
        Check("size of CD on the frontal area", abs(run.result["coefficients"]["drag"]), 0, 0.001, "exact: 0")
    ]
    return Case("nozzle-sphere", "Sphere, M 0.1, inviscid, axisymmetric", "6 656 cells", checks,
                run.result["seconds"], [("computed", taps.x, taps.cp, "computed"),
                                        ("potential flow", taps.x[::3], exact[::3], "reference")],
                trends=trends_of(run.result))


def blunt_body():
    mach = 3.0
    run = run_sheet(shape={"kind": "ellipse", "thickness": 1.0}, air={"motion": "mach", "mach": mach},
                    domain={"kind": "round", "far_field": 3},
                    grid={"layers": 96, "first_height": 0.005, "level": "medium"}, run={"steps": 200})
    _, flow, state = run.field()
    rows = np.arange(flow.mesh.layout["shape"][1])
    x, pressure = flow.mesh.centre[rows, 0], 1 + 1.4 * state[rows, 0]
    half = 0.5 * (1 + gas.normal_shock(mach)[1])
    last = int(np.nonzero(pressure > half)[0][-1])
    stand_off = -float(np.interp(-half, [-pressure[last], -pressure[last + 1]], [x[last], x[last + 1]]))
    exact, fitted = 0.5 * solve_sphere(mach).stand_off, 0.5 * 0.143 * np.exp(3.24 / mach**2)
    checks = [
        Check("stand-off over the diameter", stand_off, 0.96 * exact, 1.04 * exact, EXACT_LAYER),
        Check(
            "the same against the correlation", stand_off, 0.96 * fitted, 1.04 * fitted,
            "Billig, J. Spacecraft 4, 1967: 0.143 R exp(3.24/M²), itself 4.6 % below the exact solution here")
    ]
    return Case("nozzle-blunt", "Sphere, M 3, inviscid, axisymmetric", "2 496 cells (medium)", checks,
                run.result["seconds"])


# A round convergent nozzle with an exit of 20 mm.
CONVERGENT = {
    "kind": "conical", "inlet_radius": 0.02, "inlet_length": 0.02, "converge_length": 0.04,
    "throat_radius": 0.01, "diverge_length": 0.0
}
EXIT = 2 * CONVERGENT["throat_radius"]


def wall_jet():
    """Shear under a jet on a plate, far out where the jet has become one along the wall."""
    run = run_sheet(space="nozzle", shape={**CONVERGENT, "lip": 0.002}, air={"total_pressure": 1.03 * 101325},
                    domain={"kind": "plate", "distance": 6, "width": 30}, flow={"model": "turbulent"},
                    grid={"along": 64, "jet": 144, "outside": 112, "across": 40}, run={"steps": 400})
    plate, height = run.rows()["plate"], 6 * EXIT
    out = plate["s"] / height
    far = (out > 1) & (out < 4)
    fall = float(np.polyfit(np.log(out[far]), np.log(plate["shear"][far]), 1)[0])
    source = (
        "wall shear of a radial wall jet falls with the power -2.3 (Poreh, Tsuei, Cermak, J. Appl. Mech. 34, "
        "1967); 10 % allowed"
    )
    shown = (out > 0.1) & (out < 4.5)
    scale = np.interp(1.0, out, plate["shear"])
    return Case(
        "nozzle-wall-jet", "Jet on a plate at low speed: shear of the wall jet",
        f"{run.result['cells']} cells; nozzle of 20 mm, plate 6 diameters away, Mach 0.2, Spalart-Allmaras",
        [Check("exponent of the shear over the radius, 1 to 4 heights out", fall, -2.53, -2.07, source)],
        run.result["seconds"],
        [("computed", np.log10(out[shown]), np.log10(plate["shear"][shown] / scale), "computed"),
         ("power -2.3", np.log10(out[far])[::3], -2.3 * np.log10(out[far])[::3], "reference")],
        ("log10 of the radius over the height", "log10 of the shear over that at one height"))


def mach_discs():
    """Where the first cell of sonic jets ends, at high pressure ratios."""
    checks, lines, seconds, cells = [], [], 0.0, 0
    for ratio in (15.0, 25.0, 40.0):
        expected = mach_disc_distance(ratio)
        run = run_sheet(space="nozzle", shape=CONVERGENT, air={"total_pressure": ratio * 101325},
                        domain={"kind": "open air", "reach": 2.5 * expected,
                                "width": 8}, flow={"model": "turbulent"}, grid={"level": "medium"})
        found = run.result["coefficients"]["mach_disc"] / EXIT
        checks.append(
            Check(
                f"ratio {ratio:g}: exit diameters to the disc over 0.67 times the ratio's square root",
                found / expected, 0.95, 1.05,
                "Ashkenas, Sherman, Rarefied gas dynamics 4, vol. 2, 1966; Crist, Sherman, Glass, AIAA J. 4, "
                "1966; 5 % allowed"))
        row = run.rows()["axis"]
        x = (row["s"] - run.setup.contour.length) / EXIT
        lines.append((f"ratio {ratio:g}", x[x > 0], row["mach"][x > 0], "computed"))
        seconds, cells = seconds + run.result["seconds"], run.result["cells"]
    return Case("nozzle-disc", "Mach discs of sonic jets",
                f"{cells} cells (medium grid); round convergent nozzle of 20 mm, Spalart-Allmaras", checks,
                seconds, lines, ("exit diameters behind the exit", "Mach number on the axis"))


CASES = {
    "nozzle-shock": nozzle_shock, "nozzle-supersonic": nozzle_supersonic, "nozzle-pipe": pipe,
    "nozzle-cones": cones, "nozzle-wedge": wedge, "nozzle-stream": round_stream, "nozzle-sphere": slip_sphere,
    "nozzle-blunt": blunt_body, "nozzle-wall-jet": wall_jet, "nozzle-disc": mach_discs, **SHOCKS
}
