"""The kinds of run sheet, sections in a plane, bodies in space, nozzles and jets, and how each is read."""
import functools

from pydantic import ValidationError

from . import blades, body, model, nozzle
from .fields import SheetError, problems_of
from .model import FORMAT

SHEETS = {"section": model.Sheet, "body": body.BodySheet, "nozzle": nozzle.NozzleSheet,
          "row": blades.RowSheet}
SECTIONS_OF = {"section": model.SECTIONS, "body": body.SECTIONS, "nozzle": nozzle.SECTIONS,
               "row": blades.SECTIONS}
SPACE_WORDS = {
    "section": "Sections in a plane", "body": "Bodies in space", "nozzle": "Nozzles and their jets",
    "row": "Blade rows"
}
# Sections that every run of a campaign shares; the shape belongs to the variant, the air to the operating
# point.
SHARED = ("domain", "grid", "instruments", "flow", "run")

NO_TEXT = "The sheet holds a character that is no text (half of one). Type it again, or export it again."


def read_section(name, values, space="section"):
    """Validate one section given as a dict; raises SheetError."""
    try:
        return SECTIONS_OF[space][name].model_validate(values)
    except ValidationError as error:
        raise SheetError(problems_of(error, name)) from None
    except UnicodeError:
        raise SheetError([(name, NO_TEXT)]) from None


def read_sheet(values):
    """Validate a whole sheet given as a dict; raises SheetError with every problem found."""
    if isinstance(values, dict) and values.get("format", FORMAT) != FORMAT:
        raise SheetError([("format",
                           f"format = {str(values['format'])[:40]}: this program reads format {FORMAT}. "
                           "Export the sheet again, or update Ventaris.")])
    space = values.get("space", "section") if isinstance(values, dict) else "section"
    if not isinstance(space, str) or space not in SHEETS:
        raise SheetError([(
            "space",
            f"space = {str(space)[:40]}: accepted: {', '.join(SHEETS)}. A section lies in a plane, a body in "
            "space; a nozzle and a blade row have their own sheets."
        )])
    try:
        return SHEETS[space].model_validate(values)
    except ValidationError as error:
        raise SheetError(problems_of(error)) from None
    except UnicodeError:
        raise SheetError([("", NO_TEXT)]) from None


@functools.cache
def default_setup(space="section"):
    """Sections that a campaign shares, with their defaults, as plain values."""
    return {name: SECTIONS_OF[space][name]().model_dump() for name in SHARED}
