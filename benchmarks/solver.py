"""Cost of the flow solver's parts per cell, and of whole runs: ``.venv/bin/python benchmarks/solver.py``.

Figures are medians over repeats; compare them with benchmarks/record.md.  Whole-run times are
warm: the compiled loops are loaded and have run once.
"""
import statistics
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from ventaris.core.flow.discretisation import Discretisation  # noqa: E402
from ventaris.core.flow.march.krylov import gmres  # noqa: E402
from ventaris.core.flow.stream import FreeStream  # noqa: E402
from ventaris.core.flow.march.unsteady import TimeMarch  # noqa: E402
from ventaris.core.grids.hybrid import HybridGrid  # noqa: E402
from ventaris.core.grids.section import SectionGridPlan, generate_levels  # noqa: E402
from ventaris.core.sheet import read_sheet  # noqa: E402
from ventaris.core.shapes.families import four_digit  # noqa: E402
from ventaris.core.shapes.section import Section  # noqa: E402
from ventaris.core.study.execute import execute  # noqa: E402
from ventaris.core.study.setup import prepare  # noqa: E402


def median_seconds(action, repeats=9):
    action()
    times = []
    for _ in range(repeats):
        start = time.perf_counter()
        action()
        times.append(time.perf_counter() - start)
    return statistics.median(times)


def parts():
    section = Section(four_digit(0.12))
    seconds = median_seconds(lambda: generate_levels(section, SectionGridPlan()), 3)
    print(f"{'grid, three levels':34s} {1000 * seconds:8.0f} ms for 25 536 cells")
    mesh = generate_levels(section, SectionGridPlan(), ("fine", ))["fine"]
    for name, stream, wall, closure in (("inviscid M 0.1", FreeStream(0.1, 0.03), "slip", None),
                                        ("laminar M 0.5", FreeStream(0.5, 0.03, reynolds=5000.0), "no-slip",
                                         None), ("transonic M 0.8, limited", FreeStream(0.8,
                                                                                        0.02), "slip", None),
                                        ("Spalart-Allmaras M 0.15", FreeStream(0.15, 0.03,
                                                                               reynolds=6e6), "no-slip",
                                         "spalart-allmaras"), ("k-omega SST M 0.15",
                                                               FreeStream(0.15, 0.03,
                                                                          reynolds=6e6), "no-slip", "sst")):
        flow = Discretisation(mesh, stream, wall, closure=closure)
        state = flow.uniform_state()
        residual = flow.residual(state).copy()
        flow.prepare(state, 100.0)
        vector = residual / max(abs(residual).max(), 1e-12)
        figures = {
            "residual": median_seconds(lambda: flow.residual(state)),
            "Jacobian and its factors": median_seconds(lambda: flow.prepare(state, 100.0)),
            "solve with the factors": median_seconds(lambda: flow.apply_factors(vector)),
            "Krylov vector, all in": median_seconds(
                lambda: gmres(flow.linear_operator(state, residual), flow.apply_factors, -residual, 0.0, 20),
                3) / 20
        }
        for part, seconds in figures.items():
            print(f"{name + ': ' + part:52s} {1e6 * seconds / mesh.n_cells:7.3f} us per cell")


def triangles():
    """The hybrid grid of a section with slat and flap, and one time step on lines."""
    shape = {
        "elements": [{"name": "slat", "role": "slat", "chord": 0.16, "deflection": 25, "overlap": -0.01},
                     {"name": "flap", "deflection": 30, "overlap": 0.005}]
    }
    setup = prepare(
        read_sheet({
            "format": 1, "shape": shape, "flow": {"model": "turbulent"}, "air": {"speed": 70, "incidence": 4}
        }))
    made = []
    seconds = median_seconds(lambda: made.append(HybridGrid(setup.outlines, setup.plan).level("fine")), 3)
    print(f"{'hybrid grid, fine level':34s} {seconds:8.2f} s for {made[0].n_cells} cells")
    cylinder = prepare(
        read_sheet({
            "format": 1, "shape": {"kind": "ellipse", "thickness": 1.0}, "flow": {"model": "laminar"},
            "grid": {"around": 208, "layers": 80},
            "air": {"motion": "mach", "mach": 0.1, "viscosity_law": "from Reynolds number", "reynolds": 100}
        }))
    mesh = cylinder.generate(("fine", ))["fine"]
    flow = Discretisation(mesh, cylinder.stream, "no-slip", vortex=False)
    march = TimeMarch(flow, flow.uniform_state(), 0.8)
    for _ in range(20):
        march.advance()
    seconds = median_seconds(march.advance, 15)
    print(
        f"{'time step, cylinder':34s} {1e6 * seconds / mesh.n_cells:8.1f} us per cell ({mesh.n_cells} cells)")


def wheels():
    """A time step of a wheel of three blades in a circle, on its coarse grid, with two closures."""
    for closure in ("spalart-allmaras", "sst"):
        run = execute(read_sheet({
            "format": 1, "shape": {"thickness": 0.18, "blades": 3, "wheel_x": 0.4, "wheel_y": 4.0},
            "grid": {"level": "coarse"}, "flow": {"time": "unsteady", "model": "turbulent",
                                                  "closure": closure}, "domain": {"far_field": 40},
            "run": {"cycle_steps": 90, "cycles": 2, "frames": 0},
            "air": {"speed": 10, "motions": [{"does": "turn", "whole": "circle", "edge": 5.0, "radius": 4.0,
                                              "pivot_x": 0.4, "pivot_y": 4.0, "tip_speed_ratio": 2.5}]}
        }))
        steps = iter(run)
        while run.time_march is None or run.time_march.number < 45:
            next(steps)
        seconds, cells = median_seconds(lambda: next(steps), 40), run.time_march.flow.n_cells
        name = f"time step, wheel, {closure}"
        print(f"{name:34s} {1e6 * seconds / cells:8.1f} us per cell ({cells} cells)")


def whole():
    cases = {
        "subsonic inviscid, 19 456 cells": dict(air={"motion": "mach", "mach": 0.1, "incidence": 2}),
        "transonic inviscid, 12 288 cells": dict(air={"motion": "mach", "mach": 0.8, "incidence": 1.25},
                                                 grid={"around": 176, "layers": 48, "wake": 40}),
        "laminar Re 5 000, 19 456 cells": dict(
            air={"motion": "mach", "mach": 0.5, "viscosity_law": "from Reynolds number", "reynolds": 5000},
            flow={"model": "laminar"}), "turbulent Re 6e6, 26 752 cells": dict(
                air={
                    "motion": "mach", "mach": 0.15, "incidence": 10, "viscosity_law": "from Reynolds number",
                    "reynolds": 6e6
                }, flow={"model": "turbulent"})
    }
    for name, sections in cases.items():
        times, first = [], []
        for _ in range(4):
            run = execute(read_sheet({"format": 1, **sections}))
            start = time.perf_counter()
            coarse = None
            for progress in run:
                if coarse is None and progress.level != "coarse":
                    coarse = time.perf_counter() - start
            times.append(time.perf_counter() - start)
            first.append(coarse)
        levels = ", ".join(f"{level['cells']}: {level['steps']} steps" for level in run.result["levels"])
        print(
            f"{name:34s} {statistics.median(times[1:]):6.2f} s whole climb, coarse answer after "
            f"{statistics.median(first[1:]):.2f} s ({levels})"
        )


if __name__ == "__main__":
    parts()
    triangles()
    wheels()
    whole()
