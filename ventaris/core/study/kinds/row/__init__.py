"""Blade rows that turn or stand, in a duct or in the open."""
from ....formats.results import row_files
from ....look.row_planes import row_drawable
from ...result import RowResult
from ..contract import Kind
from . import judge
from .quality import row_quality
from .ready import prepare_row
from .run import RowExecution

KIND = Kind("row",
            "row",
            prepare_row,
            judge.preflight_row,
            judge.estimate_row,
            judge.DEFAULT_COST,
            "cost_per_cell_step_in_rows",
            judge.row_channels,
            RowExecution,
            row_quality,
            row_files,
            RowResult,
            drawable=row_drawable,
            reads_lines=True)
