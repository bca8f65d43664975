"""Readings in space: points, and the flow through rectangles across x."""
import numpy as np

LINES = 48


class SpatialSampler:
    """Reads a state anywhere, linearly inside each cell.

    Parameters
    ----------
    flow : Discretisation
        Its gradients are those of the last residual.
    state : ndarray, shape (n_cells, columns)
    """
    def __init__(self, flow, state):
        self.flow, self.state = flow, state

    def at(self, points, cells=None):
        """Flow variables [p, t, u, v, w] at points, NaN in the body and outside; shape (n, 5)."""
        mesh = self.flow.mesh
        cells = mesh.containing(points) if cells is None else cells
        inside = cells >= 0
        out = np.full((len(points), 5), np.nan)
        k = cells[inside]
        offset = points[inside] - mesh.centre[k]
        out[inside] = self.state[k, :5] + np.einsum("kvi,ki->kv", self.flow.grad[k], offset)
        return out


def pressure_coefficient(p, mach):
    """From the solver's gauge pressure."""
    return p / (0.5 * mach**2)


def read_point(sampler, point, cell=None):
    """Reading at one point: Cp, speed over that of the stream, its components, Mach number; None in the
    body."""
    value = sampler.at(np.asarray(point, dtype=float)[None], None if cell is None else np.array([cell]))[0]
    if not np.isfinite(value).all():
        return None
    mach = sampler.flow.stream.mach
    speed = float(np.linalg.norm(value[2:]))
    return {
        "cp": float(pressure_coefficient(value[0], mach)), "speed": speed / mach,
        "mach": speed / float(np.sqrt(max(value[1], 1e-9))), "u": float(value[2] / mach),
        "v": float(value[3] / mach), "w": float(value[4] / mach)
    }


def read_meter(sampler, x, middle, width, height):
    """Flow through a rectangle across x, in the solver's units.

    Returns
    -------
    dict or None
        ``mass_flow`` over rho_inf U_inf times the rectangle's area, ``speed`` (mean of u over U_inf), ``cp``,
        ``total_pressure`` (mean Cp of the total pressure, 1 undisturbed at low speed), ``covered`` (share
        that lies in air).
    """
    y = middle[0] + width * ((np.arange(LINES) + 0.5) / LINES - 0.5)
    z = middle[1] + height * ((np.arange(LINES) + 0.5) / LINES - 0.5)
    points = np.stack([np.full(LINES * LINES, x), *(g.ravel() for g in np.meshgrid(y, z, indexing="ij"))],
                      axis=1)
    value = sampler.at(points)
    good = np.isfinite(value[:, 0])
    if not good.any():
        return None
    stream = sampler.flow.stream
    gamma, mach = stream.gamma, stream.mach
    p, t, u = value[good, 0], value[good, 1], value[good, 2]
    rho = gamma * (p + 1 / gamma) / t
    own = (value[good, 2:]**2).sum(axis=1) / t
    total = (p + 1 / gamma) * (1 + 0.5 * (gamma - 1) * own)**(gamma / (gamma - 1)) - 1 / gamma
    return {
        "mass_flow": float((rho * u).sum() / mach / len(points)), "speed": float(u.mean() / mach),
        "cp": float(pressure_coefficient(p, mach).mean()),
        "total_pressure": float(pressure_coefficient(total, mach).mean()), "covered": float(good.mean())
    }
