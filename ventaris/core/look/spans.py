"""Ranges of colours for what is shown round a body."""
import numpy as np

# Fields of the air that begin at nothing, or end at nothing where the flow runs back.
FROM_NOTHING = ("speed", "mach", "vx")


def span_on_body(q, values):
    """Ends that hold most of the values of a quantity; about its neutral value where it has one."""
    good = values[np.isfinite(values)]
    if not len(good):
        return 0.0, 1.0
    if q.diverging:
        most = float(
            np.clip(np.percentile(np.abs(good - q.centre), 98), 1e-3, 3.0 if q.key == "cp" else np.inf))
        return q.centre - most, q.centre + most
    low, high = (float(v) for v in np.percentile(good, (1, 99)))
    return (low, high) if high > low else (low, low + 1e-6)


def span_in_air(q, values):
    """The same for a field of the air: speeds from nothing on, losses from none to all."""
    low, high = span_on_body(q, values)
    if q.key == "loss":
        return 0.0, 1.0
    return (min(low, 0.0), high) if q.key in FROM_NOTHING else (low, high)
