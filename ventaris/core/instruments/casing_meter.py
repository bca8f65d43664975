"""What goes through a casing in a plane: the flow, and what it gains in total pressure on its way."""
from dataclasses import dataclass

from .flow_meter import gauge_total

FLOW, RISE = "casing_flow", "casing_rise"


@dataclass(frozen=True)
class CasingMeter:
    """Reads the openings of a casing."""

    channels = (FLOW, RISE)

    def read(self, flow, state, locator=None):
        """Mass flow out of the casing over rho_inf U_inf chord, and the rise of total pressure from what
        comes in to what leaves, averaged over the mass that passes, over the stream's dynamic pressure; None
        where nothing passes: {channel: value}. From the discretisation's last residual."""
        mesh, out, totals = flow.mesh, {}, {}
        for side, sign in (("inlet", -1.0), ("outlet", 1.0)):
            faces = mesh.boundaries[side]
            mass = sign * flow.flux[faces, 0]
            through = float(mass.sum())
            total = gauge_total(*state[mesh.left[faces], :4].T, flow.stream.gamma)
            totals[side] = float((mass * total).sum() / through) if through > 0 else None
        out[FLOW] = through / flow.stream.mach
        known = None not in totals.values()
        out[RISE] = (totals["outlet"] - totals["inlet"]) / flow.stream.dynamic_pressure if known else None
        return out


def fan_efficiency(channels, power):
    """Flow times rise over the power that is put in (over q U chord); None where none is."""
    rise = channels.get(RISE)
    return channels[FLOW] * rise / power if rise is not None and power > 0 else None
