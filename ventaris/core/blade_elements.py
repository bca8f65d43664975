"""Blade elements and momentum: thrust and torque of a rotor in the open, as theory beside what is computed.

Every ring of the disc stands for itself; thin-aerofoil lift, corrected for the Mach number, up to a stall;
Prandtl's factor for the number of blades at tip and root; one drag coefficient.

References
----------
Glauert: Airplane propellers, in Durand (ed.): Aerodynamic theory, vol. IV, 1935.
Burton, Jenkins, Sharpe, Bossanyi: Wind energy handbook, 2011, chapter 3 (loaded wheels, root and tip).
"""
import numpy as np
from scipy.optimize import brentq

from .shapes.blades import between

RINGS = 40
STALL = np.radians(14.0)
DRAG = 0.01
# Axial induction from which momentum theory is bent over (Glauert; Burton's straight line).
LOADED = 0.35


def rotor_theory(radii, chord, pitch, blades, hub, tip, omega, wind, sound, density, drag=DRAG, camber=None,
                 slope=2 * np.pi):
    """Thrust upstream (N) and torque against the turning (N m) of a rotor.

    Parameters
    ----------
    radii : array
        Where chord, pitch and camber are given, m.
    pitch : array
        Of the chord against the plane of rotation, radians.
    camber : array or None
        Turning of the camber lines, radians; an arc's zero-lift angle is a half of it.
    hub, tip : float
    omega, wind, sound, density : float
    drag : float
    slope : float
        Of the sections' lift, per radian, at low Mach numbers.

    Returns
    -------
    dict
        thrust, torque, power; and arrays radius, thrust_per_length, torque_per_length.
    """
    edges = hub + (tip - hub) * 0.5 * (1 - np.cos(np.linspace(0, np.pi, RINGS + 1)))
    middle, width = 0.5 * (edges[1:] + edges[:-1]), np.diff(edges)
    camber = np.zeros(len(radii)) if camber is None else camber
    thrust, torque = np.zeros(RINGS), np.zeros(RINGS)
    courses = [between(radii, values) for values in (chord, pitch, camber)]
    for k, r in enumerate(middle):
        c, angle, bend = (float(course(r)) for course in courses)
        thrust[k], torque[k] = _ring(r, c, angle + 0.25 * bend, blades, hub, tip, omega, wind, sound, density,
                                     drag, slope)
    total = {"thrust": float((thrust * width).sum()), "torque": float((torque * width).sum())}
    return total | {
        "power": total["torque"] * omega,
        "radius": middle,
        "thrust_per_length": thrust,
        "torque_per_length": torque
    }


def _ring(r, chord, pitch, blades, hub, tip, omega, wind, sound, density, drag, slope):
    """Thrust and torque per length of one ring, by the angle at which the air meets the blade."""
    solidity = blades * chord / (2 * np.pi * r)

    def state(phi):
        """Forces per ring and what momentum would need, at an inflow angle from the plane of rotation."""
        s, c = np.sin(phi), np.cos(phi)
        through = max(abs(s), 1e-6)
        f = lambda gap: 2 / np.pi * np.arccos(np.clip(np.exp(-blades / 2 * gap / (r * through)), 0, 1))
        loss = max(f(tip - r) * f(r - hub), 1e-3)
        incidence = pitch - phi
        speed = omega * r / max(c, 0.05)
        mach = min(speed / sound, 0.85)
        lift = slope * np.clip(incidence, -STALL, STALL) / np.sqrt(1 - mach**2)
        normal, along = lift * c - drag * s, lift * s + drag * c
        return s, c, loss, normal, along

    def gap(phi):
        s, c, loss, normal, along = state(phi)
        # The speeds of a ring: w sin(phi) = wind + induced, w cos(phi) = omega r - swirl.
        swirl = solidity * along / (4 * loss * s * c) if abs(s) > 1e-9 else 0.0
        speed = omega * r / (c * (1 + swirl)) if c * (1 + swirl) > 0 else omega * r
        through = speed * s
        induced = through - wind
        momentum = 4 * loss * induced * abs(through)
        if wind > 0 and -induced > LOADED * wind:
            # A loaded wheel: its thrust grows in a straight line from where the theory ends.
            a = -induced / wind
            momentum = -loss * wind**2 * (4 * LOADED * (1 - LOADED) + (a - LOADED) * 4 * (1 - 2 * LOADED))
        return solidity * speed**2 * normal - momentum, speed

    angles = np.concatenate([np.linspace(-1.2, -1e-4, 120), np.linspace(1e-4, 1.5, 240)])
    values = [gap(a)[0] for a in angles]
    undisturbed, best = np.arctan2(wind, omega * r), None
    for a, b, one, two in zip(angles, angles[1:], values, values[1:]):
        if a * b > 0 and one * two <= 0 and one != two:
            phi = brentq(lambda q: gap(q)[0], a, b, xtol=1e-10)
            # Momentum theory may balance at several angles: the flow is the one next to the undisturbed.
            if best is None or abs(phi - undisturbed) < abs(best - undisturbed):
                best = phi
    if best is None:
        return 0.0, 0.0
    speed = gap(best)[1]
    _, _, _, normal, along = state(best)
    head = 0.5 * density * speed**2 * chord * blades
    return head * normal, head * along * r
