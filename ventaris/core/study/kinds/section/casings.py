"""A section's casing made ready: its polygon, the conditions of its openings, whether all fits in."""
import numpy as np
from scipy.spatial import cKDTree
from shapely import Polygon, contains_xy
from shapely.validation import explain_validity

from ....flow.boundaries.contract import Boundary
from ....grids.casing import Casing


def casing_of(domain):
    """The `Casing` of a sheet's corners, which may go round either way."""
    points, sides = [(c.x, c.y) for c in domain.corners], [c.side for c in domain.corners]
    loop = np.array(points)
    area = float((loop[:, 0] * np.roll(loop[:, 1], -1) - np.roll(loop[:, 0], -1) * loop[:, 1]).sum())
    if area < 0:
        points, sides = points[::-1], sides[-2::-1] + sides[-1:]
    return Casing(tuple(points), tuple(sides))


def openings(domain, air, viscous):
    """Conditions of a casing's walls and openings."""
    gauge = lambda pressure: pressure / (air.gamma * air.pressure)
    outlet = Boundary("outlet", pressure=gauge(domain.outlet_pressure))
    if domain.outlet == "flow":
        per_area = domain.outlet_flow / (casing_of(domain).width("outlet") * air.chord)
        outlet = Boundary("mass outlet", mass_flow=per_area / (air.density * air.speed_of_sound))
    return {
        "casing": Boundary("no-slip" if viscous and domain.side_walls == "no-slip" else "slip"),
        "inlet": Boundary("total inlet", pressure=gauge(domain.inlet_pressure)), "outlet": outlet
    }


def check_casing(casing, outlines):
    """Refuse a casing that crosses itself, or that does not hold the sections; raises ValueError."""
    room = Polygon(casing.corners)
    if not room.is_valid:
        raise ValueError(f"domain.corners: the casing crosses itself ({explain_validity(room).lower()}). "
                         "List its corners in order round it")
    for outline in outlines:
        points = outline.polygon(400)
        out = points[~contains_xy(room, points[:, 0], points[:, 1])]
        if len(out):
            raise ValueError(
                f"domain.corners: “{outline.name or 'the section'}” reaches out of the casing, at x = "
                f"{out[0, 0]:.3g}, y = {out[0, 1]:.3g} chords. Move the corners out, or the section in")


def check_gap(plan, clouds):
    """Refuse sections, given by points, that nearly touch the casing; raises ValueError."""
    gap = min(float(cKDTree(plan.casing.dense(6000)).query(cloud)[0].min()) for cloud in clouds)
    if gap < 4 * plan.least_size:
        raise ValueError(
            f"domain.corners: between a section and the casing there are {gap:.2g} chords, less than four of "
            "the smallest cells. Widen the gap, or lower grid.least_size")
