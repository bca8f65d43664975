"""Sections in a plane, and round bodies."""
from ....formats.results import section_files
from ....grids.quality import measure_quality
from ....look.drawable import section_drawable
from ...result import SectionResult
from ..contract import Kind
from . import preflight
from .ready import prepare_section, section_channels
from .run import Execution

KIND = Kind("section", "section", prepare_section, preflight.preflight, preflight.estimate,
            preflight.DEFAULT_COST, "cost_per_cell_step", section_channels, Execution, measure_quality,
            section_files, SectionResult, drawable=section_drawable, takes_neighbour=True)
