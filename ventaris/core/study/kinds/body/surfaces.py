"""The boundary conditions of a body's surfaces and of the sides of its box, from its sheet."""
import numpy as np

from ....flow.boundaries.contract import Boundary
from ....grids.embedded import SIDES, boundary_of

NEEDS_FRICTION = ("slides", "turns", "held", "heated")
AXLES = {"across": (0.0, -1.0, 0.0), "along": (1.0, 0.0, 0.0), "upwards": (0.0, 0.0, 1.0)}


def surface_boundaries(sheet, body, air, scale, direction):
    """{surface: Boundary} in the solver's scales.

    Parameters
    ----------
    sheet : BodySheet
    body : Assembly
    air : AirState
    scale : float
        Metres per unit of the solver.
    direction : ndarray, shape (3,)
        Of the stream.

    Raises
    ------
    ValueError
        Where an action names no surface, or asks for what cannot be.
    """
    domain, viscous = sheet.domain, sheet.flow.model != "inviscid"
    out = {name: Boundary("far field") for name in SIDES}
    if domain.walls == "slip":
        sides = ("left", "right", "ceiling") + (("floor", ) if domain.kind == "free" else ())
        out.update({name: Boundary("slip") for name in sides})
    if domain.kind == "ground":
        kind = "no-slip" if viscous and domain.ground != "slip" else "slip"
        out["floor"] = Boundary(kind, tuple(air.mach * direction) if domain.ground == "moving" else ())
    if domain.half == "yes":
        out["left"] = Boundary("slip")
    if viscous:
        out |= _wheels(body, air.mach, scale)
    for number, action in enumerate(sheet.air.walls):
        meant = _meant(action.surface, body.surface, number)
        for name in meant:
            if name == "left" and domain.half == "yes":
                raise ValueError(
                    f"air.walls.{number}.surface = left: with half of the body that side is the symmetry "
                    "plane. Name another, or take the whole body"
                )
            out[name] = _boundary(action, name, body.surface, air, scale, viscous, domain)
        if action.action == "turns" and viscous:
            turning = _turning(action, meant, body.surface, air, scale, number)
            out |= {name: Boundary("no-slip", turning) for name in meant}
    return out


def open_surfaces(sheet, surface):
    """{surface: its action} of what air passes or heat crosses, in the sheet's order."""
    found = {}
    for number, action in enumerate(sheet.air.walls):
        if action.is_open or action.action in ("held", "heated"):
            found |= {name: action for name in _meant(action.surface, surface, number)}
    return found


def surfaces_to_name(surface):
    """What an action may name, in the order in which they are told."""
    return list(dict.fromkeys(["body", *surface.parts, *surface.patches, *SIDES]))


def _meant(name, surface, number):
    """Names of boundaries that an action's surface stands for; of a body those of its patches."""
    patches = [boundary_of(p) for p in surface.patches]
    if name == "body":
        return patches
    if name in patches or name in SIDES:
        return [name]
    if name in surface.parts:
        own = surface.part == surface.parts.index(name)
        return [patches[k] for k in np.unique(surface.patch[own])]
    raise ValueError(
        f"air.walls.{number}.surface = {name}: there is no such surface. There are: "
        f"{', '.join(surfaces_to_name(surface))}. Name a surface under Shape, or take one of these")


def _turning(action, meant, surface, air, scale, number):
    """Velocity of walls that turn together about the middle of their box."""
    own = np.isin(surface.patch, [k for k, p in enumerate(surface.patches) if boundary_of(p) in meant])
    if not own.any():
        raise ValueError(
            f"air.walls.{number}.surface = {action.surface}: a side of the box cannot turn. Name a part or a "
            "surface of the body")
    corners = surface.corners[own].reshape(-1, 3) / scale
    low, high = corners.min(axis=0), corners.max(axis=0)
    axle, way = 0.5 * (low + high), np.array(AXLES[action.turn_axis])
    if action.turn_speed is None:
        rate = air.mach / (0.5 * (high[2] - low[2]))
    else:
        rate = action.turn_speed * 2 * np.pi / 60 * scale / air.speed_of_sound
    return _spinning(axle, rate * way)


def _spinning(axle, rate):
    """Velocity of a wall that turns, as a function of its points."""
    return lambda points: np.cross(rate, points - axle)


def _wheels(body, mach, scale):
    out, surface = {}, body.surface
    for part, axle in body.wheels.items():
        velocity = _rolling(axle / scale, mach, surface, part, scale)
        for k, patch in enumerate(surface.patches):
            if surface.parts.index(part) in np.unique(surface.part[surface.patch == k]):
                out[patch] = Boundary("no-slip", velocity)
    return out


def _rolling(axle, mach, surface, part, scale):
    """Velocity of a wheel's wall: the point under the axle moves with the ground."""
    inside = surface.vertices[np.unique(surface.triangles[surface.part == surface.parts.index(part)])] / scale
    radius = 0.5 * float(inside[:, 2].max() - inside[:, 2].min())
    return _spinning(axle, mach / radius * np.array(AXLES["across"]))


def _boundary(action, name, surface, air, scale, viscous, domain):
    """One surface's condition."""
    def gauge(pressure):
        return (pressure / air.pressure - 1) / air.gamma

    does, sound = action.action, air.speed_of_sound
    if does in NEEDS_FRICTION and not viscous or does == "slips":
        return Boundary("slip")
    if does in NEEDS_FRICTION:
        velocity = (action.along / sound, action.across / sound,
                    action.upwards / sound) if does == "slides" else ()
        heat = action.heat / (air.density * sound**3) if does == "heated" else 0.0
        return Boundary("no-slip", velocity, temperature=action.temperature / air.temperature,
                        isothermal=does == "held", heat=heat)
    warm = action.total_temperature / air.temperature
    blown = (action.blown_temperature or air.temperature) / air.temperature
    if does == "blows":
        return Boundary("blown", blown=action.speed / sound, temperature=blown)
    if does == "vents":
        return Boundary("outlet", pressure=gauge(action.pressure), temperature=warm)
    if does == "supplies":
        return Boundary("total inlet", pressure=gauge(action.total_pressure), temperature=warm)
    if does == "supersonic":
        cold = action.static_temperature / air.temperature
        inward = -_outward(name, surface)
        return Boundary("far field",
                        state=(gauge(action.pressure), cold, *(action.mach * np.sqrt(cold) * inward)))
    # Of half a body half of the surface is computed, and half of its flow.
    flow = action.mass_flow / (air.density * sound * scale**2) * (0.5 if domain.half == "yes" else 1.0)
    kind = {"takes in": "mass outlet", "feeds": "mass inlet", "blows mass": "blown"}[does]
    return Boundary(kind, mass_flow=flow, blown=flow, whole=True, by_speed=False,
                    temperature=blown if kind == "blown" else warm)


def triangles_of(boundary, surface):
    """Which triangles of a body's surface a boundary is made of, shape (m,); none of a side of the box."""
    owner = [k for k, patch in enumerate(surface.patches) if boundary_of(patch) == boundary]
    return np.isin(surface.patch, owner)


def _outward(name, surface):
    """Mean direction out of the air, of a side of the box or a surface of the body."""
    if name in SIDES:
        side = SIDES.index(name)
        return np.eye(3)[side // 2] * (-1.0 if side % 2 == 0 else 1.0)
    own = triangles_of(name, surface)
    mean = (surface.areas[own, None] * surface.normals[own]).sum(axis=0)
    # The surface's normals look into the air.
    return -mean / np.linalg.norm(mean)
