"""Sections in a plane, and round bodies."""
from ....formats.results import section_files
from ....grids.quality import measure_quality
from ....look.drawable import section_drawable
from ...result import SectionResult
from ..contract import Kind, Neighbourhood
from . import preflight
from .portrait import PORTRAIT
from .quantities import QUANTITIES
from .ready import prepare_section, section_channels
from .run import Execution



def _away(air, other):
    """Degrees of incidence; 0.05 of a Mach number or 10 m/s count as one."""
    return (abs(air.incidence - other.incidence) + 20 * abs(air.mach - other.mach) * (air.motion == "mach") +
            0.1 * abs(air.speed - other.speed) * (air.motion == "speed"))


KIND = Kind(
    "section", "section", prepare_section, preflight.preflight, preflight.estimate, preflight.DEFAULT_COST,
    "cost_per_cell_step", section_channels, Execution, measure_quality, section_files, SectionResult,
    QUANTITIES, PORTRAIT, drawable=section_drawable, neighbourhood=Neighbourhood(
        frozenset({"air.incidence", "air.mach", "air.speed", "run.start", "air.reynolds"}), _away))
