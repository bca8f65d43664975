"""Cases of blade rows: a plane cascade against a panel method, a rotor's balances, blade elements, a hovering
rotor."""
import numpy as np

from ..core.blade_elements import rotor_theory
from ..core.grids.passage.plane import points_along
from ..core.shapes.blades import SectionShape
from ..core.study.trend import grid_trend, level_ratio
from .case import Case, Check, run_sheet

# A straight cascade is a row at rest of huge radius: angles against the axis, chord, pitch.
STAGGER, CAMBER, INFLOW, RADIUS, BLADES = 30.0, 20.0, 40.0, 40.0, 200
PITCH = 2 * np.pi * RADIUS / BLADES
# Cells of a rotor's passage: 55 000 on the fine level.
ROTOR_GRID = {
    "side_cells": 36, "edge_cells": 14, "off_cells": 16, "span_cells": 24, "gap_cells": 5, "ahead_cells": 8,
    "behind_cells": 14
}


def _sources(start, end, middle, length, turn, pitch):
    """Velocity u - iv at the middles of unit sources on the panels of all blades; outside lies to the right
    of a panel."""
    ratio = (middle[:, None] - start[None]) / (middle[:, None] - end[None])
    np.fill_diagonal(ratio, 1.0)
    source = np.log(ratio) / (2 * np.pi * turn[None])
    gap = middle[:, None] - middle[None]
    np.fill_diagonal(gap, 1.0)
    others = np.pi / pitch / np.tanh(np.pi * gap / pitch) - 1 / gap
    np.fill_diagonal(others, 0.0)
    return source + others * length[None] / (2 * np.pi)


def cascade(loop, pitch, inflow):
    """Incompressible flow round a row of closed outlines, one above the other.

    Sources on straight panels and one vorticity strength (Hess, Smith 1967), with the other blades' part of
    the kernel, pi/s coth(pi z/s) - 1/z, at the panels' middles.

    Parameters
    ----------
    loop : ndarray, shape (n + 1, 2)
        Counter-clockwise from the trailing edge, closed.
    pitch : float
    inflow : float
        Angle far upstream, radians.

    Returns
    -------
    outflow : float
        Angle far downstream.
    middle : ndarray, shape (n, 2)
    cp : ndarray, shape (n,)
        Over the head of what comes.
    """
    z = loop[:, 0] + 1j * loop[:, 1]
    start, end = z[:-1], z[1:]
    middle, way = 0.5 * (start + end), end - start
    length, turn = np.abs(way), way / np.abs(way)
    n, source = len(middle), _sources(start, end, middle, length, turn, pitch)
    vortex = -1j * source
    outward = -1j * turn
    own = np.arange(n)
    source[own, own] += 0.5 * np.conj(outward)
    vortex[own, own] += 0.5 * np.conj(turn)
    along = lambda velocity: (np.conj(velocity) * np.conj(turn)).real if velocity.ndim == 1 else (np.conj(
        velocity) * np.conj(turn)[:, None]).real
    across = lambda velocity: (np.conj(velocity) * np.conj(outward)[:, None]).real
    matrix = np.zeros((n + 1, n + 1))
    swirl = vortex.sum(axis=1)
    matrix[:n, :n], matrix[:n, n] = across(source), (np.conj(swirl) * np.conj(outward)).real
    matrix[n, :n] = along(source)[0] + along(source)[-1]
    matrix[n, n] = along(swirl)[0] + along(swirl)[-1]
    answers = []
    for stream in (1.0 + 0j, 1j):
        rhs = -np.append((stream * np.conj(outward)).real, (stream * np.conj(turn)).real[[0, -1]].sum())
        answers.append(np.linalg.solve(matrix, rhs))
    unit = [a[n] * length.sum() / (2 * pitch) for a in answers]
    # Far upstream the row adds -circulation / (2 pitch) to the upward speed.
    tangent = np.tan(inflow)
    upward = (tangent + unit[0]) / (1 - unit[1])
    strength = answers[0] + upward * answers[1]
    speed = along(source) @ strength[:n] + along(swirl) * strength[n] + (
        (1 + 1j * upward) * np.conj(turn)).real
    lifted = strength[n] * length.sum() / (2 * pitch)
    return (float(np.arctan(upward + lifted)), np.stack([middle.real, middle.imag],
                                                        1), 1 - speed**2 / (1 + tangent**2))


def cascade_loop(chord, count=160):
    """Outline of the cascade's section for the panels."""
    section = SectionShape(chord, np.radians(STAGGER), np.radians(CAMBER), 0.5, 0.1, 0.002,
                           "four-digit").outline()
    share = 0.5 * (1 - np.cos(np.linspace(0, np.pi, count + 1)))
    return np.concatenate([points_along(section.upper, share)[::-1], points_along(section.lower, share)[1:]])


def plane_cascade():
    """A cascade at low Mach number."""
    chord = PITCH
    outflow, middle, cp = cascade(cascade_loop(chord), PITCH, np.radians(INFLOW))
    section = {"chord": chord, "stagger": STAGGER, "camber": CAMBER, "thickness": 0.1, "edge": 0.002}
    run = run_sheet(
        space="row", shape={
            "blades": BLADES, "hub_radius": RADIUS - 0.1, "casing_radius": RADIUS + 0.1, "form": "four-digit",
            "sections": [{"radius": RADIUS, **section}]
        }, air={"speed": 0.0, "swirl": -INFLOW, "back_pressure": 101325.0 * 0.99}, flow={"model": "inviscid"},
        domain={"ahead": 1.5, "behind": 1.5}, grid={
            "span_cells": 8, "side_cells": 72, "edge_cells": 24, "off_cells": 28, "ahead_cells": 18,
            "behind_cells": 20
        })
    rows, result, seconds = run.rows(), run.result, run.result["seconds"]
    c = result["coefficients"]
    total, found, other = 101325.0, [], []
    head = total * (1 - (1 + 0.2 * c["inlet_mach"]**2)**-3.5)
    upper = np.arange(len(cp)) < len(cp) // 2
    share = (middle[:, 0] - middle[:, 0].min()) / np.ptp(middle[:, 0])
    for side, pick in (("suction", upper), ("pressure", ~upper)):
        read = rows[f"{side}_50"]
        order = np.argsort(share[pick])
        inside = (read["s"] > 0.03) & (read["s"] < 0.97)
        computed = 1 - (total - read["pressure"]) / head
        expected = np.interp(read["s"], share[pick][order], cp[pick][order])
        found.append((computed - expected)[inside])
        other.append((read["s"], computed, expected))
    off = float(np.sqrt(np.mean(np.concatenate(found)**2)))
    angle = -c["outlet_angle"] if INFLOW > 0 else c["outlet_angle"]
    return Case(
        "row-cascade", "Plane cascade at low Mach number",
        f"A row at rest of huge radius: solidity 1, stagger {STAGGER:g}°, camber {CAMBER:g}°, inflow at "
        f"{INFLOW:g}°, Mach {c['inlet_mach']:.2f}, inviscid.", [
            Check("outlet angle less the panel method's, degrees", angle - np.degrees(outflow), -0.3, 0.3,
                  "panel method with the cascade's kernel"),
            Check("Cp, r.m.s. difference", off, 0.0, 0.01, "panel method with the cascade's kernel"),
            Check("loss of total pressure over the head", c["relative_loss"], -0.002, 0.01, "none in theory")
        ], seconds, [(f"{name}, computed", s, v, "computed")
                     for name, (s, v, _) in zip(("suction", "pressure"), other)] +
        [(f"{name}, panels", s, e, "reference") for name, (s, _, e) in zip(("suction", "pressure"), other)],
        axes=("share of the axial chord", "Cp"), trends=_trends(result, ("outlet_angle", )))


AT_THE_NOSE = (
    "The air meets the thin noses (radius 0.4 % of the chord) at some degrees of incidence, and the peak of "
    "suction there loses total pressure to the grid: 2 to 4 % of the relative head, a tenth of the little "
    "work of this point. The cascade above, which is met without incidence by a round nose, loses 0.02 %.")


def _round_nosed(radius, stagger, camber):
    return {"radius": radius, "chord": 0.08, "stagger": stagger, "camber": camber, "thickness": 0.1,
            "edge": 0.004}


def shock_free_rotor():
    """A rotor with round noses, met without incidence below the speed of sound: nothing is lost in theory."""
    run = run_sheet(
        space="row", shape={
            "blades": 20, "hub_radius": 0.2, "casing_radius": 0.3, "form": "four-digit",
            "sections": [_round_nosed(0.2, 36.0, 20.0), _round_nosed(0.25, 43.6, 16.0),
                         _round_nosed(0.3, 49.5, 13.0)]
        }, air={"speed": 6000.0, "back_pressure": 100600.0}, flow={"model": "inviscid"}, grid={
            "side_cells": 48, "edge_cells": 20, "off_cells": 20, "span_cells": 30, "ahead_cells": 10,
            "behind_cells": 16
        })
    c, result = run.result["coefficients"], run.result
    return Case(
        "row-shock-free", "Shock-free rotor without friction",
        f"20 blades of 10 % thickness, 6 000 rpm, relative Mach {c['relative_inlet_mach']:.2f}, "
        f"pressure ratio {c['pressure_ratio']:.3f}, {result['cells']} cells: an efficiency of 1 in theory.", [
            Check("isentropic efficiency", c["efficiency"], 0.995, 1.002, "1 without loss"),
            Check("torque times speed over rise of enthalpy, less 1", c["power_balance"], -3e-3, 3e-3,
                  "first law"),
            Check("work by the change of swirl over rise of enthalpy, less 1",
                  c["work_by_swirl"] / c["work"] - 1, -5e-3, 5e-3, "Euler's turbine equation")
        ], result["seconds"], trends=_trends(result, ("efficiency", "pressure_ratio", "mass_flow")))


def isentropic_rotor():
    """A rotor without friction and shocks: what is lost is lost to the grid."""
    run = run_sheet(space="row", shape={"made": "plan", "plan_ratio": 1.3},
                    air={"speed": 7000.0, "back_pressure": 99500.0}, flow={"model":
                                                                           "inviscid"}, grid=ROTOR_GRID)
    c, result = run.result["coefficients"], run.result
    _, flow, state = run.field()
    x, y, z = flow.mesh.centre[:len(state)].T
    g = flow.stream.gamma
    rothalpy = (state[:, 1] / (g - 1) + 0.5 * (state[:, 2:5]**2).sum(axis=1) - run.setup.turn *
                (y * state[:, 4] - z * state[:, 3])) * (g - 1)
    weight = flow.mesh.volume[:len(state)]
    spread = float(np.sqrt((weight * (rothalpy - 1)**2).sum() / weight.sum()))
    levels = [level["coefficients"]["efficiency"] for level in result["levels"]]
    return Case(
        "row-isentropic", "Rotor with thin noses without friction, at half its speed",
        f"The default plan's rotor at 7 000 rpm, {result['cells']} cells, no shock: the efficiency is 1 in "
        "theory, the rothalpy the same everywhere.", [
            Check("isentropic efficiency, medium level", levels[-2], 0.995, 1.002, "1 without loss",
                  AT_THE_NOSE),
            Check("isentropic efficiency, fine level", levels[-1], 0.998, 1.002, "1 without loss",
                  AT_THE_NOSE),
            Check("rothalpy, r.m.s. from the inlet's, share", spread, 0.0, 1e-3,
                  "constant along stream lines"),
            Check("torque times speed over rise of enthalpy, less 1", c["power_balance"], -3e-3, 3e-3,
                  "first law"),
            Check("work by the change of swirl over rise of enthalpy, less 1",
                  c["work_by_swirl"] / c["work"] - 1, -5e-3, 5e-3, "Euler's turbine equation")
        ], result["seconds"], trends=_trends(result, ("efficiency", "pressure_ratio", "mass_flow")))


def transonic_rotor():
    """The default plan's rotor at its speed, choked and throttled."""
    open_, closed = (run_sheet(space="row", shape={"made": "plan", "tip_gap": 0.0006},
                               air={"back_pressure": pressure}, grid=ROTOR_GRID)
                     for pressure in (100000.0, 112000.0))
    c, result = closed.result["coefficients"], closed.result
    bars = {name: result["trends"][name]["error"] for name in ("pressure_ratio", "efficiency")}
    throat = open_.result["theory"]["choked_flow"]
    return Case(
        "row-transonic", "Transonic rotor, Spalart-Allmaras, wall functions",
        "The default plan's rotor (24 blades, tip Mach 1.08, gap 0.75 % of the span) at 14 000 rpm, "
        f"{result['cells']} cells.", [
            Check("torque times speed over rise of enthalpy, less 1", c["power_balance"], -3e-3, 3e-3,
                  "first law"),
            Check("mass flow out over mass flow in, less 1", c["mass_flow_out"] / c["mass_flow_in"] - 1,
                  -1e-3, 1e-3, "continuity"),
            Check("error bar of the pressure ratio, share", bars["pressure_ratio"] / c["pressure_ratio"], 0.0,
                  0.01, "wanted"),
            Check(
                "error bar of the efficiency", bars["efficiency"], 0.0, 0.007, "wanted",
                "The bar assumes first order in space, with a safety factor; the levels themselves differ by "
                "less."),
            Check("choking flow over that of the throat", open_.result["coefficients"]["mass_flow"] / throat,
                  0.90, 1.0, "one-dimensional, without the layers' displacement")
        ], result["seconds"] + open_.result["seconds"],
        trends=_trends(result, ("mass_flow", "pressure_ratio", "efficiency")))


def hovering_rotor():
    """The two-bladed rotor of Caradonna and Tung, collective 8 degrees, tip Mach 0.439."""
    section = {"chord": 0.1905, "stagger": 82.0, "camber": 0.0, "thickness": 0.12, "edge": 0.004}
    run = run_sheet(
        space="row", shape={
            "setting": "open", "blades": 2, "hub_radius": 0.2286, "tip_radius": 1.143, "form": "four-digit",
            "stacked_at": 0.25, "sections": [{"radius": r, **section} for r in (0.2286, 1.143)]
        }, air={"speed": 0.439 * 340.29 / 1.143 * 30 / np.pi, "wind": 0.0}, flow={"model": "inviscid"},
        grid={"level": "medium"})
    result = run.result
    thrust, merit = (result["coefficients"][name] for name in ("disc_thrust", "figure_of_merit"))
    return Case(
        "row-hover", "Hovering rotor, collective 8°, tip Mach 0.439, inviscid",
        f"NACA 0012, radius six chords, untwisted; {result['cells']} cells of one half. "
        f"{result['verdict']['words']}", [
            Check(
                "thrust coefficient", thrust, 0.00436, 0.00482,
                "Caradonna and Tung, NASA TM 81232, 1981: 0.00459, within 5 %",
                "By the time the next blade meets them the blades' vortices are as wide as the cells there. "
                "Blade elements with Prandtl's factor give "
                f"{result['theory']['thrust'] / result['coefficients']['thrust'] * thrust:.5f}."),
            Check("figure of merit", merit, 0.7, 0.9, "below 1 by momentum theory; an uneven wake costs more")
        ], result["seconds"], trends=_trends(result, ("disc_thrust", )))


def light_propeller():
    """A propeller whose sections meet the air at 2 degrees all along, against blade elements and momentum."""
    wind, turning, tip, hub, chord, thickness, blades = 14.0, 80.0, 1.0, 0.25, 0.08, 0.08, 4
    radii = np.linspace(hub, tip, 6)
    pitch = np.arctan2(wind, turning * radii) + np.radians(2.0)
    sections = [{"radius": round(float(r), 4), "chord": chord, "stagger": 90 - round(float(np.degrees(p)), 3),
                 "camber": 0.0, "thickness": thickness, "edge": 0.004} for r, p in zip(radii, pitch)]
    run = run_sheet(
        space="row", shape={
            "setting": "open", "blades": blades, "hub_radius": hub, "tip_radius": tip, "form": "four-digit",
            "stacked_at": 0.25, "sections": sections
        }, air={"speed": turning * 30 / np.pi, "wind": wind}, flow={"model": "inviscid"},
        grid={"level": "medium"})
    result, air = run.result, run.setup.air
    # The slope of a thick section in potential flow.
    theory = rotor_theory(radii, np.full(6, chord), pitch, blades, hub, tip, turning, wind,
                          air.speed_of_sound, air.density, 0.0, slope=2 * np.pi * (1 + 0.77 * thickness))
    c = result["coefficients"]
    why = "blade elements and momentum, Prandtl's factor; slope 2π (1 + 0.77 t/c): Glauert 1935"
    open_ = ("At half the radius both agree within 2 %; at the tip the load falls off earlier than Prandtl's "
             "factor has it.")
    return Case(
        "row-propeller", "Lightly loaded propeller, inviscid, against blade elements",
        f"Four blades of 8 % thickness, advance ratio 0.55, sections at 2° to the undisturbed air; "
        f"{result['cells']} cells of a quarter. {result['verdict']['words']}", [
            Check("thrust over theory's", c["thrust"] / theory["thrust"], 0.97, 1.03, why, open_),
            Check("torque over theory's", c["torque"] / theory["torque"], 0.97, 1.03, why, open_),
            Check("efficiency", c["efficiency"], 0.93, 0.965,
                  "theory's 0.943; 0.965 at most by momentum theory")
        ], result["seconds"], trends=_trends(result, ("thrust", "torque")))


def _trends(result, names):
    return {name: grid_trend(result["trends"][name]["values"], True, level_ratio(result)) for name in names}


CASES = {
    "row-cascade": plane_cascade, "row-shock-free": shock_free_rotor,
    "row-isentropic": isentropic_rotor, "row-transonic": transonic_rotor,
    "row-hover": hovering_rotor, "row-propeller": light_propeller
}
