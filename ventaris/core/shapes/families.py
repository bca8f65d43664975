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


def double_wedge(thickness, ridge_position=0.5):
    """Four straight sides, sharp at both ends, thickest at the ridge."""
    corners = np.array([[1, 0], [ridge_position, thickness / 2], [0, 0], [ridge_position, -thickness / 2], [1, 0]])
    share = np.linspace(0, 1, POINTS_PER_SIDE // 4, endpoint=False)[:, None]
    sides = [a + share * (b - a) for a, b in zip(corners[:-1], corners[1:])]
    return np.concatenate(sides + [corners[-1:]])
