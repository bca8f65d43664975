"""The run sheet as a TOML document, in and out."""
import json
import tomllib

from .fields import SheetError, SheetSection
from .keeping import CARRIED_OUT
from .model import FORMAT
from .spaces import read_sheet
from .. import units


def read_toml(source, overrides=()):
    """Read a run sheet.

    Parameters
    ----------
    source : str or bytes
    overrides : sequence of str
        ``path.to.field=value`` settings applied before validation.

    Returns
    -------
    Sheet

    Raises
    ------
    SheetError
    """
    if isinstance(source, bytes):
        try:
            source = source.decode("utf-8")
        except UnicodeDecodeError:
            raise SheetError([("", "The run sheet is not UTF-8 text.")]) from None
    try:
        values = tomllib.loads(source)
    except RecursionError:
        raise SheetError([("", "The run sheet is nested too deeply to be one. Take sections of sections out.")
                          ]) from None
    except ValueError as error:
        raise SheetError([("", f"The run sheet is not valid TOML: {str(error)[:200]}.")]) from None
    if "format" not in values:
        raise SheetError([
            ("format",
             f"format: is missing. A run sheet says its format in its first line: format = {FORMAT}.")
        ])
    for setting in overrides:
        apply_setting(values, setting)
    try:
        return read_sheet(values)
    except RecursionError:
        raise SheetError([("", "The run sheet is nested too deeply to be one. Take sections of sections out.")
                          ]) from None


def apply_setting(values, setting):
    """Apply ``path.to.field=value`` to a nested dict; rows of a list go by their number, the first is 0."""
    path, sign, value = setting.partition("=")
    if not sign or not path.strip():
        raise SheetError([(setting,
                           f"--set {setting}: write path.to.field=value, for example air.incidence=2deg.")])
    keys = path.strip().split(".")
    for key in keys[:-1]:
        if isinstance(values, list):
            values = _row(values, key, path, setting)
        else:
            values = values.setdefault(key, {})
        if not isinstance(values, (dict, list)):
            raise SheetError([(path, f"--set {setting}: {key} is a value, not a section.")])
    if isinstance(values, list):
        raise SheetError([(path, f"--set {setting}: name a field of one of the rows, for example "
                           f"{'.'.join(keys[:-1])}.0.field=value.")])
    try:
        values[keys[-1]] = json.loads(value)
    except ValueError:
        values[keys[-1]] = value.strip()


def _row(rows, key, path, setting):
    """A row of a list by its number; raises SheetError."""
    if not key.isascii() or not key.isdigit() or int(key[:6]) >= len(rows):
        there = f"there are 0 to {len(rows) - 1}" if rows else "there are none"
        raise SheetError([(path, f"--set {setting}: “{key[:40]}” is no row: {there}.")])
    return rows[int(key)]


def write_toml(sheet):
    """Write a sheet as TOML, with units as comments; fields that do not apply are left out."""
    lines = [f"format = {sheet.format}", f"title = {_value(sheet.title)}"]
    if sheet.space != "section":
        lines.insert(1, f"space = {_value(sheet.space)}")
    for name in type(sheet).model_fields:
        part = getattr(sheet, name)
        if isinstance(part, SheetSection):
            lines += _table(name, part)
    return "\n".join(lines) + "\n"


def _table(path, section):
    lines, nested = ["", f"[{path}]"], []
    for name in type(section).model_fields:
        value, meta = getattr(section, name), type(section).meta(name)
        if isinstance(value, SheetSection):
            nested += _table(f"{path}.{name}", value)
        elif value is None or value == [] or not type(section).applies(name, section):
            continue
        elif isinstance(value, list) and isinstance(value[0], SheetSection):
            for item in value:
                nested += ["", f"[[{path}.{name}]]"] + _table("", item)[2:]
        elif meta.get("kind") == "points":
            lines += [f"{name} = ["] + [f"  [{x!r}, {y!r}]," for x, y in value] + ["]"]
        else:
            unit = units.PRETTY.get(meta.get("unit", ""), meta.get("unit", ""))
            lines.append(f"{name} = {_value(value)}" + (f"  # {unit}" if unit else ""))
    return lines + nested


def _value(value):
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, (int, float)):
        return repr(value)
    return json.dumps(str(value), ensure_ascii=False).replace("\x7f", "\\u007f")


def differing_inputs(one, other):
    """Fields in which two sheets differ, but for those of how a run is carried out.

    Returns
    -------
    list of (path, label, value, value)
    """
    return [found for found in _differences("", one, other) if found[0] not in CARRIED_OUT]


def _differences(prefix, one, other):
    for name in type(one).model_fields:
        a, b = getattr(one, name), getattr(other, name)
        path = f"{prefix}{name}"
        if isinstance(a, SheetSection):
            yield from _differences(f"{path}.", a, b)
            continue
        if name == "title" and not prefix:
            continue
        if _is_rows(a) and _is_rows(b) and len(a) == len(b):
            for one_row, other_row in zip(a, b):
                own = getattr(one_row, "name", "") or getattr(one_row, "surface", "")
                for sub, label, *values in _differences("", one_row, other_row):
                    yield (f"{path}.{own}.{sub}" if own else f"{path}.{sub}",
                           f"{own}: {label}" if own else label, *values)
            continue
        used = [type(s).applies(name, s) for s in (one, other)]
        if not any(used) or a == b:
            continue
        meta = type(one).meta(name)
        shown = [_shown(value, meta) if used_ else "–" for value, used_ in zip((a, b), used)]
        if shown[0] != shown[1] or meta.get("kind") == "points":
            yield path, meta.get("label") or name, shown[0], shown[1]


def _is_rows(value):
    return isinstance(value, list) and bool(value) and isinstance(value[0], SheetSection)


def _shown(value, meta):
    if value is None:
        return "automatic"
    if meta.get("kind") == "number":
        return units.show(value, meta["unit"], 6)
    if meta.get("kind") == "points":
        return f"{len(value)} points"
    if isinstance(value, list):
        names = [getattr(row, "name", "") for row in value]
        return ", ".join(names) if names and all(
            names) else f"{len(value)} {'entry' if len(value) == 1 else 'entries'}" if value else "none"
    return str(value)
