"""What the program says of a nozzle: before its run and after it."""
from ....units import large
from ...findings import Estimate, Finding, climb_findings, formula_findings, gravest_first
from .ready import nozzle_channels
from ...verdict import NEVER_SETTLED, Verdict, formula_warnings, unformed, wide_bars

DEFAULT_COST = 1.6e-5
BYTES_PER_CELL = 7_000
# Air that leaves a shock with less than this share of the back pressure as its total pressure hardly reaches
# the exit.
TIRED = 1.01
NOZZLE_FLOORS = (("mass_flow", "mass flow", 0.0, 0.0), ("thrust", "thrust", 0.0, 0.0))
REGIMES = {
    "subsonic": "subsonic throughout", "shock inside": "choked, with a shock inside",
    "over-expanded": "choked and over-expanded: oblique shocks stand at the lip",
    "under-expanded": "choked and under-expanded: the jet goes on expanding behind the lip",
    "choked": "choked: sonic at the exit"
}


def estimate_nozzle(setup, cost=DEFAULT_COST):
    """Cells, time, memory and disk of a climb; `cost` in seconds per cell and step."""
    steps = 140 if setup.has_jet else 60
    if setup.sheet.flow.model == "turbulent":
        steps *= 1.5
    cells = [setup.cells(level) for level in setup.levels]
    return Estimate(cells[-1], 1.0 + sum(cells) * steps * cost, 150 + max(cells) * BYTES_PER_CELL / 1e6,
                    cells[-1] * 60 / 1e6)


def preflight_nozzle(setup):
    """Findings for a prepared nozzle, the gravest first."""
    found = [
        *supply_findings(setup), *_contour(setup), *_physics(setup), *_grid(setup),
        *climb_findings(setup.levels),
        *formula_findings(setup.sheet.instruments.formulas, nozzle_channels(setup)), *_instruments(setup)
    ]
    return gravest_first(found)


def supply_findings(setup):
    """What the supply and one-dimensional theory give to think about."""
    air, given, theory = setup.air, setup.sheet.air, setup.theory
    if given.supply in ("total", "jet mach"):
        yield Finding(
            "note", "air.total_pressure",
            f"The supply's total pressure is {air.supply_pressure / 1e3:.5g} kPa absolute, "
            f"{(air.supply_pressure - air.ambient_pressure) / 1e3:+.5g} kPa "
            f"relative to ambient; {1 / setup.back:.4g} times the pressure behind the exit.")
    if theory:
        where = f" at x = {theory.shock:.4g} m" if theory.shock else ""
        yield Finding("note", "air.total_pressure",
                      f"One-dimensional theory: {REGIMES[theory.regime]}{where}.")
        if (theory.exit_pressure * air.supply_pressure < 0.4 * setup.outside_pressure
                and theory.regime == "over-expanded" and setup.sheet.flow.model == "inviscid"):
            yield Finding(
                "warn", "air.total_pressure",
                "The exit pressure of the full nozzle is less than 0.4 of that behind it: a real boundary "
                "layer separates inside. Inviscid flow cannot show it.")
        if theory.regime == "over-expanded" and setup.sheet.flow.model != "inviscid" and not setup.has_jet:
            yield Finding(
                "warn", "domain.kind",
                "The nozzle is over-expanded and its walls have friction: the layer separates inside, up to "
                "the exit, where this duct ends. Air comes back there as from a room at rest, and the run "
                "may take long. Take the jet in the open to see what the air around does.")
    if air.mach_ideal > 4:
        yield Finding(
            "warn", "air.total_pressure",
            f"The loss-free jet has Mach {air.mach_ideal:.2f}: beyond 4 the air gets so cold that a perfect "
            "gas without condensation is doubtful.")
    if air.mach_ideal < 0.05:
        yield Finding("warn", "air.total_pressure",
                      f"The loss-free jet has Mach {air.mach_ideal:.3f}; the solver was checked from 0.1.")
    if given.supply == "mass flow" and not setup.has_jet and given.outlet == "mass flow":
        yield Finding(
            "stop", "air.outlet",
            "Mass flow is given at both ends: nothing fixes the pressure. Hold the exit by a back pressure.")
    if setup.has_jet and given.outlet == "mass flow":
        yield Finding("note", "air.outlet",
                      "A jet meets the air around: the mass flow at the exit is not used.")


def _contour(setup):
    measures = setup.measures()
    if measures["steepest_out"] > 20:
        yield Finding(
            "warn", "shape.diverge_length",
            f"The divergence opens at up to {measures['steepest_out']:.0f}°: beyond about 15 to 20° a real "
            "flow separates from the wall.")
    if measures["steepest_in"] > 60:
        yield Finding(
            "note", "shape.converge_length",
            f"The convergence is as steep as {measures['steepest_in']:.0f}°; its cells are skewed.")
    if setup.has_jet and setup.sheet.shape.lip > 0.5 * setup.contour.exit_radius:
        yield Finding("note", "shape.lip", "The lip is thick: a dead-air region will stand behind it.")


def _physics(setup):
    model = setup.sheet.flow.model
    if model == "inviscid" and setup.has_jet:
        yield Finding(
            "warn", "flow.model",
            "An inviscid jet does not mix with the air around it: trust the first shock cells, not the "
            "decay. Take the turbulent model for that.")
    if model == "laminar" and setup.reynolds > 2e4:
        yield Finding(
            "warn", "flow.model",
            f"Laminar at Reynolds number {large(setup.reynolds)} on the exit: real jets and boundary layers "
            "turn turbulent. Take the turbulent model.")
    if setup.plan.plate and model == "inviscid":
        yield Finding("warn", "flow.model",
                      "An inviscid flow has no shear on the plate. Take the turbulent model for it.")
    if setup.sheet.air.wall_heat != "adiabatic" and model == "inviscid":
        yield Finding("note", "air.wall_heat", "Inviscid walls exchange no heat.")


def _grid(setup):
    cells = setup.cells(setup.levels[-1])
    if cells > 400_000:
        yield Finding(
            "stop", "grid.along",
            f"{cells} cells on the finest level need about {cells * BYTES_PER_CELL / 1e9:.1f} GB. Lower the "
            "cell counts to fewer than 400 000 cells.")
    size = setup.contour.length / setup.scale / setup.plan.along
    for name, start, end in setup.plan.ports:
        if end - start < 8 * size:
            yield Finding(
                "note", "grid.along",
                f"“{name}” is {(end - start) / size:.1f} mean cells wide on the fine level; the lines gather "
                "there, but eight or more would be safer.")


def _instruments(setup):
    for station in setup.sheet.instruments.stations:
        inside = setup.station_at(station) <= setup.contour.length + (setup.plan.reach *
                                                                      setup.scale if setup.has_jet else 0.0)
        if not inside:
            yield Finding(
                "warn", "instruments.stations",
                f"“{station.name}” at x = {station.x:g} m lies behind the domain; its readings are those of "
                "the end.")


def judge_nozzle(setup, last, stopped, undefined, weakest, trends):
    """The verdict of a nozzle's run from its last level and its trends (as dicts); `weakest` is the least
    total pressure that reached the exit lately, Pa."""
    worst = max(last.changes.values(), default=0.0)
    c = last.coefficients
    if stopped:
        words = (
            f"Stopped by hand on the {last.level} grid: residual {last.residual:.0e} of the start. The "
            "numbers are those of that moment."
        )
    elif last.settled and last.residual > setup.sheet.run.residual:
        words = (
            f"Settled on the {last.level} grid by its instruments: mass flow and thrust stood still within "
            f"{worst:.1g}, while the residual stalled at {last.residual:.0e} of the start.")
    elif last.settled:
        words = (
            f"Settled on the {last.level} grid: residual {last.residual:.0e} of the start, mass flow and "
            f"thrust steady within {worst:.1g}."
        )
    else:
        words = (
            f"Not settled on the {last.level} grid: residual {last.residual:.0e} of the start, mass flow or "
            f"thrust still change by {worst:.1g}. Run it further, or read the values as provisional."
        )
    stands, settled = last.settled, last.settled and last.residual <= NEVER_SETTLED
    if stands and not settled and not stopped:
        words = unformed(last.level, last.residual, "mass flow and thrust")
    found = formula_warnings(undefined)
    gap = _imbalance(setup, c)
    words += f" What comes in and what leaves the nozzle agree within {100 * abs(gap):.2g} %."
    if abs(gap) > 2e-3:
        found.append(f"Mass in and mass out differ by {100 * gap:.2g} %: the flow has not come to rest.")
    wide, doubtful = wide_bars(trends, NOZZLE_FLOORS)
    return Verdict(bool(settled), words, found + list(_doubts(setup, last, weakest)) + wide,
                   bool(settled and doubtful))


def _imbalance(setup, c):
    through = c["mass_flow"] + sum(
        v for n, v in c.items() if n.startswith("mass_flow_") and n != "mass_flow_out")
    return (c["mass_flow_out"] - through) / max(abs(c["mass_flow_out"]), 1e-30)


def _doubts(setup, last, weakest):
    model, theory, c = setup.sheet.flow.model, setup.theory, last.coefficients
    if model == "inviscid":
        yield (
            "Inviscid: no boundary layer. A real nozzle passes one or two per cent less air, and a strong "
            "shock separates the layer."
        )
    for shock in last.shocks:
        if shock["mach_ahead"] > 1.3 and model == "inviscid":
            yield (
                f"The Mach number ahead of the shock is {shock['mach_ahead']:.2f}: above about 1.3 a real "
                "boundary layer separates under it and the shock stands further upstream."
            )
    if setup.ends_sonic:
        yield (
            "The duct ends at its sonic exit, and the line of sound, which bends out behind it, is cut off "
            "there: mass flow and thrust come out a tenth or two of a per cent high. Take the jet in the "
            "open for the last tenth."
        )
    if c["exit_back_flow"] > 0:
        yield f"Air comes back through {100 * c['exit_back_flow']:.2g} % of the exit." + (
            "" if setup.has_jet else
            " It is taken to come from a room at rest with the back pressure as its total pressure.")
    behind = setup.derived()["back_pressure"]
    if (model == "inviscid" and last.shocks and not setup.has_jet and not last.settled
            and weakest < TIRED * behind):
        yield (
            f"Behind the shock some of the air has a total pressure of only {weakest / 1e3:.5g} kPa, against "
            f"{behind / 1e3:.5g} kPa behind the exit: it comes to rest on its way, "
            "and without friction nothing takes it along, so that the flow may have no steady state. Take "
            "the turbulent model.")
    if theory and not setup.sheet.shape.ports:
        expected = setup.derived()["mass_flow"]
        off = c["mass_flow"] / expected - 1 if expected else 0.0
        if setup.sheet.air.supply in ("total", "jet mach") and abs(off) > 0.05:
            yield (
                f"The mass flow differs from one-dimensional theory by {100 * off:+.1f} %: look whether the "
                "flow has found another regime (separation, a shock that the theory does not have)."
            )
    if model == "turbulent" and last.y_plus and last.y_plus["mean"] > 5:
        yield (
            f"The first cells stand at y+ {last.y_plus['mean']:.0f} on average: a wall function bridges the "
            "rest, with friction and heat known to some per cent."
        )
    if setup.has_jet and model == "turbulent":
        yield (
            "Steady closures are known to mix round jets within some ten to twenty per cent of measurements; "
            "the shock cells' strength decays accordingly."
        )
