"""How a field of the run sheet is declared: once, with its unit, interval, default and help.

The form, the TOML reader, the error messages and the documentation all read this
declaration.
"""
from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator
from pydantic_core import PydanticUndefined

from .. import units

REQUIRED = PydanticUndefined


class SheetError(ValueError):
    """A sheet with mistakes in it.

    Attributes
    ----------
    problems : list of (path, message)
        `path` is the dotted name of the field.
    """
    def __init__(self, problems):
        self.problems = list(problems)
        super().__init__("\n".join(message for _, message in self.problems))


def number(default, unit="", low=None, high=None, label="", help="", above=None, when=None, whole=False,
           multiple=None, hint="", seen=None, usual=None):
    """A numeric field.

    Parameters
    ----------
    default : float or None
        None makes it optional: an empty field lets the program choose.
    unit : str
        Unit of a bare number.
    low, high : float
        Accepted interval, ends included.
    above : float
        Lower end, excluded.
    hint : str
        The mend, said when the value lies outside the interval.
    when : dict
        {other field of the section: accepted values}: when this field applies.
    seen : dict or list of dict
        {"section.field": accepted values} of other sections; the form shows the field only where one of them
        holds.
    usual : dict
        Values that people take, with where: {"0.1": "a quiet tunnel"}.
    """
    meta = dict(kind="number", unit=unit, low=low, high=high, above=above, label=label, help=help,
                when=when or {}, seen=seen or {}, whole=whole, multiple=multiple, hint=hint,
                optional=default is None, usual=usual or {})
    return Field(default, json_schema_extra=meta)


def choice(default, label="", help="", when=None, seen=None, **options):
    """A field with a closed set of values; `options` maps them to what the page shows."""
    return Field(
        default, json_schema_extra=dict(kind="choice", label=label, help=help, when=when or {}, seen=seen
                                        or {}, options=options))


def text(default, label="", help="", most=80, when=None):
    return Field(default, json_schema_extra=dict(kind="text", label=label, help=help, when=when or {},
                                                 most=most))


def shown_when(section, meta):
    """Alternatives of {"section.field": accepted values (tuple)} under which the form shows a field; empty:
    always."""
    own = {f"{section}.{key}": allowed for key, allowed in meta["when"].items()}
    elsewhere = meta.get("seen") or {}
    alternatives = [{**own, **other} for other in (elsewhere if isinstance(elsewhere, list) else [elsewhere])]
    return [{
        key: (allowed, ) if isinstance(allowed, str) else tuple(allowed)
        for key, allowed in one.items()
    } for one in alternatives if one]


def interval_words(meta):
    unit = units.PRETTY.get(meta["unit"], meta["unit"])
    tail = f" {unit}" if unit else ""
    lower = meta["above"] if meta["above"] is not None else meta["low"]
    if lower is not None and meta["high"] is not None:
        start = "more than " if meta["above"] is not None else ""
        return f"{start}{lower:g} to {meta['high']:g}{tail}"
    if lower is not None:
        return f"more than {lower:g}{tail}" if meta["above"] is not None else f"{lower:g}{tail} or more"
    if meta["high"] is not None:
        return f"at most {meta['high']:g}{tail}"
    return "any number" + tail


class SheetSection(BaseModel):
    """Base of every section: unknown keys are errors, numbers take units, limits teach."""

    model_config = ConfigDict(extra="forbid", validate_default=False)

    @classmethod
    def meta(cls, name):
        """Declaration of a field as a dict, {} for nested sections."""
        return cls.model_fields[name].json_schema_extra or {}

    @field_validator("*", mode="before")
    @classmethod
    def _read(cls, value, info):
        meta = cls.meta(info.field_name)
        if meta.get("kind") == "number":
            return cls._read_number(value, meta)
        if meta.get("kind") == "choice" and (not isinstance(value, str) or value not in meta["options"]):
            raise ValueError(f"“{str(value)[:40]}” is not one of: {', '.join(meta['options'])}")
        if meta.get("kind") == "text":
            if not isinstance(value, (str, int, float)):
                is_list, is_table = isinstance(value, (list, tuple)), isinstance(value, dict)
                found = "list" if is_list else "section" if is_table else type(value).__name__
                raise ValueError(f"is a {found}; write text in quotes")
            value = str(value)[:meta["most"] + 400].strip()
            if any("\ud800" <= letter <= "\udfff" or letter == "\0" for letter in value):
                raise ValueError("holds a character that is no text. Type it again")
            if len(value) > meta["most"]:
                raise ValueError(f"{len(value)} characters; at most {meta['most']}")
        return value

    @staticmethod
    def _read_number(value, meta):
        if value is None or (isinstance(value, str) and not value.strip()):
            if meta["optional"]:
                return None
            raise ValueError(f"is empty; accepted: {interval_words(meta)}")
        number_ = units.parse(value, meta["unit"])
        too_low = (meta["low"] is not None and number_ < meta["low"]) or (meta["above"] is not None
                                                                          and number_ <= meta["above"])
        if too_low or (meta["high"] is not None and number_ > meta["high"]):
            raise ValueError(f"accepted: {interval_words(meta)}" +
                             (f". {meta['hint']}" if meta["hint"] else ""))
        if meta["whole"]:
            if number_ != round(number_):
                raise ValueError("must be a whole number")
            number_ = int(number_)
            if meta["multiple"] and number_ % meta["multiple"]:
                raise ValueError(
                    f"must be a multiple of {meta['multiple']}, so that the three grid levels are nested; "
                    f"take {max(meta['multiple'], round(number_ / meta['multiple']) * meta['multiple'])}")
        return number_

    @classmethod
    def applies(cls, name, values):
        """Whether a field matters, given the section's other values (dict or object)."""
        get = values.get if isinstance(values, dict) else lambda key: getattr(values, key)
        return all(_allows(get(key), allowed) for key, allowed in cls.meta(name).get("when", {}).items())


def _allows(value, allowed):
    """Whether a field's value is among those that a condition names; "!0" stands for any number but
    nought."""
    allowed = allowed if isinstance(allowed, (tuple, list, set)) else (allowed, )
    return value in allowed or "!0" in allowed and isinstance(value, (int, float)) and value != 0


def problems_of(error: ValidationError, prefix=""):
    """Turn pydantic's findings into (path, message) pairs that name the field, the value and the mend."""
    out = []
    for item in error.errors():
        path = ".".join([prefix] * bool(prefix) + [str(part) for part in item["loc"]])
        given = item.get("input")
        kind = item["type"]
        if kind == "extra_forbidden":
            message = f"{path}: this key is not known in a run sheet. Remove it, or check its spelling."
        elif kind == "missing":
            message = f"{path}: is missing."
        elif kind == "value_error":
            shown = f" = {str(given)[:60]}" if isinstance(given, (str, float)) and str(
                given).strip() else f" = {given}" if isinstance(given, int) and abs(given) < 1e60 else ""
            message = f"{path}{shown}: {str(item['ctx']['error'])}."
        else:
            message = f"{path} = {str(given)[:60]}: {item['msg']}."
        out.append((path, message.replace("..", ".")))
    return out
