"""From a body's run sheet to the things that are run: surface, air, grid plan, boundaries, free stream."""
from dataclasses import dataclass, replace

import numpy as np

from .... import gas
from ....flow.stream import FreeStream
from ....grids.bodies import (
    COUNTED, LEVELS, BodyGridPlan, BodyGrids, SolidZone, coarsening, size_for_budget
)
from ....grids.wall_layers import LayerPlan
from ....grids.wing_skin import wing_skin
from ....shapes.assembly import Assembly, assemble, wing_form
from ....shapes.clearances import measure_clearances
from ....shapes.surface import SurfaceError
from ....theory import plate_friction
from ...air import air_state, derived_air
from .surfaces import open_surfaces, surface_boundaries


@dataclass(frozen=True)
class BodySetup:
    """A sheet made ready.

    Attributes
    ----------
    sheet : BodySheet
    body : Assembly
    air : AirState
    stream : FreeStream
        Scaled with the body's scale.
    scale : float
        Metres per unit of the solver: the longest side of the body's box.
    plan : BodyGridPlan
        In the solver's unit.
    boundaries : dict of str to Boundary
    direction : ndarray, shape (3,)
        Of the stream.
    area, length : float
        References, in square metres and metres, of the whole body.
    levels : tuple of str
    """

    sheet: object
    body: Assembly
    air: gas.AirState
    stream: FreeStream
    scale: float
    plan: BodyGridPlan
    boundaries: dict
    direction: np.ndarray
    area: float
    length: float
    levels: tuple

    @property
    def half(self):
        return self.sheet.domain.half == "yes"

    @property
    def reynolds(self):
        return self.air.reynolds(self.length)

    @property
    def chord(self):
        """Reference length, as for sections."""
        return self.length

    @property
    def surface_size(self):
        """Cells on the body on the finest level that is run, in the solver's unit."""
        return self.plan.size * coarsening(self.levels[-1])

    @property
    def regions(self):
        """Surfaces that the user named and that are not parts as well: their forces are channels."""
        return tuple(
            dict.fromkeys(r.name for r in self.sheet.shape.regions
                          if r.name in self.body.surface.patches and r.name not in self.body.surface.parts))

    @property
    def openings(self):
        """Surfaces through which air or heat passes: their flows are channels."""
        return open_surfaces(self.sheet, self.body.surface)

    @property
    def axles(self):
        """x of both axles and z of the ground in the solver's unit, or None."""
        i, domain = self.sheet.instruments, self.sheet.domain
        if i.front_axle is None or i.rear_axle is None or i.front_axle == i.rear_axle:
            return None
        ground = self.body.surface.box[0, 2] - (domain.clearance if domain.kind == "ground" else 0.0)
        return i.front_axle / self.scale, i.rear_axle / self.scale, ground / self.scale

    @property
    def is_layered(self):
        """Whether layers grow from the wall."""
        return self.plan.layers is not None

    @property
    def splits_drag(self):
        """Whether the drag can be told apart behind the body: of a wing in free air, below Mach 1, that
        neither takes in nor gives off air or heat."""
        return (self.body.is_wing and self.sheet.domain.kind == "free" and self.stream.mach < 1
                and not self.sheet.air.walls)

    @property
    def layers_on_trial(self):
        """Whether layers grow on a body for which they were not shown to be better than cubes."""
        return self.is_layered and not suits_layers(self.sheet, self.body.surface, self.stream.mach)

    @property
    def lacks_room_for_layers(self):
        """Whether layers would have grown by themselves on a wing over a ground with smaller cells."""
        return (not self.is_layered and self.sheet.grid.layers == "automatic"
                and own_form(self.sheet) is not None and self.sheet.domain.kind == "ground"
                and self.sheet.flow.model != "laminar"
                and has_layers(self.sheet, self.body.surface, self.stream.mach))

    @property
    def lacks_cells_for_layers(self):
        """Whether layers would have grown by themselves on a hull with smaller cells."""
        return (not self.is_layered and self.sheet.grid.layers == "automatic" and own_form(self.sheet) is None
                and has_layers(self.sheet, self.body.surface, self.stream.mach))

    def without_layers(self):
        """The same with cubes cut by the wall."""
        return replace(self, plan=replace(self.plan, layers=None))

    def derived(self):
        """What follows from the air section, in SI."""
        return derived_air(self)

    def measures(self):
        """The body in numbers, SI."""
        surface, shadow = self.body.surface, self.body.shadow
        return {
            "length": float(surface.size[0]), "width": float(surface.size[1]),
            "height": float(surface.size[2]), "triangles": len(surface.triangles),
            "parts": list(surface.parts), "surfaces": list(surface.patches), "frontal_area": shadow.area,
            "frontal_resolution": shadow.resolution, "frontal_uncertainty": shadow.uncertainty,
            "wetted_area": float(surface.areas.sum()), "volume": float(np.abs(surface.volume).sum()),
            "area": self.area, "planform_area": self.body.planform.area, "mean_chord": self.body.mean_chord,
            "refers_to": "planform" if refers_to_planform(self.sheet, self.body) else "frontal",
            "reference_length": self.length, "notes": list(self.body.condition.notes)
        }

    def clearances(self, reach):
        """Walls and gaps of the body up to a reach in metres, kept while the same ones are asked for
        again."""
        key = round(reach, 12), id(self.body)
        if key not in _clearances:
            while len(_clearances) >= 6:
                _clearances.pop(next(iter(_clearances)))
            _clearances[key] = self.body, measure_clearances(self.body.surface, reach)
        return _clearances[key][1]

    def grids(self):
        """The grid's levels, kept while the same ones are asked for again."""
        key = self.plan, id(self.body)
        if key not in _grids:
            while len(_grids) >= 3:
                _grids.pop(next(iter(_grids)))
            surface = self.body.surface.moved(np.eye(3) / self.scale)
            _grids[key] = (self.body, BodyGrids(surface, self.plan, skin_maker(self.sheet, self.scale)))
        return _grids[key][1]

    def generate(self, levels=None):
        """{level: SpatialMesh}; raises MeshError."""
        grids = self.grids()
        return {level: grids.mesh(level) for level in levels or self.levels}

    def generate_at_shocks(self, level, shocks):
        """A level's mesh with small cells where shocks were found (the solver's unit); raises MeshError."""
        return self.grids().mesh_at_shocks(level, shocks)

    def cells(self, level):
        """Cells of a level, leaves of its octree inside the body included: see `BodyGrids.expected`."""
        # Some six layers of the smallest cells lie on the body: where they alone are too many, nobody need
        # count further.
        size = self.plan.size * self.scale
        on_body = min(6 * self.body.surface.areas.sum() / size**2, 1e15)
        if on_body > MOST_COUNTED * COUNTED[0]**2:
            return int(on_body / coarsening(level)**2)
        return self.grids().expected(level)


# Height of the refined wake of a wing that stands alone at most, in mean chords.
WING_WAKE = 0.3
# Mach number up to which layers grow by themselves.
MOST_MACH = 0.95
# Length over width and height from which a body's stream stays with it, so that layers pay.
SLENDER = 4.0
# Cells of the finest level across such a body: with fewer the coarse level's columns are as high as it is
# thick, and no step settles.
HULL_ACROSS = 12
# Fewer layers than this on a laminar wing are none the better for a surface grid of their own.
LEAST_LAYERS = 3
# Cubes of the coarse level that the gap between a wing and the ground must hold: layers are two and a half
# high together and two thirds of the gap at most.
GAP_CUBES = 3.25
# First cell of a laminar layer, over its length's share of 1/sqrt(Re).
LAMINAR_FIRST = 0.3
# First cell without friction, over the cubes outside, where the surface grid is fine at nose and tail, and
# where it is as coarse as they are.
FINE_FREE, COARSE_FREE = 0.06, 0.3
# Leaves up to which an octree is made just to count them.
MOST_COUNTED = 1_500_000
# Cells of a refined zone where the size on the body is given and not a budget.
MOST_ZONED = 3_000_000

_grids = {}
_sizes = {}
_clearances = {}


def stream_direction(air):
    """Unit vector of the stream: incidence from below, yaw from the right."""
    a, b = np.radians(air.incidence), np.radians(air.yaw)
    return np.array([np.cos(a) * np.cos(b), -np.cos(a) * np.sin(b), np.sin(a)])


def refers_to_planform(sheet, body):
    """Whether coefficients are on planform area and mean chord, not on frontal area and length."""
    chosen = sheet.instruments.reference
    return chosen == "planform" or chosen == "automatic" and body.is_wing


def _reference_length(sheet, body):
    return sheet.instruments.reference_length or (body.mean_chord
                                                  if refers_to_planform(sheet, body) else body.length)


def _reference_area(sheet, body):
    return sheet.instruments.area or (body.planform if refers_to_planform(sheet, body) else body.shadow).area


def body_air(sheet, body):
    """The air of a body's sheet; needs no grid, and so costs nothing."""
    return air_state(sheet.air, _reference_length(sheet, body))


def prepare_body(sheet):
    """Build everything a run needs but the grid.

    Raises
    ------
    SurfaceError, ShapeError, ValueError
    """
    body = assemble(sheet.shape)
    surface = body.surface
    scale = float(surface.size.max())
    length = _reference_length(sheet, body)
    if scale <= 0 or length <= 0:
        raise SurfaceError("shape.parts: the body has no size.")
    air = body_air(sheet, body)
    _check(sheet, surface)
    area = _reference_area(sheet, body)
    if area <= 0:
        raise SurfaceError(
            "shape.parts: the body has no area to refer coefficients to. Give instruments.area.")
    viscous = sheet.flow.model != "inviscid"
    sutherland = gas.SUTHERLAND_CONSTANT / air.temperature if air.sutherland else 0.0
    stream = FreeStream(air.mach, 0.0, air.gamma,
                        air.reynolds(scale) if viscous else None, sutherland, air.prandtl,
                        0.01 * sheet.air.turbulence_intensity, sheet.air.viscosity_ratio)
    direction = stream_direction(sheet.air)
    return BodySetup(sheet, body, air, stream, scale, _plan(sheet, body, scale, stream),
                     surface_boundaries(sheet, body, air, scale, direction), direction, area, length,
                     LEVELS[:LEVELS.index(sheet.grid.level) + 1])


def _check(sheet, surface):
    domain, air = sheet.domain, sheet.air
    if domain.half == "yes":
        if air.yaw != 0:
            raise ValueError(
                f"domain.half = yes: a half body cannot be yawed (here {air.yaw:g}°). Take the whole body, "
                "or no yaw"
            )
        low, high = surface.box[:, 1]
        if low >= -1e-9 * (high - low) or high <= 0:
            raise ValueError(
                "domain.half = yes: the symmetry plane y = 0 must run through the body, which lies between "
                f"y = {low:.4g} and {high:.4g} m. Move it, or mirror the file that holds one half")
        if abs(low + high) > 0.01 * (high - low):
            raise ValueError(
                f"domain.half = yes: the body is not symmetric about y = 0 (it reaches from {low:.4g} to "
                f"{high:.4g} m). Take the whole body"
            )
    if domain.kind == "ground" and air.incidence != 0:
        raise ValueError(
            f"air.incidence = {air.incidence:g}: over a ground the stream runs along it. Turn the parts "
            "instead (pitch)"
        )
    longest = float(surface.size.max())
    if longest > 500:
        raise ValueError(
            f"shape.parts: the body is {longest:.4g} m long. Was its file written in millimetres? Choose the "
            "file's unit again, or scale the part"
        )
    if longest < 1e-3:
        raise ValueError(
            f"shape.parts: the body is only {1000 * longest:.3g} mm long. Was its file written in metres? "
            "Choose the file's unit again, or scale the part"
        )


def own_form(sheet):
    """The rules of a body that is one wing and nothing else, on which a surface grid of its own can be made;
    None of others."""
    form, half = wing_form(sheet.shape), sheet.domain.half == "yes"
    if form is None or half and (abs(form.shift[1]) > 1e-9 * form.half or abs(form.matrix[1, 1]) < 1 - 1e-9):
        return None
    return form


def suits_layers(sheet, surface, mach):
    """Whether layers were shown to be better than cubes: below the speed of sound, on a lone wing in free air
    or over a ground, and on a single slender body without edges in free air, turbulent."""
    if mach > MOST_MACH:
        return False
    if own_form(sheet) is not None:
        return True
    return (sheet.domain.kind == "free" and sheet.flow.model == "turbulent"
            and _is_slender_and_smooth(surface))


def _is_slender_and_smooth(surface):
    """Whether a surface is one part without edges, several times as long as it is wide and high."""
    length, *across = surface.size
    return len(surface.parts) == 1 and length >= SLENDER * max(across) and not len(surface.sharp_edges())


def has_layers(sheet, surface, mach):
    """Whether layers shall grow from the wall; where air passes it they are left out."""
    if any(action.is_open for action in sheet.air.walls):
        return False
    return sheet.grid.layers == "grown" or (sheet.grid.layers == "automatic"
                                            and suits_layers(sheet, surface, mach))


def skin_maker(sheet, scale):
    """How the surface grid of a body is made from its own rules; None where it has none."""
    form, half = own_form(sheet), sheet.domain.half == "yes"
    if form is None:
        return None
    placed = form.placed(np.eye(3) / scale)
    return lambda size, coarser: wing_skin(placed, size, half, coarser)


def layer_plan(sheet, surface, stream, scale):
    """How the wall layers shall be, in the solver's unit; None without."""
    grid, model = sheet.grid, sheet.flow.model
    if not has_layers(sheet, surface, stream.mach):
        return None
    first = None
    if grid.first_height:
        first = grid.first_height / scale
    elif model == "turbulent":
        # The first cell's middle lies half its height off the wall.
        first = 2 * grid.y_plus / (stream.reynolds * np.sqrt(0.5 * plate_friction(stream.reynolds)))
    elif model == "laminar":
        first = LAMINAR_FIRST / np.sqrt(stream.reynolds)
    free = FINE_FREE if own_form(sheet) else COARSE_FREE
    return LayerPlan(first, grid.layer_growth, model == "turbulent", free)


def _plan(sheet, body, scale, stream):
    """The domain's box and the sizes, in the solver's unit; a hull that is too few cells wide for layers goes
    without, and a laminar wing on which they would be too few, unless they are asked for."""
    plan = _sized(sheet, body, scale, layer_plan(sheet, body.surface, stream, scale))
    if plan.layers is None or sheet.grid.layers != "automatic":
        return plan
    if own_form(sheet) is None:
        few = plan.size * scale > min(body.surface.size[1:]) / HULL_ACROSS
    else:
        few = (_touches_ground(sheet, plan, scale) or sheet.flow.model == "laminar"
               and len(plan.layers.heights(plan.size, 1.0)) < LEAST_LAYERS)
    return _sized(sheet, body, scale, None) if few else plan


def _touches_ground(sheet, plan, scale):
    """Whether a gap to the ground holds too few cubes of the coarse level for a wing's layers."""
    return (sheet.domain.kind == "ground"
            and sheet.domain.clearance < GAP_CUBES * plan.size * coarsening("coarse") * scale)


def _sized(sheet, body, scale, layers):
    """The domain's box and the sizes, in the solver's unit."""
    domain, grid, surface = sheet.domain, sheet.grid, body.surface
    low, high = surface.box / scale
    left, right, below, above = (domain.beside if own is None else own
                                 for own in (domain.left, domain.right, domain.below, domain.above))
    box_low = np.array([low[0] - domain.ahead, low[1] - left, low[2] - below])
    box_high = np.array([high[0] + domain.behind, high[1] + right, high[2] + above])
    fixed = [False, False, False]
    if domain.kind == "ground":
        box_low[2], fixed[2] = low[2] - domain.clearance / scale, True
        if box_low[2] > high[2]:
            raise ValueError(
                f"domain.clearance = {domain.clearance:g}: the whole body would lie under the ground. Raise "
                "the clearance"
            )
    if domain.half == "yes":
        box_low[1], fixed[1] = 0.0, True
    zones = tuple(
        SolidZone(z.kind, (z.x / scale, z.y / scale, z.z / scale), z.length /
                  scale, (z.width / scale, (z.height if z.kind == "cone" else z.width) /
                          scale), (z.width / scale if z.kind == "cylinder" else z.height /
                                   scale if z.kind == "box" else z.width / scale, z.height /
                                   scale if z.kind != "cylinder" else z.width / scale), z.size / scale)
        for z in grid.zones)
    plan = BodyGridPlan(tuple(box_low), tuple(box_high), 0.02, grid.edge_halvings, grid.curved, grid.buffer,
                        zones, tuple(fixed), grid.shock_size / scale if grid.shock_size else None,
                        layers, grid.across_gap)
    size, lone = grid.surface_size / scale if grid.surface_size else None, own_form(sheet)

    def finished(size):
        extra = zones
        if grid.wake_length > 0:
            middle, wide, thin = 0.5 * (low + high), 1.2 * (high - low), WING_WAKE * body.mean_chord / scale
            if lone is not None and wide[2] > thin:
                # Behind a wing with dihedral or winglets the box round it would be air for the most part.
                middle[2], wide[2] = lone.moved(lone.quarter[0])[2] / scale, thin
            extra += (SolidZone("box", (high[0], middle[1], middle[2]), grid.wake_length, (wide[1], ) * 2,
                                (wide[2], ) * 2, grid.wake_size * size), )
        return replace(plan, size=size, zones=extra)

    _check_zones(grid.zones, grid.budget if size is None else MOST_ZONED)
    if size is None:
        key = plan, grid.budget, grid.wake_length, grid.wake_size, id(body)
        if key not in _sizes:
            unit = surface.moved(np.eye(3) / scale)
            # Nothing but the sheet may decide, or the same one would not give the same grid twice.
            size = size_for_budget(unit, finished, grid.budget, skin_maker(sheet, scale))
            while len(_sizes) >= 24:
                _sizes.pop(next(iter(_sizes)))
            _sizes[key] = (size, body)
        size = _sizes[key][0]
    return finished(size)


def _check_zones(zones, budget):
    """That no refined zone alone asks for more cells than there may be; raises ValueError that names it."""
    for number, zone in enumerate(zones):
        high = zone.width if zone.kind == "cylinder" else zone.height
        cells = zone.length * zone.width * high / zone.size**3
        if cells > budget:
            fit = zone.size * (cells / (0.5 * budget))**(1 / 3)
            raise ValueError(
                f"grid.zones.{number}.size = {zone.size:g}: this zone of {zone.length:g} × {zone.width:g} × "
                f"{high:g} m alone would hold about {cells:,.0f} cells, and {budget:,} are allowed in all. "
                f"Take cells of {fit:.2g} m or more in it, or a smaller zone".replace(",", " ", 0))
