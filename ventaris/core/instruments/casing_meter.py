"""What goes through a casing in a plane: the flow, and what it gains in total pressure on its way."""
from dataclasses import dataclass

import numpy as np

FLOW, RISE = "casing_flow", "casing_rise"


@dataclass(frozen=True)
class CasingMeter:
    """Reads the openings of a casing."""

    channels = (FLOW, RISE)

    def read(self, flow, state, locator=None):
        """Mass flow out of the casing over rho_inf U_inf chord, and the rise of total pressure from what
        comes in to what leaves, averaged over the mass that passes, over the stream's dynamic pressure; None
        where nothing passes: {channel: value}. From the discretisation's last residual."""
        mesh, out = flow.mesh, {}
        totals = {}
        for side, sign in (("inlet", -1.0), ("outlet", 1.0)):
            faces = mesh.boundaries[side]
            mass = sign * flow.flux[faces, 0]
            through = float(mass.sum())
            totals[side] = float((mass * _total(flow, state, faces)).sum() / through) if through > 0 else None
        out[FLOW] = through / flow.stream.mach
        known = None not in totals.values()
        out[RISE] = (totals["outlet"] - totals["inlet"]) / flow.stream.dynamic_pressure if known else None
        return out


def fan_efficiency(channels, power):
    """Flow times rise over the power that is put in (over q U chord); None where none is."""
    rise = channels.get(RISE)
    return channels[FLOW] * rise / power if rise is not None and power > 0 else None


def _total(flow, state, faces):
    """Gauge total pressure of the cells at faces."""
    g, cells = flow.stream.gamma, flow.mesh.left[faces]
    p, t, u, v = state[cells, :4].T
    head = (p + 1 / g) * np.expm1(g / (g - 1) * np.log1p(0.5 * (g - 1) * (u * u + v * v) / t))
    return p + head
