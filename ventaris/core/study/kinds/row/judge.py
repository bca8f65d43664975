"""What the program says of a blade row: before its run and after it."""
from ...findings import Estimate, Finding, climb_findings, formula_findings, gravest_first
from .ready import choked_flow
from ...verdict import NEVER_SETTLED, Verdict, formula_warnings, unformed, wide_bars

# Seconds per cell and step; steps that a level needs.
DEFAULT_COST, STEPS = 1.6e-5, 70
BYTES_PER_CELL = 2_600
MOST_CELLS = 2_000_000
BALANCE, IMBALANCE = 3e-3, 2e-3
# Diffusion from which a row is near its stall, and incidence from which a blade is far from its design.
LOADED = 0.55
# A mass flow asked for beyond this share of what the throat passes is refused; one that is missed by more
# than the other share is told.
ABOVE_CHOKE, MISSED = 1.08, 2e-3
# Share of the outlet through which air runs back from which on a row counts as stalled.
TURNED = 0.02
ROW_FLOORS = (("mass_flow", "mass flow", 0.0, 0.0), ("pressure_ratio", "pressure ratio", 0.0, 0.0),
              ("efficiency", "efficiency", 0.0, 0.0), ("thrust", "thrust", 0.0, 0.0), ("torque", "torque",
                                                                                       0.0, 0.0))
DUCT_CHANNELS = ("mass_flow", "mass_flow_in", "mass_flow_out", "corrected_flow", "pressure_ratio",
                 "temperature_ratio", "efficiency", "polytropic_efficiency", "work", "work_by_swirl",
                 "static_ratio", "inlet_mach", "outlet_angle", "relative_inlet_angle",
                 "relative_outlet_angle", "relative_inlet_mach", "flow_coefficient", "loading",
                 "relative_loss", "power_balance", "diffusion", "back_flow")
OPEN_CHANNELS = ("thrust_coefficient", "power_coefficient", "disc_thrust", "disc_power", "figure_of_merit",
                 "efficiency", "wheel_power", "wheel_thrust")


def row_channels(setup):
    """Names of the channels that a row's run records by itself."""
    own = OPEN_CHANNELS if setup.is_open else DUCT_CHANNELS
    return ["step", "residual", "courant", "torque", "power", "thrust", *own]


def estimate_row(setup, cost=DEFAULT_COST):
    """Cells, time, memory and disk of a climb; `cost` in seconds per cell and step."""
    cells = [setup.cells(level) for level in setup.levels]
    grid = 4.0 + cells[-1] * 2e-5
    return Estimate(cells[-1], grid + sum(cells) * STEPS * cost, 250 + max(cells) * BYTES_PER_CELL / 1e6,
                    3 + cells[-1] * 30 / 1e6)


def preflight_row(setup):
    """Findings for a prepared row, the gravest first."""
    found = [
        *_turning(setup), *_blades(setup), *_outlet(setup), *_grid(setup), *climb_findings(setup.levels),
        *formula_findings(setup.sheet.instruments.formulas, row_channels(setup))
    ]
    return gravest_first(found)


def _turning(setup):
    derived, row = setup.derived(), setup.row
    middle = row.section_shape(0.5 * row.tip)
    if setup.omega:
        yield Finding(
            "note", "air.speed",
            f"The tips turn at {setup.tip_speed:.4g} m/s, Mach {derived['tip_mach']:.3g} of the air there.")
        if setup.omega * middle.stagger < 0:
            yield Finding(
                "warn", "air.speed",
                "The wheel turns tail first: seen from upstream, the noses of its blades trail. Turn the "
                "sign of the speed of rotation, or that of the sections' stagger, unless this is a turbine "
                "whose blades bend so.")
    elif setup.is_open and not setup.sheet.air.wind:
        yield Finding(
            "stop", "air.speed", "Nothing turns and no wind comes: nothing would flow. Give a speed of "
            "rotation, or a wind (air.wind)")
    else:
        yield Finding("note", "air.speed", "At rest: a stator, or a wheel that is held.")


def _blades(setup):
    measures, row = setup.measures(), setup.row
    solid = measures["solidity"]
    if not setup.is_open:
        yield Finding(
            "note", "shape.blades",
            f"Solidity at mid-span {solid:.2f}, throat {1e4 * measures['throat_area']:.4g} cm², reference "
            f"length (chord at mid-span) {1e3 * setup.scale:.4g} mm.")
    if solid > 2.6:
        yield Finding(
            "warn", "shape.blades",
            f"Solidity {solid:.2f} at mid-span is far beyond that of usual rows: look "
            "at the number of blades and the chord.")
    if setup.sheet.shape.setting == "duct" and setup.sheet.shape.made == "plan":
        yield Finding(
            "note", "shape.made",
            "The plan is for air at 101 325 Pa and 288.15 K; its sections are a first shape. Take them over "
            "as sections to edit them.")
    gap = setup.sheet.shape.tip_gap
    if not setup.is_open and 0 < gap < 0.002 * (setup.tip_radius - setup.hub_radius):
        yield Finding(
            "warn", "shape.tip_gap",
            f"A gap of {1e3 * gap:.3g} mm is thinner than the cells at the casing can follow well: give it "
            "more cells (grid.gap_cells), or none (0).")
    if setup.is_viscous and row.section_shape(0.5 * row.tip).edge < 0.002:
        yield Finding("note", "shape.sections",
                      "Edges thinner than 0.2 % of the chord make very small cells and slow runs.")


def _outlet(setup):
    air = setup.sheet.air
    if setup.holds_flow:
        choke = choked_flow(setup)
        if air.outlet_flow > ABOVE_CHOKE * choke:
            yield Finding(
                "stop", "air.outlet_flow",
                f"{air.outlet_flow:g} kg/s: the blades' throat chokes at about {choke:.4g} kg/s at this "
                "speed. Ask for less, or open the blades.")
        elif air.outlet_flow > choke:
            yield Finding(
                "warn", "air.outlet_flow",
                f"{air.outlet_flow:g} kg/s may be more than passes: the blades' throat chokes at about "
                f"{choke:.4g} kg/s. The run would end at the choke and say so.")
    if setup.is_open or air.outlet != "pressure":
        return
    if air.back_pressure > 1.5 * air.total_pressure and setup.tip_speed < 0.9 * setup.air.speed_of_sound:
        yield Finding(
            "warn", "air.back_pressure",
            "The pressure at the outlet is high for this tip speed: the flow may "
            "turn back. A throttle (air.outlet) finds the point by itself.")


def _grid(setup):
    cells = setup.cells(setup.levels[-1])
    if cells > MOST_CELLS:
        yield Finding(
            "stop", "grid.span_cells",
            f"{cells} cells on the finest level need about {cells * BYTES_PER_CELL / 1e9:.1f} GB. Lower the "
            f"counts to fewer than {MOST_CELLS} cells.")
    counts = [setup.cells(level) for level in setup.levels]
    yield Finding(
        "note", "grid.level",
        "Cells of one passage: " + ", ".join(f"{level} {n}" for level, n in zip(setup.levels, counts)) + ".")


def judge_row(setup, last, stopped, undefined, trends, averages=None):
    """The verdict of a row's run from its last level, its trends (as dicts), and what its means were taken
    over where it swings."""
    worst = max(last.changes.values(), default=0.0)
    c = last.coefficients
    what = "thrust and torque" if setup.is_open else "mass flow, pressure ratio and torque"
    if stopped:
        words = (f"Stopped by hand on the {last.level} grid: residual {last.residual:.0e} of the start. The "
                 "numbers are those of that moment.")
    elif last.settled and averages:
        swing = averages["deviations"]["torque"] / max(abs(c["torque"]), 1e-12)
        words = (
            f"Settled on the {last.level} grid in its means: the flow keeps swinging, so {what} are means "
            f"over the last {averages['steps']} steps, in which the torque moved by ± {100 * swing:.2g} % "
            f"(r.m.s.); residual {last.residual:.0e} of the start.")
    elif last.settled and last.residual > setup.sheet.run.residual:
        words = (
            f"Settled on the {last.level} grid by its instruments: {what} stood still within {worst:.1g}, "
            f"while the residual stalled at {last.residual:.0e} of the start.")
    elif last.settled:
        words = (
            f"Settled on the {last.level} grid: residual {last.residual:.0e} of the start, {what} steady "
            f"within {worst:.1g}.")
    else:
        words = (
            f"Not settled on the {last.level} grid: residual {last.residual:.0e} of the start, {what} still "
            f"change by {worst:.1g}. Run it further, or read the values as provisional.")
    settled = last.settled and last.residual <= NEVER_SETTLED
    if last.settled and not settled and not stopped:
        words = unformed(last.level, last.residual, what)
    found = formula_warnings(undefined)
    if not setup.is_open:
        gap = c["mass_flow_out"] / c["mass_flow_in"] - 1 if c["mass_flow_in"] else 1.0
        words += f" What comes in and what leaves agree within {100 * abs(gap):.2g} %"
        if "power_balance" in c:
            words += (f"; torque times speed of rotation and the rise of total enthalpy within "
                      f"{100 * abs(c['power_balance']):.2g} %")
        words += "."
        if abs(gap) > IMBALANCE:
            found.append(f"Mass in and mass out differ by {100 * gap:.2g} %: the flow has not come to rest.")
        if abs(c.get("power_balance", 0.0)) > BALANCE:
            found.append(
                f"Torque and rise of total enthalpy differ by {100 * c['power_balance']:.2g} %: do not trust "
                "the efficiency further than that.")
    wide, doubtful = wide_bars(trends, [f for f in ROW_FLOORS if f[0] in trends])
    return Verdict(bool(settled), words, found + list(_doubts(setup, last, averages)) + wide, bool(settled
                                                                                         and doubtful))


def _doubts(setup, last, averages):
    c = last.coefficients
    if not setup.is_viscous:
        yield ("Inviscid: no boundary layers. What is lost is lost in shocks and to the grid: up to some per "
               "cent of the relative head where thin noses are met at an incidence.")
    if setup.is_viscous and last.y_plus and last.y_plus["mean"] > 5:
        yield (f"The first cells stand at y+ {last.y_plus['mean']:.0f} (median): a wall function bridges the "
               "rest, with friction and loss known to some per cent.")
    if setup.holds_flow and abs(c["mass_flow"] / setup.sheet.air.outlet_flow - 1) > MISSED:
        asked, passes = setup.sheet.air.outlet_flow, c["mass_flow"]
        yield (f"{asked:g} kg/s were asked for, and {passes:.5g} pass: " + (
            "the row is choked. Ask for less; these are numbers of the choke."
            if passes < asked and last.settled else "the flow has not come there yet. Run it further."))
    if averages:
        yield ("The flow does not come to rest: part of the blade is near its stall, or sheds. A steady "
               "passage finds a mean of that; the real one may swing more.")
    if c.get("back_flow", 0.0) > TURNED:
        yield (f"Air runs back through {100 * c['back_flow']:.0f} % of the outlet: the row has stalled. "
               "What a steady passage finds there is one of many flows; open the throttle, or read the point "
               "as the end of the line.")
    if c.get("diffusion", 0.0) > LOADED:
        yield (f"The mean diffusion factor is {c['diffusion']:.2f}: rows stall from about 0.6, and a steady "
               "passage cannot tell where. The last point that settles is a numerical limit.")
    if c.get("efficiency") and not 0 < c["efficiency"] <= 1.0:
        yield (f"An efficiency of {c['efficiency']:.3f} is none: the work is too small, or the flow has not "
               "come to rest.")
    if setup.is_open and setup.is_viscous:
        yield ("The boundary layers are turbulent from the nose: at small Reynolds numbers real blades keep "
               "laminar ones.")
    if setup.is_open:
        yield ("The vortices of a wheel are carried over cells that grow: a hovering rotor's thrust came out "
               "a tenth too high, see the validation report. The levels and their error bar say how much of "
               "that is left.")
