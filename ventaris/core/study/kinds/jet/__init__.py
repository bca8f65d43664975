"""The jet of a nozzle followed in time, and its noise."""
from ....formats.results import nozzle_files
from ....grids.quality import measure_quality
from ....look.drawable import nozzle_drawable
from ...result import NozzleResult
from ..contract import Kind
from ..nozzle.judge import DEFAULT_COST
from ..nozzle.portrait import PORTRAIT
from ..nozzle.quantities import QUANTITIES
from ..nozzle.ready import prepare_nozzle
from .ready import estimate_noise, noise_channels
from .run import NoiseExecution, preflight_jet

KIND = Kind("jet", "nozzle", prepare_nozzle, preflight_jet, lambda setup, cost: estimate_noise(setup),
            DEFAULT_COST, "cost_per_cell_step_in_nozzles", noise_channels, NoiseExecution, measure_quality,
            nozzle_files, NozzleResult, QUANTITIES, PORTRAIT, drawable=nozzle_drawable, reads_lines=True)
