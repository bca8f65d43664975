"""All kinds of campaign; a further one is a folder here, one in the web's room, and a line."""
from . import body, jet, nozzle, row, section

KINDS = {module.KIND.name: module.KIND for module in (section, body, nozzle, jet, row)}
# Of each family of sheets the kind that it is named after.
FAMILIES = {kind.space: kind for kind in KINDS.values() if kind.name == kind.space}


def kind_of(sheet):
    """The kind that a sheet is of."""
    return KINDS[sheet.kind]


def is_spatial(result):
    """Whether a result's levels are of first order in space; those of the first versions were of sections."""
    return FAMILIES[result.get("space", "section")].is_spatial
