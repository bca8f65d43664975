"""Before the run: what is missing, unusual or inconsistent, each with its mend; cost in time and memory."""
from dataclasses import asdict, dataclass

from ..flow.discretisation import PRECONDITION_BELOW
from ..grids.spacing import geometric_ratio
from .setup import wall_unit

# Measured with benchmarks/solver.py on two cores of 2.5 GHz; replaced by this machine's own runs.
DEFAULT_COST = 1.4e-5
BYTES_PER_CELL = 7_000


@dataclass
class Finding:
    """One line of the preflight: `grade` is "stop", "warn" or "note"."""

    grade: str
    path: str
    message: str


@dataclass
class Estimate:
    """What a run will cost."""

    cells: int
    seconds: float
    memory_mb: float
    disk_mb: float

    def as_dict(self):
        return asdict(self)


def estimate(setup, cost=DEFAULT_COST):
    """Cells, time, memory and disk of a climb; `cost` in seconds per cell and step."""
    steps = 10 if setup.stream.mach < PRECONDITION_BELOW else 17
    if setup.sheet.flow.model == "turbulent":
        # Three times the steps, and steps with more Krylov vectors.
        steps *= 6
    cells = [setup.cells(level) for level in setup.levels]
    return Estimate(cells[-1], 1.0 + sum(cells) * steps * cost, 150 + max(cells) * BYTES_PER_CELL / 1e6, cells[-1] * 60 / 1e6)


def preflight(setup):
    """Findings for a prepared sheet, the gravest first."""
    found = list(_air(setup)) + list(_physics(setup)) + list(_turbulence(setup)) + list(_domain_and_grid(setup)) + list(_instruments(setup))
    order = {"stop": 0, "warn": 1, "note": 2}
    return sorted(found, key=lambda f: order[f.grade])


def _air(setup):
    mach = setup.air.mach
    if mach < 0.02:
        yield Finding("warn", "air.speed", f"Mach number {mach:.2g} is below 0.02, where this solver has not been checked. "
                      "Raise the speed; below Mach 0.1 the coefficients hardly change.")
    if mach > 3:
        yield Finding("stop", "air.mach", f"Mach number {mach:.3g} is beyond 3, where strong shocks and a hot gas need methods "
                      "that are not here yet. Lower the speed.")
    if 0.97 < mach < 1.05:
        yield Finding("warn", "air.mach", f"Mach number {mach:.3g}: this close to 1 disturbances reach far to the side; "
                      "expect a slow run and put the far field at 100 chords or more.")
    if setup.air.pressure < 1.0:
        yield Finding("warn", "air.pressure", f"At {setup.air.pressure:.2g} Pa the air is so thin that it may not act as a continuum.")
    if abs(setup.sheet.air.incidence) > 15:
        yield Finding("warn", "air.incidence", f"At {setup.sheet.air.incidence:g}° most sections are stalled; a steady answer "
                      "without turbulence will not show it.")


def _physics(setup):
    model, reynolds = setup.sheet.flow.model, setup.reynolds
    if model == "laminar" and reynolds > 5e5:
        yield Finding("warn", "flow.model", f"Laminar at Reynolds number {reynolds:.2g}: a real boundary layer turns turbulent. "
                      "Take the turbulent model.")
    if model == "laminar" and setup.shape.section.trailing_edge == "round" and reynolds > 47:
        yield Finding("warn", "flow.model", f"Round bodies shed vortices above a Reynolds number of about 47 (here {reynolds:.3g}); "
                      "the steady answer is not what a tunnel shows.")
    if model == "inviscid" and setup.shape.section.trailing_edge == "round" and setup.sheet.air.incidence != 0:
        yield Finding("warn", "shape", "A rounded trailing edge fixes no circulation in inviscid flow: the lift is set by numerical "
                      "dissipation. Take the laminar model or a sharp trailing edge.")
    if model == "inviscid" and reynolds < 1e4:
        yield Finding("warn", "flow.model", f"Inviscid at Reynolds number {reynolds:.2g}, where friction dominates. Take laminar.")


def _turbulence(setup):
    if setup.sheet.flow.model != "turbulent":
        return
    unit = wall_unit(setup.reynolds)
    if setup.plan.first_height > 2.5 * unit:
        yield Finding("warn", "grid.first_height", f"The first layer of {setup.plan.first_height:.2g} chords is about y+ {0.5 * setup.plan.first_height / unit:.0f}; "
                      f"the closure is solved to the wall and needs about 1. Take {unit:.1g} or leave the field empty.")
    growth = geometric_ratio(setup.plan.first_height, setup.plan.layers, setup.plan.far_field)
    if growth > 1.27:
        needed = next(n for n in range(24, 404, 4) if geometric_ratio(setup.plan.first_height, n, setup.plan.far_field) <= 1.22 or n == 400)
        yield Finding("warn", "grid.layers", f"The layers grow by {growth:.2f} each; above about 1.25 the boundary layer is poorly resolved. Take {needed} layers.")
    if setup.reynolds < 2e5:
        yield Finding("warn", "flow.model", f"At Reynolds number {setup.reynolds:.2g} much of a real boundary layer is laminar; give a trip, or take laminar.")
    if setup.shape.section.trailing_edge == "blunt":
        yield Finding("note", "flow.model", "Behind a blunt base the steady turbulent wake is an approximation; its base pressure is uncertain.")


def _domain_and_grid(setup):
    far, mach = setup.plan.far_field, setup.air.mach
    if mach < 1 and far < 20:
        yield Finding("warn", "domain.far_field", f"The far field stands at {far:g} chords. Below 20 the lift is off by more than "
                      "about half a per cent even with the vortex correction; 50 is usual.")
    if mach > 1.2 and far > 100:
        yield Finding("note", "domain.far_field", f"In supersonic flow a far field at {far:g} chords only costs cells; 20 will do.")
    cells = setup.cells(setup.levels[-1])
    if cells > 400_000:
        yield Finding("stop", "grid.around", f"{cells} cells on the finest level need about {cells * BYTES_PER_CELL / 1e9:.1f} GB. "
                      "Lower the cell counts to fewer than 400 000 cells.")
    if len(setup.levels) < 3:
        yield Finding("note", "grid.level", f"Climbing only to {setup.levels[-1]} gives "
                      + ("no error bar." if len(setup.levels) == 1 else "an error bar of the cautious kind; three levels give the order."))
    if setup.sheet.flow.model == "laminar" and setup.plan.first_height * setup.reynolds**0.5 > 0.5:
        yield Finding("warn", "grid.first_height", f"The first layer of {setup.plan.first_height:.2g} chords leaves too few cells in the "
                      f"boundary layer; take about {0.08 / setup.reynolds**0.5:.1g} or leave the field empty.")


def _instruments(setup):
    names = [p.name for p in setup.sheet.instruments.probes]
    for name in sorted({n for n in names if names.count(n) > 1}):
        yield Finding("warn", "instruments.probes", f"Two probes are called “{name}”. Give each its own name, or only one is kept.")
    for probe in setup.sheet.instruments.probes:
        if (probe.x**2 + probe.y**2) ** 0.5 > setup.plan.far_field:
            yield Finding("warn", "instruments.probes", f"The probe “{probe.name}” stands outside the far field.")
