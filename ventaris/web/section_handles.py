"""Handles in the drawings of a section's sheet: circles that turn, the domain's sides, regions of small
cells."""
import numpy as np

from ..core.grids.turning_zone import Circle
from .handles import Sets, handle, place


def circle_handles(setup, circle):
    """Handles of a circle that turns or swings: its middle and its edge."""
    (x, y), radius = circle.centre, circle.radius
    row = next((k for k, m in enumerate(setup.sheet.air.motions)
                if m.whole == "circle" and np.allclose((m.pivot_x, m.pivot_y), (x, y))), None)
    if row is None:
        return []
    path, width = "air.motions", 2.6 * radius
    return [
        handle((x, y), width, "Middle of the circle", *place(path, row, x="pivot_x", y="pivot_y")),
        handle((x + radius, y), width, "Edge of the circle", Sets(f"{path}[].edge", 1.0, 0.0, -x, row=row))
    ]


def domain_handles(setup, points, width):
    """Handles of what bounds the air."""
    domain, edge = setup.sheet.domain, "domain."
    if domain.kind == "casing":
        return []
    if domain.kind == "channel":
        return [
            handle((0.0, 0.5 * domain.height), width, "Height of the channel", Sets(edge + "height", up=2.0)),
            handle((-domain.ahead, 0.0), width, "Inlet", Sets(edge + "ahead", along=-1.0)),
            handle((domain.behind, 0.0), width, "Outlet", Sets(edge + "behind", along=1.0))
        ]
    far = setup.plan.far_field
    out = [handle((0.5, far), width, "Far field", Sets(edge + "far_field", up=1.0))]
    if domain.kind == "ground":
        low = float(points[:, 1].min())
        out.append(handle((0.0, low - domain.clearance), width, "Ground",
                          Sets(edge + "clearance", up=-1.0, base=low)))
    return out


def zone_handles(setup):
    """Regions of small cells as (outline, svg of its handles), for each."""
    out = []
    for row, z in enumerate(setup.sheet.grid.zones if setup.is_hybrid else ()):
        path, half = "grid.zones", np.array([z.width, z.height]) / 2
        if z.kind == "box":
            loop = np.array([z.x, z.y]) + half * [(-1, -1), (1, -1), (1, 1), (-1, 1)]
            edge = (z.x + half[0], z.y + half[1])
            sizes = (Sets(f"{path}[].width", 2.0, 0.0, -2 * z.x, row=row),
                     Sets(f"{path}[].height", 0.0, 2.0, -2 * z.y, row=row))
        elif z.kind == "circle":
            loop = Circle(z.x, z.y, half[0]).points(72)
            edge, sizes = (z.x + half[0], z.y), (Sets(f"{path}[].width", 2.0, 0.0, -2 * z.x, row=row), )
        else:
            along = np.array([np.cos(setup.plan.incidence), np.sin(setup.plan.incidence)])
            across = half[0] * np.array([-along[1], along[0]])
            start, end = np.array([z.x, z.y]), np.array([z.x, z.y]) + z.length * along
            loop = np.array([start - across, end - across, end + across, start + across])
            edge, sizes = end, (Sets(f"{path}[].length", 1.0 / along[0], 0.0, -z.x / along[0], row=row), )
        out.append((loop, handle((z.x, z.y), 2.2, f"Zone {row + 1}", *place(path, row)) +
                    handle(edge, 2.2, f"Size of zone {row + 1}", *sizes)))
    return out
