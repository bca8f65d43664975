"""Before a body's run: what is missing, unusual or inconsistent, each with its mend; cost in time and
memory."""
import numpy as np

from ....grids.bodies import CURVED_HALVINGS, LADDER, LEVELS, coarsening
from ....grids.embedded import SIDES
from ....grids.wall_layers import TOP
from ....sheet.body_walls import FLOWING
from ....units import large
from .ready import GAP_CUBES, HULL_ACROSS, refers_to_planform
from .run import body_channels
from .surfaces import triangles_of
from ...findings import Estimate, Finding, climb_findings, formula_findings, gravest_first, mach_findings

# Measured with benchmarks/bodies.py on two cores of 2.5 GHz; replaced by this machine's own runs.
DEFAULT_COST = 1.0e-5
BYTES_PER_CELL = 3_200
MOST_CELLS = 3_000_000
STEPS = {"inviscid": (20, 12, 12), "laminar": (40, 40, 40), "turbulent": (45, 35, 50)}
# A step in time, solved with exact products, over a steady one.
TIME_STEP_COST = 7
# Share of a part's surface over thin walls (a tail has some), and points that see a gap, from which on they
# are told.
THIN_SHARE, LEAST_NARROW = 0.12, 8
# Cells over the budget from which on it is said.
OVER = 1.3
# Cells within a turbulent boundary layer.
FEW_IN_LAYER = 5


def estimate_body(setup, cost=DEFAULT_COST):
    """Cells, time, memory and disk of a climb; `cost` in seconds per cell and step."""
    cells = [setup.cells(level) for level in setup.levels]
    model = setup.sheet.flow.model
    seconds = 3.0 + sum(c * s * cost for c, s in zip(cells, STEPS[model])) + 2.5e-5 * sum(cells)
    if model == "turbulent" and setup.sheet.flow.wake == "detached":
        seconds += TIME_STEP_COST * cells[-1] * cost * setup.sheet.run.duration / (
            setup.sheet.run.time_step or 1.5 * setup.surface_size)
    return Estimate(cells[-1], seconds, 250 + max(cells) * BYTES_PER_CELL / 1e6, cells[-1] * 40 / 1e6)


def preflight_body(setup):
    """Findings for a prepared sheet, the gravest first."""
    found = [
        *_air(setup), *_body(setup), *_openings(setup), *_domain(setup), *_grid(setup), *_instruments(setup)
    ]
    return gravest_first(found)


def _air(setup):
    mach, reynolds, model = setup.air.mach, setup.reynolds, setup.sheet.flow.model
    yield from mach_findings(mach)
    size = setup.sheet.grid.shock_size
    if 1 < mach <= 3 and not size:
        yield Finding(
            "note", "grid.shock_size",
            f"Mach number {mach:.2g}: shocks are captured on this grid as it is. Give a size of cells at "
            "shocks, and each level is refined where the one before found one.")
    elif 0.6 < mach <= 1:
        yield Finding(
            "note", "air.mach",
            f"Mach number {mach:.2g}: shocks on the body are captured on this grid as it is. Give a zone "
            "where you expect one.")
    if size and mach <= 1:
        yield Finding(
            "warn", "grid.shock_size",
            f"Cells at shocks are given, but at Mach {mach:.2g} no shock is looked for: they have no effect. "
            "Empty the field.")
    if size and len(setup.levels) < 2:
        yield Finding(
            "warn", "grid.shock_size",
            "Cells at shocks are given, but the run climbs to the coarse level only, which no other goes "
            "before. Climb further, or empty the field.")
    if model == "laminar" and reynolds > 3e5:
        yield Finding(
            "warn", "flow.model",
            f"Laminar at Reynolds number {large(reynolds)}: a real boundary layer turns turbulent. Take the "
            "turbulent model.")
    if model == "turbulent" and reynolds < 1e4:
        yield Finding(
            "warn", "flow.model",
            f"Turbulent at Reynolds number {large(reynolds)}: the flow would be laminar. Take the laminar "
            "model.")
    if model == "inviscid":
        yield Finding(
            "note", "flow.model",
            "Without friction a body that does not lift has no drag but what the grid makes: take the "
            "turbulent model for drag.")


def _stations(shape):
    """Wings whose own numbers give way to their sections."""
    for part in shape.parts:
        stations = shape.stations_of(part.name) if part.kind == "wing" and part.used == "yes" else ()
        if stations:
            yield Finding(
                "note", "shape.stations",
                f"“{part.name}” follows its {len(stations)} sections: span, chord, taper, sweep, dihedral "
                "and twist of the part itself are not used.")


def _body(setup):
    for note in setup.body.condition.notes:
        yield Finding("note", "shape.parts", note)
    rolling = [p.name for p in setup.sheet.shape.parts if p.wheel == "yes" and p.used == "yes"]
    if rolling and setup.sheet.domain.kind != "ground":
        yield Finding(
            "warn", "shape.parts",
            f"“{rolling[0]}” rolls with the ground, but the body is in free air: its wall turns at the "
            "stream's speed all the same. Take a ground in the domain section, or let it not roll.")
    yield from _stations(setup.sheet.shape)
    instruments, shadow = setup.sheet.instruments, setup.body.shadow
    if not instruments.area and refers_to_planform(setup.sheet, setup.body):
        yield Finding(
            "note", "instruments.reference",
            f"Coefficients refer to the planform area of {setup.area:.4g} m² and the mean chord of "
            f"{setup.body.mean_chord:.4g} m (frontal area {shadow.area:.4g} m²).")
    elif not instruments.area and setup.body.wings:
        yield Finding(
            "warn" if setup.body.is_wing else "note", "instruments.reference",
            f"Coefficients refer to the frontal area of {shadow.area:.4g} m²; those of wings are usually on "
            f"the planform ({setup.body.planform.area:.4g} m²): choose it under instruments.")
    if instruments.area:
        ratio = instruments.area / shadow.area if shadow.area else 0
        planform = setup.body.planform.area
        if planform and 0.7 < instruments.area / planform < 1.4:
            # On the planform, as wings have it.
            ratio = 1.0
        if setup.half and 0.45 < ratio < 0.55:
            yield Finding(
                "warn", "instruments.area",
                f"The reference area of {instruments.area:.4g} m² is that of half the body; coefficients are "
                "for the whole body "
                f"(frontal area {shadow.area:.4g} m²). Give the whole area, or empty the field.")
        elif not 0.2 < ratio < 5:
            yield Finding(
                "warn", "instruments.area",
                f"The reference area of {instruments.area:.4g} m² is {ratio:.2g} times the frontal area of "
                f"{shadow.area:.4g} m² (planform {setup.body.planform.area:.4g} m²). Empty the field to take "
                "one of them, if that was not meant.")
    if instruments.reference_length and not 0.05 < instruments.reference_length / setup.body.length < 20:
        yield Finding(
            "warn", "instruments.reference_length",
            f"The reference length of {instruments.reference_length:.4g} m is far from the body's "
            f"{setup.body.length:.4g} m.")


def _openings(setup):
    """Openings that the grid hardly sees, or that ask for more than passes."""
    surface, air, size = setup.body.surface, setup.air, setup.surface_size * setup.scale
    for number, (name, action) in enumerate(setup.openings.items()):
        if name in SIDES or not action.is_open:
            continue
        area = float(surface.areas[triangles_of(name, surface)].sum())
        across, path = np.sqrt(area) / size, f"air.walls.{number}.surface"
        if across < 2:
            yield Finding(
                "stop", path,
                f"“{name}” has {area:.3g} m² and the cells there are {size:.3g} m: hardly one would lie in "
                f"it. Take cells of {np.sqrt(area) / 12:.2g} m (grid.surface_size, or a zone there).")
        elif across < 10:
            yield Finding(
                "warn", path,
                f"“{name}” is {across:.0f} cells across: the grid catches its area, and with it the speed "
                "there, to about "
                f"{min(300 / across**2, 30):.0f} %. Take cells of {np.sqrt(area) / 12:.2g} m for two per "
                "cent (grid.surface_size, or a zone there).")
        if action.action in FLOWING and area > 0:
            share = abs(action.mass_flow) / area / (air.density * air.speed_of_sound)
            if share > 0.57:
                yield Finding(
                    "warn", f"air.walls.{number}.mass_flow",
                    f"{action.mass_flow:g} kg/s through the {area:.3g} m² of “{name}” is more than "
                    f"{share:.2g} of what would pass "
                    "at the speed of sound of the air around: an opening chokes at about 0.58 (for air as "
                    "warm). Look at the unit and the area.")


def _domain(setup):
    domain, sheet = setup.sheet.domain, setup.sheet
    size = np.subtract(setup.plan.high, setup.plan.low)
    shadow = setup.body.shadow.area / setup.scale**2 * (0.5 if setup.half else 1.0)
    blockage = shadow / (size[1] * size[2])
    if blockage > 0.3:
        yield Finding("stop", "domain.beside",
                      f"The body fills {100 * blockage:.0f} % of the domain's section. Widen the domain.")
    elif blockage > (0.05 if domain.walls == "slip" else 0.03):
        yield Finding(
            "warn", "domain.beside",
            f"Blockage {100 * blockage:.1f} %: the body's shadow over the section of the domain. Above some "
            "3 to 5 % the sides change the drag; widen the domain unless it is a tunnel you compare with.")
    if domain.ahead < 1.5 or domain.behind < 3:
        yield Finding(
            "warn", "domain.behind",
            f"The domain ends {domain.ahead:g} body lengths ahead and {domain.behind:g} behind: its ends "
            "hold pressures that the body still disturbs. 3 and 6 are usual.")
    if domain.kind == "ground" and sheet.flow.model == "inviscid" and domain.ground != "slip":
        yield Finding("note", "domain.ground", "Without friction a ground slips whether it moves or not.")
    if domain.kind == "ground" and domain.clearance <= 0:
        yield Finding(
            "note", "domain.clearance",
            "The body stands on the ground: where it touches there is no air, and its lift counts the "
            "ambient pressure there.")
    if domain.kind == "ground" and domain.clearance > 0:
        gap = domain.clearance / setup.scale
        spanned = gap / setup.surface_size
        if not setup.is_layered and setup.plan.across_gap > 0:
            spanned = max(spanned, min(setup.plan.across_gap, spanned * 2**CURVED_HALVINGS))
        if spanned < 2:
            yield Finding(
                "warn", "domain.clearance", f"The clearance of {domain.clearance:.3g} m is spanned by "
                f"{spanned:.1f} cells only: the flow under the body is hardly there. Take smaller cells, or "
                "more across the gap (grid.across_gap).")


def _grid(setup):
    if setup.sheet.grid.surface_size is None and setup.sheet.grid.budget < 40_000:
        yield Finding("warn", "grid.budget",
                      f"A budget of {setup.sheet.grid.budget} cells is only good for a first look.")
    cells, budget = setup.cells(setup.levels[-1]), setup.sheet.grid.budget
    if setup.sheet.grid.surface_size is None and setup.levels[-1] == LEVELS[-1] and cells > OVER * budget:
        yield Finding(
            "warn", "grid.budget",
            f"About {large(cells)} cells on the finest level, where {large(budget)} are allowed: the layers "
            "at the wall take more, however large the cubes are. Raise the budget, or leave the layers out.")
    if cells > MOST_CELLS:
        yield Finding(
            "stop", "grid.surface_size",
            f"About {cells:,} cells on the {setup.levels[-1]} level: more than {MOST_CELLS:,}. Take larger "
            "cells, or give a budget instead.".replace(",", " "))
    yield from climb_findings(setup.levels)
    yield from _layers(setup)
    if not setup.is_layered or setup.layers_on_trial:
        yield from _thin_and_narrow(setup)


def _layers(setup):
    """What the layers at the wall will be like, and where they are still for trials."""
    sheet, scale = setup.sheet, setup.scale
    if sheet.grid.layers == "grown" and not setup.is_layered:
        yield Finding("note", "grid.layers",
                      "Air passes a surface of the body: the grid has no wall layers, only cubes.")
    if setup.lacks_cells_for_layers:
        yield Finding(
            "warn", "grid.budget",
            f"Fewer than {HULL_ACROSS} cells of the fine level lie across the body: it gets no wall layers, "
            "and cubes alone can miss half of a hull's lift. Give more cells, or smaller ones.")
    if setup.lacks_room_for_layers:
        most = sheet.domain.clearance / (GAP_CUBES * coarsening("coarse"))
        yield Finding(
            "warn", "grid.budget",
            "Too few cells of the coarse level stand between the wing and the ground: it gets no wall "
            "layers, and cubes alone can miss half of its lift. Give more cells, or cells of "
            f"{most:.2g} m or less on the body.")
    if not setup.is_layered:
        return
    size = setup.surface_size
    heights = setup.plan.layers.heights(size, coarsening(setup.levels[-1])) * scale
    turbulent = sheet.flow.model == "turbulent"
    words = f", the first at y+ {sheet.grid.y_plus:g}" if turbulent and not sheet.grid.first_height else ""
    yield Finding(
        "note", "grid.layers",
        f"{len(heights)} cells of {heights[0]:.2g} to {heights[-1]:.2g} m stand on the wall{words}; together "
        f"they are {heights.sum():.2g} m high.")
    if turbulent:
        along = setup.body.mean_chord if setup.body.wings else setup.body.length
        thickness = 0.37 * setup.air.reynolds(along)**-0.2 * along
        within = int(np.searchsorted(np.cumsum(heights), thickness))
        if within < FEW_IN_LAYER:
            yield Finding(
                "warn", "grid.y_plus",
                f"The boundary layer will be about {thickness:.2g} m thick at the tail, and {within} cells "
                f"stand within it: {FEW_IN_LAYER} and more carry it. Take smaller first cells.")
    if setup.plan.layers.first and setup.plan.layers.first > TOP * size:
        yield Finding(
            "warn", "grid.first_height",
            f"First cells of {setup.plan.layers.first * scale:.2g} m are larger than the cubes leave room "
            f"for ({TOP * size * scale:.2g} m, which is taken): one layer is left. Take smaller ones, or no "
            "layers.")
    if setup.layers_on_trial:
        yield Finding(
            "warn", "grid.layers",
            "Wall layers are for trials but on a lone wing, or on one slender body without edges (turbulent, "
            "in free air), up to Mach 0.95: at sharp edges and behind bluff bodies they were no better than "
            "cubes, and flows may not settle. "
            "Where the flow cannot be kept alive the run goes on with cubes and says so.")


def _thin_and_narrow(setup):
    """Walls thinner than a cell of the finest level, and gaps narrower than one of the coarsest."""
    surface, size = setup.body.surface, setup.surface_size * setup.scale
    coarsest = size * LADDER**(len(setup.levels) - 1)
    found = setup.clearances(2.0 * coarsest)
    is_open, thin_walls = surface.open_parts(), []
    for k, name in enumerate(surface.parts):
        corners = surface.corners[surface.part == k]
        thin = float(np.min(np.ptp(corners.reshape(-1, 3), axis=0)))
        share, thickness = found.share_of_part(k, size)
        if 0 < thin < 1.5 * size:
            yield Finding(
                "warn", "grid.surface_size", f"“{name}” is {thin:.3g} m thin, "
                f"{'less than one cell' if thin < size else 'little more than one cell'} of {size:.3g} m on "
                f"the {setup.levels[-1]} level: "
                "it will be drawn thicker or lost. Take smaller cells, or a zone round it.")
        elif share > THIN_SHARE and not is_open[k]:
            thin_walls.append((thickness, share, name))
    if thin_walls:
        thickness, share, _ = min(thin_walls)
        names = ", ".join(f"“{name}”" for _, _, name in thin_walls[:4]) + (f" and {len(thin_walls) - 4} more"
                                                                           if len(thin_walls) > 4 else "")
        yield Finding(
            "warn", "grid.surface_size",
            f"Walls thinner than a cell: {names}. {100 * share:.0f} % of the surface stands over walls of "
            f"about {thickness:.2g} m, and cells on it have {size:.2g} m "
            f"on the {setup.levels[-1]} level. Sheets and fins are drawn thicker or lost, and what lies "
            f"behind a shell of them is kept solid. Take cells of {thickness:.1g} m or less to have them as "
            "they are.")
    narrow = found.gap < coarsest
    if narrow.sum() >= LEAST_NARROW:
        gap, at = float(np.percentile(found.gap[narrow],
                                      10)), found.points[narrow][np.argmin(found.gap[narrow])]
        yield Finding(
            "warn", "grid.surface_size",
            f"There are gaps of {gap:.2g} m and more, narrower than a cell of the {setup.levels[0]} level "
            f"({coarsest:.2g} m), the narrowest near x = {at[0]:.3g}, y = {at[1]:.3g}, z = {at[2]:.3g} m: "
            "they are closed or choked there, and the levels do not compute the same body. Cells of "
            f"{gap / LADDER**(len(LEVELS) - 1):.1g} m on the body (fine level) would open them on every "
            "level.")


def _instruments(setup):
    yield from formula_findings(setup.sheet.instruments.formulas, body_channels(setup))
    low, high = np.array(setup.plan.low) * setup.scale, np.array(setup.plan.high) * setup.scale
    seen = set()
    for kind, things in (("probes", setup.sheet.instruments.probes), ("meters",
                                                                      setup.sheet.instruments.meters)):
        for thing in things:
            if thing.name in seen:
                yield Finding(
                    "warn", f"instruments.{kind}",
                    f"Two instruments are called “{thing.name}”. Give each its own name, or only one is kept."
                )
            seen.add(thing.name)
            at = np.array([thing.x, thing.y, thing.z])
            if (at < low).any() or (at > high).any():
                yield Finding("warn", f"instruments.{kind}",
                              f"“{thing.name}” stands outside the domain and will read nothing.")
    i = setup.sheet.instruments
    if (i.front_axle is None) != (i.rear_axle is None) or (i.front_axle is not None
                                                           and i.front_axle == i.rear_axle):
        yield Finding("warn", "instruments.front_axle",
                      "Lift is shared between the axles only when both are given and differ.")
