"""What a run of a section really reached: its boundary layer, and how well walls and air agree."""
import numpy as np

from ....instruments.profiles import WallSampler
from ....instruments.taps import read_taps
from ...planned_stations import STATIONS


def layers_reached(run):
    """Thicknesses at the stations of the planner, list of dict; none without friction."""
    if run.sheet.flow.model == "inviscid":
        return []
    (_, flow, state), out = run.field(), []
    sampler = WallSampler(flow.mesh, state, flow.stream.gamma, flow.stream.mach)
    taps = read_taps(flow, state)
    for side in taps.sides:
        k = taps.side(side)
        for x in (STATIONS if len(k) > 8 else ()):
            span = taps.x[k].min(), np.ptp(taps.x[k])
            near = k[int(np.argmin(np.abs(taps.x[k] - span[0] - min(x, 0.97) * span[1])))]
            found = sampler.profile(near).thicknesses()
            if found:
                out.append({"surface": side, "x": float(taps.x[near]), "cf": float(taps.cf[near]), **found})
    return out


def momentum_gap(sheet, coefficients, around):
    """Difference of wall and contour drag as a share of the drag (of a tenth of the lift where there is
    hardly any), or None where it is not known; `around` is what `momentum_balance` found."""
    if around is None or sheet.domain.kind == "half":
        return None
    of_lift = 0.1 * abs(coefficients["lift"]) if sheet.flow.model == "inviscid" else 0.0
    return (around["drag"] - coefficients["drag"]) / max(abs(coefficients["drag"]), of_lift, 1e-4)
