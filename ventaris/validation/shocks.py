"""Cases with moving shocks, followed in time: a shock tube in both solvers, the forward step."""
import numpy as np

from ..core.flow.discretisation import Discretisation
from ..core.flow.stream import FreeStream
from ..core.flow.march.unsteady import TimeMarch
from ..core.grids.blocks import block_cells, used_only
from ..core.grids.mesh import mesh_from_cells
from ..core.sound import jet
from .case import Case, Check

GAMMA = 1.4
# Sod's tube in its own units: states on both sides, and what lies between them (exact solution).
LEFT, RIGHT, UNTIL = (1.0, 1.0), (0.125, 0.1), 0.2
STAR_PRESSURE, STAR_SPEED, BEHIND_FAN, BEHIND_SHOCK, SHOCK_SPEED = (0.30313018, 0.92745262, 0.42631943,
                                                                    0.26557371, 1.75215573)
TUBE = "exact solution of Sod's tube (J. Comput. Phys. 27, 1978)"


def sod_density(x, t):
    """Exact density of Sod's tube, the wall between the gases at x = 0."""
    a = np.sqrt(GAMMA * LEFT[1] / LEFT[0])
    tail = STAR_SPEED - np.sqrt(GAMMA * STAR_PRESSURE / BEHIND_FAN)
    s = x / t
    inside = np.clip(2 / (GAMMA + 1) - (GAMMA - 1) / (GAMMA + 1) * s / a, 0, 1)**(2 / (GAMMA - 1))
    return np.select([s < -a, s < tail, s < STAR_SPEED, s < SHOCK_SPEED],
                     [LEFT[0] + 0 * s, LEFT[0] * inside, BEHIND_FAN + 0 * s, BEHIND_SHOCK + 0 * s], RIGHT[0])


def box_mesh(x, y, present=None, closed=False):
    """A mesh of rectangles between lines; `present` tells which cells there are, shape (len(x) - 1, len(y) -
    1). Its sides are walls, its ends "left" and "right" too where it is closed."""
    number = np.arange(len(x) * len(y)).reshape(len(x), len(y))
    there = np.ones((len(x) - 1, len(y) - 1), dtype=bool) if present is None else present
    cells = block_cells(number)[there]
    around = np.pad(there, 1)
    pairs = lambda a, b, where: np.stack([a[where], b[where]], axis=1)
    inner = around[1:-1, 1:-1]
    walls = np.concatenate([
        pairs(number[:-1, :-1], number[1:, :-1], inner & ~around[1:-1, :-2]),
        pairs(number[:-1, 1:], number[1:, 1:], inner & ~around[1:-1, 2:]),
        pairs(number[1:-1, :-1], number[1:-1, 1:], inner[:-1] & ~inner[1:])
    ])
    edges = {
        "walls": walls, "left": pairs(number[:1, :-1], number[:1, 1:], inner[:1]),
        "right": pairs(number[-1:, :-1], number[-1:, 1:], inner[-1:])
    }
    if closed:
        edges = {"walls": np.concatenate(list(edges.values()))}
    points = np.stack(np.meshgrid(x, y, indexing="ij"), axis=-1).reshape(-1, 2)
    return mesh_from_cells(*used_only(points, cells, edges), ["walls"])


def tube_by_flow_solver(n):
    """(x, density) of Sod's tube by the implicit solver, in the tube's units."""
    mesh = box_mesh(np.linspace(-0.5, 0.5, n + 1), np.linspace(0, 2 / n, 3), closed=True)
    flow = Discretisation(mesh, FreeStream(1.0), "slip", limit=True, precondition=False, vortex=False)
    state = flow.uniform_state()
    right = mesh.centre[:, 0] > 0
    # The left gas is the reference: its speed of sound and density are 1.
    state[:, 2:] = 0
    state[right, 0], state[right, 1] = (RIGHT[1] / LEFT[1] - 1) / GAMMA, RIGHT[1] / RIGHT[0]
    steps = int(np.ceil(UNTIL * np.sqrt(GAMMA) / (0.2 / n)))
    march = TimeMarch(flow, state, UNTIL * np.sqrt(GAMMA) / steps, tolerance=1e-4)
    for _ in range(steps):
        march.advance()
    low = mesh.centre[:, 1] < 1 / n
    x, p, t = mesh.centre[low, 0], march.state[low, 0], march.state[low, 1]
    order = np.argsort(x)
    return x[order], ((GAMMA * p + 1) / t)[order]


def tube_by_jet_solver(n):
    """The same by the high-order scheme of the jet, along its axis."""
    w = np.ones((4, 8, n), dtype=np.float32)
    x = (np.arange(n) + 0.5) / n - 0.5
    w[1:3] = 0
    w[0], w[3] = np.where(x < 0, LEFT[0], RIGHT[0]), np.where(x < 0, LEFT[1], RIGHT[1])
    u = np.stack([w[0], 0 * w[0], 0 * w[0], w[3] / np.float32(0.4)])
    dx, over, out = np.full(n, 1 / n, dtype=np.float32), np.full(n + 1, n, dtype=np.float32), np.zeros_like(w)
    steps = int(np.ceil(UNTIL * 5 * n))
    still, f4 = np.zeros((8, n), dtype=np.float32), np.float32
    for _ in range(steps):
        start = u.copy()
        for a, b in ((0.0, 1.0), (0.75, 0.25), (1 / 3, 2 / 3)):
            jet.primitives(u, w)
            jet.along(w, out, 0, 0, 0, w[:, :0, 0].copy(), dx, over, f4(0))
            jet.stage(u, start, out, f4(a), f4(b), f4(UNTIL / steps), still, u)
    return x, u[0, 4].astype(float)


def shock_tube():
    checks, curves = [], []
    for name, tube in (("flow solver", tube_by_flow_solver), ("jet in time", tube_by_jet_solver)):
        errors = []
        for n in (100, 200, 400):
            x, density = tube(n)
            errors.append(float(np.abs(density - sod_density(x, UNTIL)).mean()))
        order = float(np.log2(errors[0] / errors[2]) / 2)
        checks += [
            Check(f"{name}: mean density error, 400 cells", errors[2], 0, 0.004, TUBE),
            Check(
                f"{name}: order of the error from 100 to 400 cells", order, 0.7, 1.3,
                "first order at shocks, two thirds and more at contacts, whatever the scheme (Harten 1989)"),
            Check(f"{name}: density behind the shock", float(np.median(density[(x > 0.24) & (x < 0.31)])),
                  0.99 * BEHIND_SHOCK, 1.01 * BEHIND_SHOCK, TUBE)
        ]
        curves.append((f"computed, {name}", x, density, "computed"))
    curves.append(("exact", x[::4], sod_density(x[::4], UNTIL), "reference"))
    return Case("nozzle-tube", "Shock tube, followed in time", "100, 200 and 400 cells", checks, 0.0, curves,
                ("x", "density"))


def forward_step(per_unit=40):
    """Mach 3 in a channel with a step: bow shock, Mach reflection at the roof, reflections behind it."""
    x, y = np.linspace(0, 3, 3 * per_unit + 1), np.linspace(0, 1, per_unit + 1)
    present = ~((0.5 * (x[1:] + x[:-1]) > 0.6)[:, None] & (0.5 * (y[1:] + y[:-1]) < 0.2)[None, :])
    mesh = box_mesh(x, y, present)
    flow = Discretisation(mesh, FreeStream(3.0), "slip", vortex=False)
    state, time = flow.uniform_state(), 0.0
    # The stream meets the step all at once: short steps first.
    for until, step in ((0.01, 0.01 / per_unit), (0.1, 0.05 / per_unit), (4.0, 0.2 / per_unit)):
        march = TimeMarch(flow, state, step, tolerance=1e-3, time=time)
        while march.time < until - 1e-9:
            march.advance()
        state, time = march.state, march.time
    p, t = march.state[:, 0], march.state[:, 1]
    density, pressure = GAMMA * (GAMMA * p + 1) / t, GAMMA * p + 1
    lookup = np.full(present.shape, -1)
    lookup[present] = np.arange(present.sum())
    floor, roof = lookup[:int(0.6 * per_unit), 0], lookup[:, -1]
    middles = 0.5 * (x[1:] + x[:-1])
    jump = density[floor]
    shock = float(middles[np.argmax(jump > 0.5 * (1.4 + 5.4))])
    stem = float(middles[np.argmax(density[roof] > 3.4)])
    # The Mach stem is the part of the front below the roof that stands upright.
    front = np.array([
        middles[np.argmax(density[lookup[:, k]] > 3.4)] if (lookup[:, k] >= 0).all() else np.nan
        for k in range(per_unit)
    ])
    upright = int((np.abs(front - stem) < 1.5 / per_unit).sum())
    pitot = ((GAMMA + 1) / 2 * 9)**(GAMMA / (GAMMA - 1)) * ((2 * GAMMA * 9 - (GAMMA - 1)) /
                                                            (GAMMA + 1))**(-1 / (GAMMA - 1))
    checks = [
        Check("pressure at the foot of the step over the stream's", float(pressure[floor[-1]]), 0.97 * pitot,
              1.03 * pitot, "total pressure behind a normal shock at Mach 3, exact"),
        Check("density behind the front on the floor", float(jump[(middles[:len(jump)]
                                                                   > shock + 0.06)][0]), 0.97 * 5.4,
              1.06 * 5.4, "normal shock: 1.4 times 3.857; a little more where the air is already slowed"),
        Check("front on the floor at x", shock, 0.0, 0.6, "detached ahead of the step"),
        Check(
            "height of the upright stem at the roof", upright / per_unit, 0.05, 0.4,
            "a Mach reflection, as every published solution of this flow shows (Woodward, Colella, J. "
            "Comput. Phys. 54, 1984)")
    ]

    def draw(axes):
        from matplotlib.tri import Triangulation
        nodes = mesh.point_values(density[:, None])[:, 0]
        c = mesh.cell_nodes
        axes.tricontour(Triangulation(*mesh.points.T, np.concatenate([c[:, [0, 1, 2]], c[:, [0, 2, 3]]])),
                        nodes, levels=30, colors="#0E4B45", linewidths=0.6)
        axes.set_aspect("equal")
        axes.set_xlabel("x")
        axes.set_ylabel("y")

    return Case("nozzle-step", "Forward step, M 3, followed to t = 4",
                f"{mesh.n_cells} cells, {per_unit} per unit; lines of equal density", checks, 0.0, draw=draw)


CASES = {"nozzle-tube": shock_tube, "nozzle-step": forward_step}
