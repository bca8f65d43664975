"""Before the run: what is missing, unusual or inconsistent, each with its mend; cost in time and memory."""
import numpy as np

from ....flow.discretisation import PRECONDITION_BELOW
from ....grids.spacing import geometric_ratio
from ....units import large
from ...channels import FormulaError
from ...findings import Estimate, Finding, climb_findings, formula_findings, gravest_first, mach_findings
from ...verdict import LEAST_OF_SWING, MOST_DEGREES
from .driven import speed_channels
from .motion import words_of
from .ready import section_channels, steering_of, wall_unit
from ...unsteady import START_UP, bluff_size, time_step

# Measured with benchmarks/solver.py on two cores of 2.5 GHz; replaced by this machine's own runs.
DEFAULT_COST = 1.4e-5
BYTES_PER_CELL = 7_000
# Layers of a grid of triangles end at this share of the cells along the wall; the last one may be lower by so
# much.
TOP_OF_LAYERS, MOST_STEP = 0.75, 6.0
# A time step costs about as much as so many steady ones; one of a wheel, through which air is pushed and
# pulled at every step, more.
OF_STEPS, OF_WHEELS = 3, 5


def estimate(setup, cost=DEFAULT_COST):
    """Cells, time, memory and disk of a climb; `cost` in seconds per cell and step."""
    steps = 10 if setup.stream.mach < PRECONDITION_BELOW else 17
    if setup.sheet.flow.model == "turbulent":
        # Three times the steps, and steps with more Krylov vectors.
        steps *= 6
    cells = [setup.cells(level) for level in setup.levels]
    seconds = 1.0 + sum(cells) * steps * cost
    if setup.sheet.flow.time == "unsteady":
        turns = setup.moving and setup.moving.wheels
        seconds += (OF_WHEELS if turns else OF_STEPS) * cost * sum(n * share for n, share in _followed(setup))
    return Estimate(cells[-1], seconds, 150 + max(cells) * BYTES_PER_CELL / 1e6, cells[-1] * 60 / 1e6)


def _followed(setup):
    """(cells, steps) on every level that is followed in time."""
    cells, step, run = [setup.cells(level) for level in setup.levels[-2:]], time_step(setup), setup.sheet.run
    if setup.moving:
        steps = setup.moving.expected_steps(run, step)
        return [(n, steps) for n in cells]
    return [(cells[-1], run.duration / step)]


def ahead_in_time(run):
    """What of the time to follow a run of a section still has before it; see `Climb.ahead_in_time`."""
    setup, record = run.setup, run.recorder
    if run.sheet.flow.time != "unsteady":
        return []
    over = OF_WHEELS if setup.moving and setup.moving.wheels else OF_STEPS
    rows = [(cells, steps, over) for cells, steps in _followed(setup)]
    if record is None or run.time_march is None:
        return rows
    done, cells, finest = len(record.entries), run.present.flow.n_own, run.present.name == setup.levels[-1]
    if setup.moving and setup.moving.period:
        # Cycles end when two are alike: beyond what is usual there is one more, about.
        left = min(max(rows[0][1] - done, record.cycle - done % record.cycle), record.steps - done)
        return [(cells, left, over)] + ([] if finest else rows[-1:])
    if finest or len(setup.levels) == 1 or setup.moving:
        return [(cells, record.steps - done, over)] + ([] if finest else rows[-1:])
    start_up = int(START_UP * record.discard * record.steps)
    return [(cells, max(start_up - done, 0), over), (rows[-1][0], record.steps - start_up, over)]


def preflight(setup):
    """Findings for a prepared sheet, the gravest first."""
    found = list(_air(setup)) + list(_physics(setup)) + list(_turbulence(setup)) + list(
        _domain_and_grid(setup)) + list(_unsteady(setup)) + list(_walls(setup)) + list(_instruments(setup))
    return gravest_first(found)


def _air(setup):
    mach = setup.air.mach
    yield from mach_findings(mach, setup.pace)
    if 0.97 < mach < 1.05:
        yield Finding(
            "warn", "air.mach",
            f"Mach number {mach:.3g}: this close to 1 disturbances reach far to the side; "
            "expect a slow run and put the far field at 100 chords or more.")
    if setup.air.pressure < 1.0:
        yield Finding(
            "warn", "air.pressure",
            f"At {setup.air.pressure:.2g} Pa the air is so thin that it may not act as a continuum.")
    if abs(setup.sheet.air.incidence) > 15:
        yield Finding(
            "warn", "air.incidence",
            f"At {setup.sheet.air.incidence:g}° most sections are stalled; a steady answer "
            "without turbulence will not show it.")


def _physics(setup):
    model, reynolds = setup.sheet.flow.model, setup.reynolds
    if model == "laminar" and reynolds > 5e5:
        yield Finding(
            "warn", "flow.model",
            f"Laminar at Reynolds number {large(reynolds)}: a real boundary layer turns turbulent. "
            "Take the turbulent model.")
    if model == "laminar" and setup.shape.section.trailing_edge == "round" and reynolds > 47:
        yield Finding(
            "warn", "flow.model",
            f"Round bodies shed vortices above a Reynolds number of about 47 (here {reynolds:.3g}); "
            "the steady answer is not what a tunnel shows.")
    if (model == "inviscid" and setup.shape.section.trailing_edge == "round"
            and setup.sheet.air.incidence != 0):
        yield Finding(
            "warn", "shape",
            "A rounded trailing edge fixes no circulation in inviscid flow: the lift is set by numerical "
            "dissipation. Take the laminar model or a sharp trailing edge.")
    if model == "inviscid" and reynolds < 1e4:
        yield Finding(
            "warn", "flow.model",
            f"Inviscid at Reynolds number {large(reynolds)}, where friction dominates. Take laminar.")


def _turbulence(setup):
    if setup.sheet.flow.model != "turbulent":
        return
    unit, first = wall_unit(setup.wall_reynolds), setup.plan.first_height
    y_plus = 0.5 * first / unit
    if y_plus > 300:
        yield Finding(
            "warn", "grid.first_height",
            f"The first layer of {first:.2g} chords is about y+ {y_plus:.0f}, beyond the wall function's "
            "reach (300). "
            f"Take {unit:.1g} to resolve the layer, or {80 * unit:.1g} for a wall function at y+ 40.")
    elif y_plus > 5:
        yield Finding(
            "warn" if y_plus < 25 else "note", "grid.first_height",
            f"The first layer of {first:.2g} chords is about y+ {y_plus:.0f}: a wall function takes over, "
            "which is "
            f"less exact than resolving the layer{' and weakest between 5 and 30' if y_plus < 25 else ''}. "
            f"Take {unit:.1g} to resolve it.")
    elif y_plus > 1.3:
        yield Finding(
            "note", "grid.first_height",
            f"The first layer of {first:.2g} chords is about y+ {y_plus:.1f}; friction is surest near 1. "
            f"Take {unit:.1g} or leave the field empty.")
    elif y_plus < 0.05:
        yield Finding(
            "warn", "grid.first_height",
            f"The first layer of {first:.2g} chords is about y+ {y_plus:.1g}: far thinner than needed, which "
            f"makes runs slow. Take {unit:.1g}.")
    if not setup.is_hybrid:
        growth = geometric_ratio(first, setup.plan.layers, setup.plan.far_field)
        if growth > 1.27:
            needed = next(n for n in range(24, 404, 4)
                          if geometric_ratio(first, n, setup.plan.far_field) <= 1.22 or n == 400)
            yield Finding(
                "warn", "grid.layers",
                f"The layers grow by {growth:.2f} each; above about 1.25 the boundary layer is poorly "
                f"resolved. Take {needed} layers.")
    else:
        yield from _layers_end_early(setup.plan)
    base = setup.base_height
    if base and 0.5 * base / unit > 5:
        yield Finding(
            "note", "grid.first_height",
            f"The sides' first layer of {first:.2g} chords is about y+ {y_plus:.1g}, but the cells on the "
            f"cut-off base are {base:.2g} thick, y+ up to {0.5 * base / unit:.0f}: a wall function takes "
            "over there, and the y+ that a run reports holds both.")
    if setup.wall_reynolds < 2e5:
        mend = "take laminar" if setup.moving and setup.moving.circles else "give a trip, or take laminar"
        yield Finding(
            "warn", "flow.model",
            f"At Reynolds number {large(setup.wall_reynolds)} much of a real boundary layer is laminar; "
            f"{mend}.")
    if any(o.section.trailing_edge == "blunt" for o in setup.outlines):
        yield Finding(
            "note", "flow.model",
            "Behind a blunt base the steady turbulent wake is an approximation; its base pressure is "
            "uncertain.")


def _domain_and_grid(setup):
    far, mach = setup.plan.far_field, setup.air.mach
    planned = setup.sheet.grid.planned_speed
    if planned and abs(setup.air.speed / planned - 1) > 0.05:
        yield Finding(
            "warn", "grid.planned_speed",
            f"The wall layers were planned at {planned:.4g} m/s and the speed is now {setup.air.speed:.4g} "
            "m/s: "
            f"the y+ is {setup.air.speed / planned:.2f} times the planned one. Plan the layers again, or "
            "empty the field if that is meant.")
    domain = setup.sheet.domain
    if domain.kind == "channel":
        if mach > 0.7:
            yield Finding(
                "warn", "domain.kind",
                f"At Mach {mach:.2g} a channel may choke; the outlet holds the undisturbed pressure.")
        if domain.ahead < 4 or domain.behind < 8:
            yield Finding(
                "note", "domain.behind",
                "Inlet or outlet stand near the body (less than 4 chords ahead or 8 behind): they hold "
                "pressure and flow where the body still disturbs them.")
    if domain.kind == "casing":
        yield from _casing(setup)
    if domain.kind == "ground" and domain.clearance < 0.05:
        yield Finding(
            "note", "domain.clearance",
            f"The clearance of {domain.clearance:g} chords is small: the layers of wing and ground may merge "
            "under it.")
    if mach < 1 and far < 20 and domain.kind not in ("channel", "casing"):
        yield Finding(
            "warn", "domain.far_field",
            f"The far field stands at {far:g} chords. Below 20 the lift is off by more than "
            "about half a per cent even with the vortex correction; 50 is usual.")
    if mach > 1.2 and far > 100:
        yield Finding("note", "domain.far_field",
                      f"In supersonic flow a far field at {far:g} chords only costs cells; 20 will do.")
    cells = setup.cells(setup.levels[-1])
    if cells > 400_000:
        yield Finding(
            "stop", "grid.around",
            f"{cells} cells on the finest level need about {cells * BYTES_PER_CELL / 1e9:.1f} GB. "
            "Lower the cell counts to fewer than 400 000 cells.")
    yield from climb_findings(setup.levels)
    if setup.sheet.flow.model == "laminar" and setup.plan.first_height * setup.reynolds**0.5 > 0.5:
        yield Finding(
            "warn", "grid.first_height",
            f"The first layer of {setup.plan.first_height:.2g} chords leaves too few cells in the "
            f"boundary layer; take about {0.08 / setup.reynolds**0.5:.1g} or leave the field empty.")


def _casing(setup):
    """What drives the air through a casing, and what its speed means."""
    domain = setup.sheet.domain
    yield Finding(
        "note", "domain.kind",
        "In a casing the speed is a reference: coefficients are on its dynamic pressure, flows on it times "
        "the chord. What drives the air are the openings, walls that move, or a wheel.")
    driven = domain.outlet == "flow" or domain.inlet_pressure > domain.outlet_pressure
    if not (driven or setup.moving or setup.slots):
        yield Finding(
            "warn", "domain.inlet_pressure",
            f"Nothing drives the air: {domain.inlet_pressure:g} Pa at the inlet against "
            f"{domain.outlet_pressure:g} Pa at the outlet. Raise the total pressure at the inlet, or hold "
            "the outlet by a mass flow.")


def _unsteady(setup):
    sheet = setup.sheet
    if setup.moving:
        yield from _moving(setup)
    if sheet.flow.time != "unsteady" or setup.moving and setup.moving.period:
        return
    step, run = time_step(setup), sheet.run
    size = bluff_size(setup)
    if size and not setup.moving:
        period = size / 0.2
        if step > period / 20:
            yield Finding(
                "warn", "run.time_step",
                f"A step of {step:.3g} chords leaves {period / step:.0f} steps for one period of vortex "
                f"shedding (about {period:.2g} chords at a Strouhal "
                f"number of 0.2): the shedding will be damped or missed. Take {period / 50:.2g} or less.")
        if run.duration * (1 - run.discard) < 8 * period:
            yield Finding(
                "warn", "run.duration",
                f"After the start-up only {run.duration * (1 - run.discard) / period:.1f} shedding periods "
                "are left for statistics; ten or more are wanted. "
                f"Follow {10 * period / (1 - run.discard):.0f} chords.")
    steps = run.duration / step
    if steps > 50_000:
        yield Finding(
            "stop", "run.time_step",
            f"{steps:.0f} steps of {step:.2g} chords: more than 50 000. Take a longer step or a shorter time."
        )
    yield Finding(
        "note", "flow.time",
        f"{steps:.0f} time steps of {step:.3g} chords ({step * setup.chord / setup.air.speed:.3g} s), after "
        "the steady climb.")


def _moving(setup):
    """What moves: how it is followed, and what would make its answer a poor one."""
    moving, run = setup.moving, setup.sheet.run
    what = "; ".join(words_of(row) for row in moving.rows)
    if setup.sheet.flow.time != "unsteady":
        yield Finding(
            "warn", "flow.time",
            f"In steady flow everything is held as it stands at the beginning ({what}), and gusts are left "
            "out. Set Time to unsteady to follow it.")
        return
    for row in moving.rows:
        if row.does in ("wave", "edge") and abs(row.gust) > 0.3:
            yield Finding(
                "warn", "air.motions",
                f"A gust of {row.gust:g} of the stream's speed: it is laid over the stream undisturbed, "
                "which holds for gusts of a tenth or two.")
    if not moving.period:
        return
    steps = moving.steps_of_cycle(run)
    yield Finding(
        "note", "air.motions", f"One cycle ({what}) is {moving.period:.4g} chords, "
        f"{moving.period * setup.chord / setup.air.speed:.3g} s, in {steps} steps. It is followed on the two "
        f"finest levels until two cycles in a row are alike, {run.cycles} cycles on each at most.")
    degrees = moving.degrees_of_step(steps)
    if degrees > MOST_DEGREES:
        yield Finding(
            "warn", "run.cycle_steps",
            f"A step turns by {degrees:.1f}°: what a blade does to the next one is missed. Take "
            f"{np.ceil(steps * degrees / MOST_DEGREES):.0f} steps per cycle or more.")
    elif steps < LEAST_OF_SWING:
        yield Finding("warn", "run.cycle_steps",
                      f"{steps} steps for a cycle shift phases by degrees. Take 48 or more.")
    backwards = [o.name or "the section" for o in setup.outlines if moving.goes_tail_first(o)]
    if backwards:
        yield Finding(
            "warn", "air.motions",
            f"Turns tail first: {', '.join(backwards)}. Turn the other way, or put the wheel's centre on the "
            "other side of the chord line.")


def _layers_end_early(plan):
    """Whether triangles much thicker than the last layer stand on it."""
    top = plan.first_height * plan.layer_growth**(plan.layers - 1)
    step = TOP_OF_LAYERS * plan.wall_size / top
    if step > MOST_STEP:
        needed = 1 + np.log(TOP_OF_LAYERS * plan.wall_size / plan.first_height) / np.log(plan.layer_growth)
        yield Finding(
            "warn", "grid.layers",
            f"The layers end where cells are {step:.0f} times as high as the last one: nothing is resolved "
            f"there, and steps are hard to solve. Take {4 * int(np.ceil(needed / 4))} layers, or a higher "
            "first one.")


def _walls(setup):
    for action in setup.sheet.air.walls:
        if setup.sheet.flow.model == "inviscid" and action.action == "move":
            yield Finding(
                "warn", "air.walls",
                f"“{action.surface}” moves along itself, which inviscid flow does not feel. Take the laminar "
                "or turbulent model.")
        speed = abs(action.speed) if action.action == "blow" else 0.0
        if action.is_driven and setup.sheet.flow.time == "steady":
            yield Finding(
                "note", "air.walls",
                f"“{action.surface}” changes in time: in steady flow it is held as it stands at the "
                "beginning. Set time to unsteady to follow it.")
        if speed > 0.5 * setup.air.speed_of_sound:
            yield Finding(
                "warn", "air.walls",
                f"“{action.surface}” blows at {speed:.3g} m/s, more than half of the speed of sound: give "
                "small cells there, and check the level trend.")
    try:
        steering_of(setup)
    except FormulaError as error:
        yield Finding("stop", "air.walls", str(error))
    names = speed_channels(setup.sheet)
    for name in sorted({n for n in names if names.count(n) > 1}):
        yield Finding("stop", "air.walls",
                      f"Two rows drive “{name.removeprefix('speed_')}” in time. Keep one of them.")
    idle = {s.name for s in setup.shape.surfaces} - {a.surface for a in setup.sheet.air.walls}
    if idle:
        yield Finding("note", "shape.surfaces",
                      f"Named, but doing nothing at this operating point: {', '.join(sorted(idle))}.")


def _instruments(setup):
    yield from formula_findings(setup.sheet.instruments.formulas, section_channels(setup))
    names = [p.name for p in setup.sheet.instruments.probes]
    for name in sorted({n for n in names if names.count(n) > 1}):
        yield Finding("warn", "instruments.probes",
                      f"Two probes are called “{name}”. Give each its own name, or only one is kept.")
    names = [m.name for m in setup.meters]
    for name in sorted({n for n in names if names.count(n) > 1}):
        yield Finding("warn", "instruments.meters",
                      f"Two flow meters are called “{name}”. Give each its own name, or only one is kept.")
    for probe in setup.sheet.instruments.probes:
        if setup.sheet.domain.kind not in ("channel", "casing") and np.hypot(
                probe.x, probe.y) > setup.plan.far_field:
            yield Finding("warn", "instruments.probes",
                          f"The probe “{probe.name}” stands outside the far field.")
