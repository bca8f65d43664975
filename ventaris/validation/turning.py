"""Cases of circles that turn in the rest of a plane's grid: the seam by itself, and a section that pitches
in one."""
import numpy as np

from ..core.flow.discretisation import Discretisation
from ..core.flow.march.unsteady import TimeMarch
from ..core.flow.motion import Still, Turning
from ..core.flow.stream import FreeStream
from ..core.flow.turning_zones import TurningZones
from ..core.grids.fill import Region, fill
from ..core.grids.mesh import mesh_from_cells
from ..core.grids.turning_zone import Circle, ring_cells, seam_edges, sew
from .case import Case, Check, run_sheet
from .motion import MACH, THIN, lift_of_pitching, swing_checks

VORTEX_MACH = 0.3


def empty_zone(count=64, half=3.0, radius=1.0, hub=0.0):
    """A mesh of a square with a circle in its middle that turns; `hub` leaves a round hole in it.

    Parameters
    ----------
    count : int
        Cells round the circle; all cells are about as large.
    half, radius, hub : float
        Half the square's side, and radii.
    """
    made = _Numbered()
    circle, size = Circle(0.0, 0.0, radius), 2 * np.pi * radius / count
    rings, nodes, loops = [], [], []
    for side in (1, -1):
        points = circle.shrunk(side * size).points(count)
        near, far = made.add(circle.points(count)), made.add(points)
        rings.append(sum(map(len, made.cells)) + np.arange(count))
        made.cells.append(ring_cells(near, far, side > 0))
        nodes.append(near)
        loops.append((points, far))
    line = np.linspace(-half, half, int(round(2 * half / size)) + 1)[:-1]
    sides = [np.stack([line, np.full_like(line, -half)], axis=1)]
    for _ in range(3):
        sides.append(np.stack([-sides[-1][:, 1], sides[-1][:, 0]], axis=1))
    square = made.named("far field", np.concatenate(sides))
    around = Circle(0.0, 0.0, hub).points(4 * int(np.pi * hub / size / 2 + 1))
    hole = [made.named("hub", around)] if hub else []
    made.fill(loops[0], hole, size)
    made.fill(square, [loops[1]], size)
    mesh = mesh_from_cells(np.concatenate(made.points), np.concatenate(made.cells),
                           made.edges | seam_edges(0, nodes), ["hub"] if hub else [])
    return sew(mesh, (circle, ), [np.stack(rings)], [np.stack(nodes)])


class _Numbered:
    """Points, cells and edges of a mesh that is being made."""

    def __init__(self):
        self.points, self.cells, self.edges = [], [], {}

    def add(self, points):
        """Numbers of new points."""
        begin = sum(map(len, self.points))
        self.points.append(points)
        return begin + np.arange(len(points))

    def named(self, name, points):
        """(points, numbers) of a closed boundary."""
        ids = self.add(points)
        self.edges[name] = np.stack([ids, np.roll(ids, -1)], axis=1)
        return points, ids

    def fill(self, outer, holes, size):
        """Triangles between loops."""
        region = Region(outer[0], [points for points, _ in holes])
        points, triangles = fill(region, lambda p: np.full(len(p), size))
        number = np.concatenate([outer[1], *(ids for _, ids in holes), self.add(points[len(region.points):])])
        triangles = number[triangles]
        self.cells.append(np.concatenate([triangles, triangles[:, 2:]], axis=1))


def turning_flow(mesh, law, stream=FreeStream(VORTEX_MACH, 0.1), **more):
    """A discretisation of a mesh with one zone that turns by a law."""
    return Discretisation(mesh, stream, vortex=False, motion=TurningZones((law, )), **more)


def vortex(points, time, gamma=1.4, strength=0.15, size=0.3):
    """An isentropic vortex that the stream carries through the circle (Shu: Essentially non-oscillatory and
    weighted essentially non-oscillatory schemes, ICASE 97-65, 1997), shape (n, 4)."""
    away = (points - [-1.0 + VORTEX_MACH * time, 0.2]) / size
    core = np.exp(0.5 * (1 - (away**2).sum(axis=1)))
    t = 1 - 0.5 * (gamma - 1) * (strength * core)**2
    return np.stack([(t**(gamma / (gamma - 1)) - 1) / gamma, t, VORTEX_MACH - strength * away[:, 1] * core,
                     strength * away[:, 0] * core], axis=1)


def carried(count, law):
    """Root mean square error of the velocity after the stream has carried the vortex by a radius, in as many
    steps as there are cells round the circle."""
    mesh = empty_zone(count)
    flow = turning_flow(mesh, law, FreeStream(VORTEX_MACH), limit=False)
    dt = 1.0 / VORTEX_MACH / count
    flow.moved.put(0.0)
    before = vortex(mesh.centre, 0.0)
    flow.moved.put(dt)
    march = TimeMarch(flow, vortex(mesh.centre, dt), dt, tolerance=1e-4, time=dt, before=before)
    for _ in range(count):
        march.advance()
    off = (march.state - vortex(mesh.centre, march.time))[:, 2:]
    return float(np.sqrt(((off**2).sum(axis=1) * mesh.volume).sum() / mesh.volume.sum()))


def seam():
    """A uniform stream through a turning circle, and a vortex that is carried into one."""
    mesh = empty_zone(32)
    flow = turning_flow(mesh, Turning(0.5), limit=False)
    march = TimeMarch(flow, flow.uniform_state(), 0.5)
    for _ in range(26):
        march.advance()
    kept = float(np.abs(march.state - flow.uniform_state()).max())
    flow.time_rate = 0.0
    total = (flow.residual(vortex(mesh.centre, 3.0)) / flow.row_scale).sum(axis=0)
    out = flow.flux[flow.n_interior:].sum(axis=0)
    out[1] -= flow.stream.total_enthalpy * out[0]
    joined, apart, turned = (carried(32, law) for law in (Still(), Still(np.pi / 32), Turning(0.3)))
    order = float(np.log2(turned / carried(64, Turning(0.3))))
    checks = [
        Check("largest deviation of a uniform stream after two turns", kept, 0, 1e-10, "exact: 0"),
        Check("mass, energy, momentum lost at the seam", float(np.abs(total - out).max()), 0, 1e-12,
              "exact: 0"),
        Check("error of a vortex where cells do not meet, over that where they do", apart / joined, 0, 1.05,
              "asked for"),
        Check("the same while the circle turns as fast as the stream", turned / joined, 0, 1.05, "asked for"),
        Check("order with which it is carried, 32 to 64 cells round", order, 1.8, 3.0, "second order")
    ]
    return Case("turning-seam", "Vortex carried into a turning circle, inviscid, M 0.3",
                f"{mesh.n_cells} and four times as many cells, a radius travelled", checks)


def pitching_in_a_circle():
    """The thin section of Theodorsen's case, turned in a circle while the rest of the grid stands still."""
    checks, seconds, curves = [], 0.0, []
    for k in (0.1, 0.5):
        run = run_sheet(
            air={"motion": "mach", "mach": MACH, "motions":
                 [{"does": "pitch", "angle": 1.0, "reduced": k, "whole": "circle", "edge": 1.1}]}, shape=THIN,
            grid={"level": "medium"}, flow={"time": "unsteady"},
            run={"cycle_steps": 64, "cycles": 6, "frames": 0})
        cycle = run.result["unsteady"]["cycle"]
        checks += swing_checks(cycle, "lift", lift_of_pitching(k) * np.radians(1.0), f"lift at k = {k:g}")
        last, wave = run.history[-cycle["steps"]:], np.exp(1j * np.linspace(0, 2 * np.pi, 97))
        curves += [(f"computed, k {k:g}", np.array([h["angle"] for h in last]),
                    np.array([h["lift"] for h in last]), "computed"),
                   (f"theory, k {k:g}", wave.imag, (lift_of_pitching(k) * np.radians(1.0) * wave).imag,
                    "reference")]
        seconds, cells = seconds + run.result["seconds"], run.result["cells"]
    return Case("turning-pitch", "Thin section pitching ± 1° in a circle of 1.1 chords, inviscid, M 0.05",
                f"{cells} cells, 64 steps per cycle; the rest of the grid stands still", checks, seconds,
                curves, axes=("angle, degrees", "CL"))


CASES = {"turning-seam": seam, "turning-pitch": pitching_in_a_circle}
