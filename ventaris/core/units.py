"""What a person types ("60 mph", "-50 degC", "12 %") to numbers in a field's own unit, and back.

The core computes in SI; a field of the run sheet declares the unit in which a bare
number is meant (metres, kelvin, degrees …).
"""
import functools
import math
import numbers
import re

import pint

# What is typed is bounded before anything reads it: length, characters, and powers of units.
LONGEST = 80
NUMBER = re.compile(
    r"([-+−]?(?:[0-9]{1,40}(?:[.,][0-9]{0,40})?|[.,][0-9]{1,40})(?:[eE][-+]?[0-9]{1,4})?)(.*)", re.DOTALL)
# Thousands set off by commas: 10,000 is as often ten thousand as it is ten. Spaces and apostrophes have one
# meaning only.
THOUSANDS = re.compile(r"[-+−]?[1-9][0-9]{0,2}(?:,[0-9]{3})+(?![0-9])")
SET_OFF = re.compile(r"[-+−]?[1-9][0-9]{0,2}(?:['’ \u00a0\u2009\u202f][0-9]{3})+(?![0-9])")
UNIT = re.compile(r"[A-Za-zµμ°%/*^0-9 ._()·²³-]{0,32}")
# Factors with powers of at most two digits, multiplied or divided: all that a unit needs.
POWER = r"(?:\s?(?:\^|\*\*)\s?-?[0-9]{1,2}|[²³])?"
FACTOR = rf"(?:[A-Za-zµμ°%][A-Za-z_µμ°%]{{0,24}}[0-9]?{POWER}|1)"
SIGN = r"(?:\s?[*/·]\s?|\s)"
BRACKET = rf"\({FACTOR}(?:{SIGN}{FACTOR}){{0,4}}\)"
PRODUCT = re.compile(rf"(?:{FACTOR}|{BRACKET})(?:{SIGN}(?:{FACTOR}|{BRACKET})){{0,4}}")
SPELLINGS = {
    "°C": "degC", "°F": "degF", "°": "deg", "%": "percent", "kts": "knot", "kn": "knot",
    "km/h": "kilometer_per_hour", "kph": "kilometer_per_hour", "chords": "", "chord": "", "degrees": "deg",
    "celsius": "degC", "Celsius": "degC"
}
KINDS = {
    "m": "length", "m/s": "speed", "Pa": "pressure", "K": "temperature", "deg": "angle", "rad": "angle",
    "kg/m^3": "density", "Pa*s": "dynamic viscosity", "": "plain number", "J/(kg*K)": "gas constant",
    "%": "percentage", "kg/(m*s)": "mass flow per span", "kg/s": "mass flow", "W/m^2": "heat flux",
    "rpm": "speed of rotation", "m/s^2": "acceleration"
}
# What is written for speeds of rotation, where it would be read as radians or not at all.
TURNS = {"Hz": "turn/s", "1/s": "turn/s", "rev/s": "turn/s", "1/min": "rpm", "rev/min": "rpm"}
EXAMPLES = {
    "m": "0.24 m, 240 mm, 3 ft", "m/s": "28 m/s, 100 km/h, 60 mph, 54 knot",
    "Pa": "26500 Pa, 26.5 kPa, 1 bar", "K": "288 K, 15 degC, -50 degC", "deg": "2 deg, 0.03 rad",
    "kg/m^3": "1.225 kg/m^3", "Pa*s": "1.8e-5 Pa*s", "": "0.12 or 12 %", "J/(kg*K)": "287.05 J/(kg*K)",
    "%": "0.1 or 0.1 %", "kg/(m*s)": "0.2 kg/(m*s)", "kg/s": "0.5 kg/s, 500 g/s",
    "W/m^2": "5000 W/m^2, 5 kW/m^2", "rpm": "1200 rpm, 20 rev/s, 126 rad/s",
    "m/s^2": "9.81 m/s^2, 1 m/s^2"
}


class UnitError(ValueError):
    """The text is not a number with a unit of the wanted kind."""


@functools.cache
def _registry():
    registry = pint.UnitRegistry(cache_folder=None)
    registry.define("kilometer_per_hour_ = kilometer / hour")
    return registry


def parse(value, unit):
    """Turn a typed value into a number in the given unit.

    Parameters
    ----------
    value : str, int or float
        A bare number is meant in `unit`.
    unit : str
        The field's unit; "" for a plain number.

    Returns
    -------
    float

    Raises
    ------
    UnitError
        When it is not a number, or its unit is of another kind.
    """
    if isinstance(value, bool):
        raise UnitError(f"{value} is not a number")
    if isinstance(value, (int, float)):
        if abs(value) > 1e300:
            raise UnitError("is not a finite number")
        return _finite(float(value), value)
    if not isinstance(value, str):
        raise UnitError(
            f"a {type(value).__name__} is not a number with a unit; write for example "
            f"{EXAMPLES.get(unit, '1')}"
        )
    number, written = _number_and_unit(value, unit)
    return number if not written else _in(number, written, unit)


def _number_and_unit(value, unit):
    """(number, what is written as its unit) of a text; raises `UnitError`."""
    text = value.strip()
    if len(text) > LONGEST:
        raise UnitError(
            f"“{text[:40]}…” has {len(text)} characters and is not a number with a unit; write for example "
            f"{EXAMPLES.get(unit, '1')}"
        )
    grouped = THOUSANDS.match(text)
    if grouped:
        plain = re.sub(r"[^-+0-9]", "", grouped[0].replace("−", "-"))
        raise UnitError(
            f"“{text}” can be read in two ways: write {plain} for thousands, or a point for decimals "
            f"({grouped[0][:-4]}.{grouped[0][-3:]})"
        )
    apart = SET_OFF.match(text)
    if apart:
        text = re.sub(r"['’ \u00a0\u2009\u202f]", "", apart[0]) + text[apart.end():]
    match = NUMBER.fullmatch(text)
    written = match[2].strip() if match else ""
    if not match or not UNIT.fullmatch(written):
        raise UnitError(
            f"“{text[:40]}” is not a number with a unit; write for example {EXAMPLES.get(unit, '1')}")
    return _finite(float(match[1].replace("−", "-").replace(",", ".")), text), written


def _spelled(written, unit):
    """A unit as the library of units reads it."""
    spelled = SPELLINGS.get(
        written,
        written.replace("·", "*").replace("²", "^2").replace("³", "^3").replace("°", "deg"))
    return TURNS.get(written, spelled) if unit == "rpm" else spelled


def _in(number, written, unit):
    """A number that is written in one unit, in another; raises `UnitError`."""
    spelled = _spelled(written, unit)
    if spelled == "" and unit == "":
        return number
    if not PRODUCT.fullmatch(spelled):
        raise UnitError(
            f"“{written}” is not a unit known here; write for example {EXAMPLES.get(unit, unit) or '1'}")
    registry = _registry()
    try:
        quantity = registry.Quantity(number, registry.parse_units(spelled))
        return float(quantity.to(unit or "dimensionless").magnitude)
    except pint.DimensionalityError:
        if unit == "":
            raise UnitError(
                f"this field takes a plain number, not one in “{written}”; write for example {EXAMPLES['']}"
            ) from None
        raise UnitError(f"“{written}” is not a unit of {KINDS.get(unit, unit)}; write for example "
                        f"{EXAMPLES.get(unit, unit)}{_hint(written)}") from None
    except Exception:
        raise UnitError(
            f"“{written}” is not a unit known here; write for example {EXAMPLES.get(unit, unit)}") from None


def written_unit(text, unit):
    """The unit that stands behind a typed number of a field in `unit`; empty where none stands there, or the
    text is no such number."""
    try:
        _, written = _number_and_unit(text, unit)
        return written if written and math.isfinite(parse(text, unit)) else ""
    except UnitError:
        return ""


def convert(value, unit, wanted):
    """A number in `unit`, in the unit that is `wanted`, as people write it; raises `UnitError` where that is
    of another kind."""
    if wanted == unit:
        return float(value)
    registry = _registry()
    try:
        there = registry.parse_units(_spelled(wanted, unit) or "dimensionless")
        return float(registry.Quantity(float(value), unit or "dimensionless").to(there).magnitude)
    except Exception:
        raise UnitError(f"“{wanted}” is not a unit of {KINDS.get(unit, unit)}") from None


def _hint(written):
    return {
        "C": " (C is the coulomb; degrees Celsius are degC)",
        "F": " (F is the farad; degrees Fahrenheit are degF)"
    }.get(written, "")


def _finite(number, given):
    if not math.isfinite(number):
        raise UnitError(f"“{given}” is not a finite number")
    return number


def show(value, unit="", digits=5):
    """A number with its unit as text, in as many digits as are of use."""
    if value is None:
        return ""
    text = f"{value:.{digits}g}"
    if "e" in text and 1e-4 <= abs(value) < 1e7:
        text = f"{value:.0f}" if abs(value) >= 1e4 else f"{value:f}".rstrip("0")
    return f"{text} {PRETTY.get(unit, unit)}".strip()


def fixed(value, decimals=4):
    """A number with a true minus sign; a dash for what is none."""
    if not isinstance(value, numbers.Real) or not math.isfinite(value):
        return "–"
    text = f"{value:.{decimals}f}"
    if float(text) == 0:
        text = text.lstrip("-")
    return text.replace("-", "−")


def fixed_error(error, decimals=4):
    """An error bar in the digits of its value: "± 0.012"; nothing where none is known."""
    if error is None:
        return ""
    small = 0 < error < 0.5 * 10.0**-decimals
    return f"± {'under ' if small else ''}{fixed(10.0**-decimals if small else error, decimals)}"


def large(value, digits=2):
    """A large number as people write it: 1.4e6; whole below a hundred thousand."""
    if not abs(value) >= 1e5:
        return f"{value:.{digits}g}" if abs(
            value) < 10**digits else f"{round(float(f'{value:.{digits}g}')):,}".replace(",", " ")
    mantissa, exponent = f"{value:.{digits - 1}e}".split("e")
    return f"{mantissa}e{int(exponent)}"


PRETTY = {
    "deg": "°", "m^2": "m²", "m/s^2": "m/s²", "m^3/s": "m³/s", "kg/m^3": "kg/m³", "Pa*s": "Pa·s",
    "J/(kg*K)": "J/(kg·K)",
    "kg/(m*s)": "kg/(m·s)", "chord": "c", "cm^2": "cm²", "in^2": "in²", "ft^2": "ft²", "N*m": "N·m",
    "lbf*ft": "lbf·ft", "knot": "kn"
}
