"""The run sheet: its fields, its TOML form, and what is derived from it."""
from .fields import SheetError
from .model import SECTIONS, Sheet
from .spaces import SECTIONS_OF, SHARED, SHEETS, SPACE_WORDS, default_setup, read_section, read_sheet
from .toml import differing_inputs, read_toml, write_toml

__all__ = [
    "SECTIONS", "SECTIONS_OF", "SHARED", "SHEETS", "SPACE_WORDS", "Sheet", "SheetError", "default_setup",
    "differing_inputs", "read_section", "read_sheet", "read_toml", "write_toml"
]
