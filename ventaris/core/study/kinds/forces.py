"""Forces and lift over drag of results that weigh a shape."""
import math

COEFFICIENTS = (("lift", "Lift coefficient CL", 4), ("drag", "Drag coefficient CD", 5),
                ("moment", "Moment coefficient CM", 4))


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


def stream_words(setup, air):
    """Mach and Reynolds number, incidence and yaw."""
    incidence, yaw = air.get("incidence", 0), air.get("yaw", 0)
    turned = (f"α {incidence:g}°" + (f" · yaw {yaw:g}°" if yaw else "")).replace("-", "−")
    state = f"M {setup.air.mach:.3g} · Re {setup.reynolds:.2g} · ".replace("e+0", "e") if setup else ""
    return state + turned
