"""Perceptually uniform colour maps: one for magnitudes, one for differences.

References
----------
Crameri, Shephard, Heron: The misuse of colour in science communication, Nature
Communications 11, 2020; the maps come with the package `cmcrameri`.
"""
import numpy as np
from cmcrameri import cm
from matplotlib.colors import ListedColormap

SEQUENTIAL, DIVERGING = "lapaz", "vik"
OFFERED = ("lapaz", "batlow", "davos", "bilbao", "vik", "broc", "roma")
BANDS = 24


def colour_map(name, bands=0):
    """A map by name as a Matplotlib colour map, in steps where `bands` is given."""
    if name not in OFFERED:
        raise ValueError(f"colour map {name}: known are {', '.join(OFFERED)}")
    base = getattr(cm, name)
    return ListedColormap(base(np.linspace(0, 1, bands))) if bands else base


def table(name, size=256):
    """Colours as bytes, shape (size, 3)."""
    return (colour_map(name)(np.linspace(0, 1, size))[:, :3] * 255).round().astype(np.uint8)


def map_for(quantity):
    """The default map of a quantity."""
    return DIVERGING if quantity.diverging else SEQUENTIAL
