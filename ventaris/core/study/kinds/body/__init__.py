"""Bodies in space."""
from ....formats.results import body_files
from ....grids.embedded import mesh_quality
from ...result import BodyResult
from ..contract import Kind
from . import preflight
from .portrait import PORTRAIT
from .quantities import QUANTITIES
from .ready import prepare_body
from .run import BodyExecution, body_channels

KIND = Kind("body", "body", prepare_body, preflight.preflight_body, preflight.estimate_body,
            preflight.DEFAULT_COST, "cost_per_cell_step_in_space", body_channels, BodyExecution, mesh_quality,
            body_files, BodyResult, QUANTITIES, PORTRAIT, is_spatial=True)
