"""The flow meter: what passes a straight line in a plane."""
from dataclasses import dataclass

import numpy as np

from .balance import channel_name

# Points on a line at which the flow is read.
POINTS = 64


def gauge_total(p, t, u, v, gamma):
    """Total pressure in the solver's scales, gauge like `p`."""
    return p + (p + 1 / gamma) * np.expm1(
        gamma / (gamma - 1) * np.log1p(0.5 * (gamma - 1) * (u * u + v * v) / t))


@dataclass(frozen=True)
class FlowMeter:
    """A line from one point to another, in chords; what passes it from left to right, seen along it, counts
    as positive."""

    name: str
    start: tuple
    end: tuple

    @property
    def channels(self):
        """Names of what it gives."""
        return [channel_name(f"flow_{self.name}"), channel_name(f"total_pressure_{self.name}")]

    def read(self, flow, state, locator):
        """Mass flow over rho_inf U_inf chord, and the total pressure above the stream's static one over its
        dynamic pressure, averaged over what passes: {channel: value}; the second is None where nothing
        passes.

        Parameters
        ----------
        flow : Discretisation
        state : ndarray, shape (n_cells, 4 or more)
        locator : Locator
        """
        start, way = np.asarray(self.start), np.subtract(self.end, self.start)
        share = (np.arange(POINTS) + 0.5) / POINTS
        points = start + share[:, None] * way
        cells = np.array([locator.find(x, y) for x, y in points])
        points, cells = points[cells >= 0], cells[cells >= 0]
        across, gamma = np.array([way[1], -way[0]]) / POINTS, flow.stream.gamma
        offset = points - flow.mesh.centre[cells]
        p, t, u, v = (state[cells, :4] + np.einsum("kij,kj->ki", flow.grad[cells, :4], offset)).T
        mass = gamma * (p + 1 / gamma) / t * (u * across[0] + v * across[1])
        whole, passing = float(mass.sum()), float(np.abs(mass).sum())
        carried = float((mass * gauge_total(p, t, u, v, gamma)).sum())
        total = carried / whole if passing and abs(whole) > 1e-6 * passing else None
        flow_name, total_name = self.channels
        return {flow_name: whole / flow.stream.mach,
                total_name: None if total is None else total / flow.stream.dynamic_pressure}
