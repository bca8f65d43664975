"""Moments of flows that were followed in time, put beside each other: at the same share of a cycle, or as
long before the end."""
from flask import g

from ..core.sheet import read_toml
from ..core.study.setup import prepare
from ..store import runs
from ..store.fields import frames_head

# Moments that the slider offers.
OFFERED = 48


def moments_of(chosen):
    """Which recorded moments of runs belong together.

    Parameters
    ----------
    chosen : list of dict
        Runs, as `runs.run` gives them.

    Returns
    -------
    dict or None
        ``words``: for each moment what it is called; ``frames``: {run: number of the frame, for each moment}.
        None where fewer than two of the runs kept frames.
    """
    kept = {r["id"]: found for r in chosen if (found := _times(r))}
    if len(kept) < 2:
        return None
    if all(period for _, period in kept.values()):
        count = min(OFFERED, max(len(times) for times, _ in kept.values()))
        shares = [k / count for k in range(count)]
        frames = {}
        for run, (times, period) in kept.items():
            places = [time / period % 1.0 for time in times]
            frames[run] = [_nearest(places, share, cyclic=True) for share in shares]
        return {"words": [f"{100 * share:.0f} % of the cycle" for share in shares], "frames": frames}
    length = min(times[-1] - times[0] for times, _ in kept.values())
    count = min(OFFERED, max(len(times) for times, _ in kept.values()))
    before = [length * (1 - k / max(count - 1, 1)) for k in range(count)]
    frames = {run: [_nearest([times[-1] - time for time in times], back) for back in before]
              for run, (times, _) in kept.items()}
    return {"words": [f"{back:.3g} chords before the end" for back in before], "frames": frames}


def _times(run):
    """(times of its frames in chords, length of a cycle or None) of a run of a section, or None."""
    sheet = read_toml(run["sheet"])
    data = runs.kept_array(g.database, run["id"], "frames") if sheet.space == "section" else None
    if not data:
        return None
    moving = prepare(sheet).moving
    return [float(t) for t in frames_head(data)[0]], moving.period if moving and moving.period else None


def _nearest(places, wanted, cyclic=False):
    """Number of the place that is nearest to one; of the last ones where several are."""
    def away(place):
        gap = abs(place - wanted)
        return min(gap, 1.0 - gap) if cyclic else gap

    return min(reversed(range(len(places))), key=lambda k: away(places[k]))
