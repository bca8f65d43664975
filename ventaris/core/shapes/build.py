"""From the sheet's shape section to a `Section`."""
from dataclasses import dataclass

import numpy as np

from . import families
from .coordinates import ShapeError
from .edits import deflect_rear, scale_thickness_and_camber
from .section import Section, section_from_points


@dataclass(frozen=True)
class BuiltSection:
    """A section ready to be gridded.

    Attributes
    ----------
    section : Section
        In chord units.
    chord : float
        In metres.
    turned : float
        Degrees by which imported coordinates were turned to lay their chord line level.
    """

    section: Section
    chord: float
    turned: float


def build(shape):
    """Build the outline of a sheet's `Shape`, edits applied; raises `ShapeError`."""
    turned = 0.0
    if shape.kind == "four-digit":
        loop = families.four_digit(shape.thickness, shape.camber, shape.camber_position, shape.trailing_edge)
    elif shape.kind == "ellipse":
        loop = families.ellipse(shape.thickness)
    elif shape.kind == "double wedge":
        loop = families.double_wedge(shape.thickness, shape.ridge_position)
    else:
        section, _, turned = section_from_points(np.array(shape.points))
        loop = section.loop
    edits = shape.edits
    loop = scale_thickness_and_camber(loop, edits.thickness_scale, edits.camber_scale, edits.trailing_edge_gap)
    loop = deflect_rear(loop, edits.flap_hinge, np.radians(edits.flap_deflection), edits.flap_blend)
    section = Section(loop)
    x = np.linspace(0.02, 0.98, 97)
    if edits.flap_deflection == 0:
        upper, lower = section.sides(x)
        if np.any(upper <= lower):
            where = x[np.argmax(upper <= lower)]
            raise ShapeError(f"shape.edits: the section has no thickness left at x = {where:.2f} chords. "
                             "Raise the thickness scale or the trailing-edge gap.")
    return BuiltSection(section, shape.chord, turned)
