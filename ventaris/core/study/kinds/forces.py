"""Forces and lift over drag of results that weigh a shape."""
import math


def force(result, key):
    """(value, error) of `drag_force` or `lift_force`, in the result's unit."""
    name, c = key.split("_")[0], result["coefficients"]
    scale = result["forces"][name] / c[name] if c[name] else 0.0
    error = result["trends"][name]["error"]
    return result["forces"][name], None if error is None else abs(error * scale)


def glide(result):
    """(value, error) of lift over drag; none where the drag cannot be told from nothing."""
    c, t = result["coefficients"], result["trends"]
    drag, error = c["drag"], t["drag"]["error"]
    if drag <= 0 or (error is not None and error >= drag):
        return None, None
    if error is None or t["lift"]["error"] is None:
        return c["lift"] / drag, None
    value = c["lift"] / drag
    return value, abs(value) * math.hypot(t["lift"]["error"] / max(abs(c["lift"]), 1e-9), error / drag)
