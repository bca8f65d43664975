"""From a run sheet to the things that are run: shape, air, grid plan, boundaries, free stream."""
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from .... import gas
from ....flow.boundaries.contract import Boundary
from ....flow.stream import FreeStream
from ....grids.hybrid import HybridGrid, HybridGridPlan
from ....grids.mesh import MeshError
from ....grids.revolved import generate_revolved_levels
from ....grids.section import LEVELS, SectionGridPlan, generate_levels, tail_size, topology_of
from ....grids.sizing import Zone
from ....instruments.balance import channel_name
from ....instruments.casing_meter import CasingMeter
from ....instruments.flow_meter import FlowMeter
from ....shapes.build import BuiltSection, build
from ....shapes.coordinates import ShapeError
from ...air import air_state, derived_air
from .casings import casing_of, check_casing, check_gap, openings
from .driven import Steering, driven_walls, fastest_driven, moving_with, speed_channels, step_of
from .motion import Moving, channels_of, check_circles, moving_of


def needs_triangles(sheet):
    """Whether only the hybrid grid can do this arrangement."""
    shape = sheet.shape
    several = shape.elements or shape.blades > 1 or shape.surfaces
    circles = any(row.in_circle for row in sheet.air.motions)
    return bool(several or circles) or shape.attitude == "inverted" or sheet.domain.kind not in (
        "far field", "round")


def uses_triangles(sheet):
    """Whether the sheet's grid is layers and triangles rather than lines."""
    return sheet.grid.kind == "hybrid" or needs_triangles(sheet)


def section_plan(sheet, reynolds):
    """Lines round one section, with the program's own choices filled in."""
    grid = sheet.grid
    first, nose = grid.first_height, grid.nose_size
    model = sheet.flow.model
    layers = grid.layers or (88 if model == "turbulent" else 64)
    if first is None and model == "turbulent":
        first = wall_unit(reynolds)
    elif first is None:
        first = 2e-3 if model == "inviscid" else float(np.clip(0.08 / np.sqrt(reynolds), 2e-5, 4e-3))
        first *= 64 / layers
    if nose is None and model == "turbulent":
        nose = 8e-4 * 208 / grid.around
    return SectionGridPlan(grid.around, layers, grid.wake, first, sheet.domain.far_field, nose,
                           grid.tail_size)


def hybrid_plan(sheet, reynolds, outlines, circles=()):
    """Wall layers and triangles, with the program's own choices filled in, and circles that turn in them."""
    grid, domain, model = sheet.grid, sheet.domain, sheet.flow.model
    first, layers = grid.first_height, grid.layers
    if first is None:
        first = {
            "inviscid": 2e-3, "laminar": float(np.clip(0.06 / np.sqrt(reynolds), 2e-5, 4e-3)),
            "turbulent": wall_unit(reynolds)
        }[model]
    layers = layers or {"inviscid": 12, "laminar": 20, "turbulent": 40}[model]
    ground = channel = casing = None
    if domain.kind == "casing":
        casing = casing_of(domain)
    elif domain.kind == "ground":
        ground = min(o.polygon()[:, 1].min() for o in outlines) - domain.clearance
    elif domain.kind == "channel":
        channel = (-0.5 * domain.height, 0.5 * domain.height, -domain.ahead, domain.behind)
    sticky = model != "inviscid" and (domain.kind == "ground" and domain.ground != "slip" or domain.kind
                                      in ("channel", "casing") and domain.side_walls == "no-slip")
    angle = 0.0 if turns_the_shape(sheet) else stream_angle(sheet)
    zones = tuple(
        Zone("strip" if z.kind == "wake" else z.kind, z.size, z.x, z.y, z.width, z.height, z.length, angle)
        for z in grid.zones)
    size = 2.6 * 208 / grid.around / 160
    return HybridGridPlan(wall_size=size, least_size=grid.least_size, corner_size=grid.tail_size
                          or 1.2e-3 * 208 / grid.around, turn_per_cell=0.10 * 208 / grid.around,
                          gap_share=1.0 / grid.gap_cells, first_height=first, layers=layers,
                          layer_growth=grid.layer_growth, growth=grid.growth,
                          far_field=0.5 * casing.reach if casing else domain.far_field, domain=domain.kind,
                          ground=ground, channel=channel, casing=casing, sticky_sides=sticky,
                          wake_size=grid.wake_size, wake_length=2.0, incidence=angle, zones=zones,
                          turning=tuple(circles))


def turns_the_shape(sheet):
    """Whether incidence turns the shape (beside ground or walls the stream cannot turn) and not the
    stream."""
    return sheet.domain.kind != "far field"


def stream_angle(sheet):
    """Angle of the stream in radians, where it is the stream that turns."""
    return np.radians(sheet.air.incidence) * (-1 if sheet.shape.attitude == "inverted" else 1)


def wall_unit(reynolds, station=0.1):
    """Height in chords of one wall unit (y+ = 1) in a turbulent boundary layer at a station.

    From the skin friction 0.058 Re_x^-0.2 of a flat plate (Schlichting: Boundary-Layer Theory, 1979).
    """
    friction = 0.058 * (reynolds * station)**-0.2
    return float(1.0 / (reynolds * np.sqrt(0.5 * friction)))


@dataclass(frozen=True)
class Setup:
    """A sheet made ready.

    Attributes
    ----------
    sheet : Sheet
    shape : BuiltSection
    air : AirState
    plan : SectionGridPlan or HybridGridPlan
    stream : FreeStream
    levels : tuple of str
    outlines : list of Outline
        As they stand in the domain.
    boundaries : dict of str to Boundary
        What is not a plain wall or the far field.
    moving : Moving or None
        What moves.
    driven : tuple of DrivenWall
        Walls whose speed changes in time.
    """

    sheet: object
    shape: BuiltSection
    air: gas.AirState
    plan: object
    stream: FreeStream
    levels: tuple
    outlines: list
    boundaries: dict
    moving: Moving | None = None
    driven: tuple = ()

    @property
    def driven_step(self):
        """Chords of a time step that follows driven walls well, or None without any."""
        return step_of(self.sheet, self.air)

    def derived(self):
        """What follows from the air section, in SI."""
        return derived_air(self)

    def measures(self):
        """The main element in numbers."""
        return self.shape.section.measure(self.chord)

    @property
    def chord(self):
        return self.shape.chord

    @property
    def reynolds(self):
        return self.air.reynolds(self.chord)

    @property
    def pace(self):
        """Mach number of the fastest wall against the air, about."""
        return max(self.stream.mach * _fastest(self.moving, self.outlines),
                   fastest_driven(self.sheet) / self.air.speed_of_sound)

    @property
    def wall_reynolds(self):
        """Reynolds number that wall layers are planned for: of the fastest wall."""
        return self.reynolds * _fastest(self.moving, self.outlines)

    @property
    def is_hybrid(self):
        return isinstance(self.plan, HybridGridPlan)

    @property
    def is_round(self):
        """Whether the section is turned about its chord line."""
        return self.sheet.domain.kind == "round"

    @property
    def base_height(self):
        """Thickness in chords of the cells on a round body's cut-off base, the first of its wake; 0 where
        there is none."""
        section = self.shape.section
        return tail_size(
            section,
            self.plan) if self.is_round and not self.is_hybrid and section.trailing_edge == "blunt" else 0.0

    @property
    def radius(self):
        """Largest radius of a round body in chords."""
        return 0.5 * self.shape.section.measure().thickness

    @property
    def weight_share(self):
        """What a force on the computed half counts in a coefficient: 2 for half of a section, on the frontal
        area for a round body."""
        return 2.0 / self.radius**2 if self.is_round else 2.0 if self.sheet.domain.kind == "half" else 1.0

    @property
    def reference_area(self):
        """Square metres that coefficients refer to: the frontal area of a round body, else chord times
        span."""
        return np.pi * (self.radius *
                        self.chord)**2 if self.is_round else self.chord * self.sheet.instruments.span

    @property
    def slots(self):
        """Names of the surfaces that blow or suck."""
        return [name for name, b in self.boundaries.items() if b.kind == "blown"]

    @property
    def stretches(self):
        """Names of the stretches that the user named, slots among them: their forces are channels."""
        return tuple(s.name for s in self.sheet.shape.surfaces)

    @property
    def meters(self):
        """The lines through which the flow is measured."""
        return [FlowMeter(m.name, (m.x1, m.y1), (m.x2, m.y2)) for m in self.sheet.instruments.meters]

    @property
    def in_casing(self):
        return self.sheet.domain.kind == "casing"

    @property
    def readers(self):
        """The meters, and that of a casing's openings."""
        return [*self.meters, *([CasingMeter()] if self.in_casing else [])]

    @property
    def elements(self):
        """{element: names of its surfaces}, for arrangements of several."""
        if self.shape.is_single:
            return {}
        return {o.name: sorted({t.name for t in o.stretches}) for o in self.outlines}

    def cells(self, level):
        """Cell count of a level; of hybrid grids an estimate within some per cent."""
        if self.is_hybrid:
            return _hybrid_grid(self).count(level)
        cells = self.plan.cells(level, topology_of(self.shape.section))
        return cells // 2 if self.is_round else cells

    def generate(self, levels=None):
        """{level: Mesh}; raises `MeshError`."""
        levels = levels or self.levels
        if self.is_hybrid:
            grid = _hybrid_grid(self)
            return {level: grid.level(level) for level in levels}
        return (generate_revolved_levels if self.is_round else generate_levels)(self.shape.section, self.plan,
                                                                                levels)


def _fastest(moving, outlines):
    return moving.fastest(np.concatenate([o.polygon(60) for o in outlines])) if moving else 1.0


_grids, _folds = {}, {}
# Sections thinner than this may be too sharp at a rounded end for lines.
THIN = 0.06


def _hybrid_grid(setup):
    """The lines of a hybrid grid, kept while the same ones are asked for again."""
    sheet = setup.sheet
    key = sheet.shape.model_dump_json(), setup.plan, sheet.air.incidence
    if key not in _grids:
        while len(_grids) >= 6:
            _grids.pop(next(iter(_grids)))
        _grids[key] = HybridGrid(setup.outlines, setup.plan)
    return _grids[key]


def boundaries_of(sheet, outlines, air):
    """The sheet's wall actions and domain sides as `Boundary`s under surface names; raises ShapeError."""
    out, viscous = {}, sheet.flow.model != "inviscid"
    domain, mach, sound = sheet.domain, air.mach, air.speed_of_sound
    if domain.kind == "ground":
        kind = "no-slip" if viscous and domain.ground != "slip" else "slip"
        out["ground"] = Boundary(kind, velocity=(mach, 0.0) if domain.ground == "moving" else (0.0, 0.0))
    elif domain.kind == "channel":
        side = Boundary("no-slip" if viscous and domain.side_walls == "no-slip" else "slip")
        out.update({
            "lower wall": side, "upper wall": side, "inlet": Boundary("inlet"), "outlet": Boundary("outlet")
        })
    elif domain.kind == "casing":
        out.update(openings(domain, air, viscous))
    surfaces = _lengths_of(outlines)
    for action in sheet.air.walls:
        names = _surfaces_meant(action.surface, surfaces, outlines)
        for name in names:
            out[name] = _boundary(action,
                                  surfaces[name] if len(names) == 1 else sum(surfaces[n] for n in names), air,
                                  viscous, sound)
    return out


def _lengths_of(outlines):
    """{surface: its length in chords}."""
    surfaces = {t.name: 0.0 for o in outlines for t in o.stretches}
    for o in outlines:
        for t in o.stretches:
            surfaces[t.name] += t.end - t.start
    return surfaces


def _surfaces_meant(name, surfaces, outlines):
    if name == "body":
        return list(surfaces)
    if name in surfaces:
        return [name]
    whole = [t.name for o in outlines if o.name and o.name == name for t in o.stretches]
    if not whole:
        raise ShapeError(
            f"air.walls: there is no surface “{name}”. There are: {', '.join(['body', *surfaces])}. "
            "Name a stretch under Shape, or take one of these.")
    return list(dict.fromkeys(whole))


def _boundary(action, length, air, viscous, sound):
    """`length` of the stretch in chords."""
    warmth = (action.temperature or air.temperature) / air.temperature
    if (action.action == "blow" and action.speed == 0 and not action.is_driven
            or action.action == "blow mass" and action.mass_flow == 0):
        return Boundary("no-slip" if viscous else "slip")
    if action.action == "blow":
        return Boundary("blown", blown=action.speed / sound, by_speed=True, temperature=warmth)
    if action.action == "blow mass":
        per_area = action.mass_flow / (length * air.chord)
        return Boundary("blown", blown=per_area / (air.density * sound), by_speed=False, temperature=warmth)
    if action.action == "slip" or not viscous:
        return Boundary("slip")
    return Boundary("no-slip", tangential=action.speed / sound)


def prepare_section(sheet):
    """Build everything a section's run needs but the grid: a `Setup`; raises `ShapeError` or ValueError."""
    shape = build(sheet.shape)
    air = air_state(sheet.air, shape.chord)
    reynolds = air.reynolds(shape.chord)
    turning = turns_the_shape(sheet)
    outlines = shape.outlines(np.radians(sheet.air.incidence) if turning else 0.0)
    _check_domain(sheet, shape, outlines)
    if sheet.grid.kind == "lines" and needs_triangles(sheet):
        raise ValueError(
            "grid.kind = lines: lines go round one upright section in free air, without named surfaces. Take "
            "triangles, or let the program choose")
    moving = moving_with(moving_of(sheet, air), sheet, air)
    fast = reynolds * _fastest(moving, outlines)
    plan = None if uses_triangles(sheet) else section_plan(sheet, fast)
    if plan is None or sheet.grid.kind == "automatic" and _lines_fold(shape.section, plan, sheet.domain.kind):
        plan = hybrid_plan(sheet, fast, outlines, [c.circle for c in moving.circles] if moving else ())
        if moving:
            check_circles(moving, outlines, plan)
        _check_gaps(plan, outlines)
    viscous = sheet.flow.model != "inviscid"
    sutherland = gas.SUTHERLAND_CONSTANT / air.temperature if air.sutherland else 0.0
    stream = FreeStream(air.mach, 0.0 if turning else stream_angle(sheet), air.gamma,
                        reynolds if viscous else None, sutherland, air.prandtl,
                        0.01 * sheet.air.turbulence_intensity, sheet.air.viscosity_ratio)
    return Setup(sheet, shape, air, plan, stream, LEVELS[:LEVELS.index(sheet.grid.level) + 1], outlines,
                 boundaries_of(sheet, outlines, air), moving,
                 driven_walls(sheet, air,
                              lambda name: _surfaces_meant(name, _lengths_of(outlines), outlines)))


def _lines_fold(section, plan, domain):
    """Whether lines round a thin section with rounded ends fold over: found by making the coarse ones, once
    for each."""
    if domain != "far field" or section.measure().thickness > THIN:
        return False
    key = section.loop.tobytes(), plan
    if key not in _folds:
        while len(_folds) >= 40:
            _folds.pop(next(iter(_folds)))
        try:
            generate_levels(section, plan, LEVELS[:1])
            _folds[key] = False
        except MeshError:
            _folds[key] = True
    return _folds[key]


def _check_domain(sheet, shape, outlines):
    domain = sheet.domain
    if domain.kind == "round":
        _check_round(sheet, shape)
    if domain.kind == "half":
        if not shape.is_single or sheet.air.incidence != 0:
            raise ValueError("domain.kind = half: the symmetric half needs one body at zero incidence (here "
                             f"{len(outlines)} at {sheet.air.incidence:g}°). Take the far field all round")
        upper, lower = shape.section.sides(np.linspace(0.02, 0.98, 25))
        if np.abs(upper + lower).max() > 1e-4:
            raise ValueError(
                "domain.kind = half: this section is not symmetric about its chord line. Take the far field "
                "all round, or no camber")
        if sheet.shape.kind != "ellipse" and shape.section.trailing_edge == "blunt":
            raise ValueError(
                "domain.kind = half: a blunt trailing edge cannot be halved here. Close it, or take the far "
                "field all round")
    if domain.kind == "casing":
        check_casing(casing_of(domain), outlines)
    if domain.kind == "channel":
        points = np.concatenate([o.polygon() for o in outlines])
        if points[:, 1].max() > 0.49 * domain.height or points[:, 1].min(
        ) < -0.49 * domain.height or points[:, 0].max() > domain.behind - 0.2:
            raise ValueError(
                f"domain.height = {domain.height:g}: the body does not fit into the channel (it reaches from "
                f"y = {points[:, 1].min():.3g} to "
                f"{points[:, 1].max():.3g} and to x = {points[:, 0].max():.3g} chords). Widen or lengthen "
                "the channel")
        if 0.5 * np.ptp(points[:, 1]) > 0.45 * domain.height:
            raise ValueError("domain.height: the body fills the channel")


def _check_round(sheet, shape):
    if not shape.is_single or sheet.air.incidence != 0 or sheet.shape.surfaces:
        raise ValueError(
            "domain.kind = round: a round body is one section at zero incidence without named surfaces "
            f"(here {len(shape.placed)} at {sheet.air.incidence:g}°). "
            "Take it as a body in space for incidence")
    upper, lower = shape.section.sides(np.linspace(0.02, 0.98, 25))
    if np.abs(upper + lower).max() > 1e-4:
        raise ValueError(
            "domain.kind = round: this section is not symmetric about its chord line, about which it would "
            "be turned. Take no camber and no flap")


def _check_gaps(plan, outlines):
    """Raise where two walls are closer than the smallest cell can resolve."""

    clouds = [o.polygon(1500) for o in outlines]
    for i in range(len(outlines)):
        for j in range(i):
            gap = float(cKDTree(clouds[j]).query(clouds[i])[0].min())
            if gap * plan.gap_share < 0.6 * plan.least_size:
                raise ValueError(
                    f"grid.least_size = {plan.least_size:g}: the gap between “{outlines[j].name or 'main'}” "
                    f"and “{outlines[i].name}” is {gap:.2g} chords, "
                    f"which leaves fewer than {1 / plan.gap_share:.0f} of the smallest cells across it. "
                    f"Lower the smallest wall cell to {gap * plan.gap_share:.1g}, or widen the gap")
    for circle in plan.turning:
        for cloud, outline in zip(clouds, outlines):
            gap = float(circle.gap(cloud).min())
            if gap < 4 * plan.least_size:
                raise ValueError(
                    f"air.motions: between “{outline.name or 'the section'}” and the circle of radius "
                    f"{circle.radius:g} there are {gap:.2g} chords, less than four of the smallest cells. "
                    f"Lay the circle (edge) halfway between what turns and what stands still, or lower "
                    "grid.least_size")
    if plan.casing:
        check_gap(plan, clouds)
    if plan.ground is not None and min(c[:, 1].min() for c in clouds) - plan.ground < 4 * plan.least_size:
        raise ValueError(
            "domain.clearance: the gap to the ground is thinner than four of the smallest cells. Raise it, "
            "or lower grid.least_size")


def steering_of(setup):
    """The `Steering` of a run's driven walls; raises FormulaError."""
    formulas = [formula.name for formula in setup.sheet.instruments.formulas]
    return Steering(setup.driven, [*section_channels(setup), *formulas], setup.air)


def section_channels(setup):
    """Names of the channels that a run of this sheet records by itself."""
    names = [
        "step", "residual", "courant", "lift", "drag", "moment", "drag_pressure", "drag_friction",
        "lift_pressure"
    ]
    if setup.slots:
        names += ["lift_without_slots", "drag_without_slots", "slot_mass_flow"]
    for name in (*setup.elements, *setup.stretches):
        names += [channel_name(f"lift_{name}"), channel_name(f"drag_{name}")]
    for probe in setup.sheet.instruments.probes:
        names += [channel_name(f"cp_{probe.name}")]
    for meter in setup.readers:
        names += meter.channels
    if setup.in_casing and setup.moving and setup.moving.wheels:
        names.append("fan_efficiency")
    names += speed_channels(setup.sheet)
    return names + channels_of(setup.sheet.air.motions)
