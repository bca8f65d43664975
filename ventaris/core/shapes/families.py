"""Section families built from parameters.

Every builder returns a loop of points, shape (n, 2), in units of the chord:
from the trailing edge over the upper side to the leading edge and back along
the lower side.  A closed trailing edge repeats its point at the end; an open
one does not.
"""
import numpy as np

POINTS_PER_SIDE = 240


def four_digit(thickness, camber=0.0, camber_position=0.4, trailing_edge="closed"):
    """The four-digit thickness and camber family.

    Parameters
    ----------
    thickness, camber, camber_position : float
        In chords.
    trailing_edge : {"closed", "open"}
        "open" keeps the family's own finite thickness at x = 1.

    References
    ----------
    Jacobs, Ward, Pinkerton: The characteristics of 78 related airfoil sections,
    NACA Report 460, 1933; the closed variant changes the last coefficient
    to -0.1036 so that the thickness ends at zero.
    """
    x = 0.5 * (1 - np.cos(np.linspace(0, np.pi, POINTS_PER_SIDE)))
    last = -0.1036 if trailing_edge == "closed" else -0.1015
    half = 5 * thickness * (0.2969 * np.sqrt(x) - 0.1260 * x - 0.3516 * x**2 + 0.2843 * x**3 + last * x**4)
    if trailing_edge == "closed":
        half[-1] = 0.0
    m, p = camber, camber_position
    front = x < p
    line = np.where(front, m / p**2 * (2 * p * x - x**2), m / (1 - p)**2 * (1 - 2 * p + 2 * p * x - x**2))
    slope = np.where(front, 2 * m / p**2 * (p - x), 2 * m / (1 - p)**2 * (p - x))
    angle = np.arctan(slope)
    upper = np.stack([x - half * np.sin(angle), line + half * np.cos(angle)], axis=1)
    lower = np.stack([x + half * np.sin(angle), line - half * np.cos(angle)], axis=1)
    return np.concatenate([upper[::-1], lower[1:]])


def ellipse(thickness):
    """An ellipse of unit chord; thickness 1 is the circle."""
    angle = np.linspace(0, 2 * np.pi, 2 * POINTS_PER_SIDE + 1)
    loop = np.stack([0.5 + 0.5 * np.cos(angle), 0.5 * thickness * np.sin(angle)], axis=1)
    loop[-1] = loop[0]
    return loop


NOSES = {
    "cone": "Cone", "ogive": "Tangent ogive", "ellipsoid": "Half ellipsoid",
    "least drag": "Least drag for length and diameter"
}


def revolution_body(diameter, nose, nose_length, tail_length, base):
    """The outline of a body of revolution: nose, cylinder, boat-tail, blunt base.

    Parameters
    ----------
    diameter, nose_length, tail_length : float
        In body lengths.
    nose : one of NOSES
    base : float
        Base diameter over the diameter.

    References
    ----------
    "least drag" is the slender nose of Sears (Q. Appl. Math. 4, 1947) and Haack for given length and
    diameter.
    """
    radius = 0.5 * diameter
    share = 0.5 * (1 - np.cos(np.linspace(0, np.pi, POINTS_PER_SIDE)))
    x = share * nose_length
    if nose == "cone":
        r = radius * share
    elif nose == "ogive":
        rho = (radius**2 + nose_length**2) / (2 * radius)
        r = np.sqrt(np.maximum(rho**2 - (nose_length - x)**2, 0)) + radius - rho
    elif nose == "ellipsoid":
        r = radius * np.sqrt(1 - (1 - share)**2)
    else:
        angle = np.arccos(1 - 2 * share)
        r = radius / np.sqrt(np.pi) * np.sqrt(np.maximum(angle - 0.5 * np.sin(2 * angle), 0))
    r[0] = 0.0
    x, r = [x], [r]
    if nose_length + tail_length < 1 - 1e-9:
        step = np.linspace(0, 1, 60)[1:]
        x.append(nose_length + step * (1 - nose_length - tail_length))
        r.append(np.full(len(step), radius))
    if tail_length > 0:
        step = np.linspace(0, 1, 40)[1:]
        x.append(1 - tail_length + step * tail_length)
        r.append(radius * (1 + step * (base - 1)))
    x, r = np.concatenate(x), np.concatenate(r)
    upper = np.stack([x, r], axis=1)[::-1]
    return np.concatenate([upper, np.stack([x, -r], axis=1)[1:]])


def double_wedge(thickness, ridge_position=0.5):
    """Four straight sides, sharp at both ends, thickest at the ridge."""
    corners = np.array([[1, 0], [ridge_position, thickness / 2], [0, 0], [ridge_position, -thickness / 2],
                        [1, 0]])
    share = np.linspace(0, 1, POINTS_PER_SIDE // 4, endpoint=False)[:, None]
    sides = [a + share * (b - a) for a, b in zip(corners[:-1], corners[1:])]
    return np.concatenate(sides + [corners[-1:]])
