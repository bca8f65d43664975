"""Nozzles, ducts and their jets, steady."""
from ....formats.results import nozzle_files
from ....grids.quality import measure_quality
from ....look.drawable import nozzle_drawable
from ...result import NozzleResult
from ..contract import Kind
from . import judge
from .portrait import PORTRAIT
from .quantities import QUANTITIES
from .ready import nozzle_channels, prepare_nozzle
from .run import NozzleExecution

KIND = Kind("nozzle", "nozzle", prepare_nozzle, judge.preflight_nozzle, judge.estimate_nozzle,
            judge.DEFAULT_COST, "cost_per_cell_step_in_nozzles", nozzle_channels, NozzleExecution,
            measure_quality, nozzle_files, NozzleResult, QUANTITIES, PORTRAIT, drawable=nozzle_drawable,
            reads_lines=True)
