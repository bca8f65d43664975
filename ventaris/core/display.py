"""Units in which numbers are shown and read: a choice for each kind of quantity, and fields that keep the
unit in which they were typed."""
import json
from dataclasses import dataclass, field

from . import units

# What can be chosen for each of the sheet's units, the sheet's own first.
CHOICES = {
    "m": ("m", "mm", "cm", "in", "ft"), "m/s": ("m/s", "km/h", "mph", "knot", "ft/s"),
    "Pa": ("Pa", "kPa", "bar", "psi"), "K": ("K", "°C", "°F"), "N": ("N", "kN", "lbf"),
    "kg/s": ("kg/s", "g/s", "lb/s"), "m^2": ("m^2", "cm^2", "in^2", "ft^2"), "W": ("W", "kW", "hp"),
    "N*m": ("N*m", "lbf*ft")
}
WORDS = {
    "m": "Lengths", "m/s": "Speeds", "Pa": "Pressures", "K": "Temperatures", "N": "Forces",
    "kg/s": "Mass flows", "m^2": "Areas", "W": "Powers", "N*m": "Torques"
}
MOST_FIELDS = 300


@dataclass(frozen=True)
class Display:
    """How a campaign's numbers are shown.

    Attributes
    ----------
    units : dict
        The sheet's unit to the one that is shown, for kinds of quantities.
    fields : dict
        A field's path to the unit in which it was typed.
    """

    units: dict = field(default_factory=dict)
    fields: dict = field(default_factory=dict)

    @classmethod
    def from_text(cls, text):
        """From what `text` made; what is not a display is none at all."""
        try:
            found = json.loads(text or "{}")
            chosen = {u: w for u, w in found.get("units", {}).items() if w in CHOICES.get(u, ())}
            typed = {
                str(path)[:120]: str(unit)[:32]
                for path, unit in list(found.get("fields", {}).items())[:MOST_FIELDS]
            }
        except (ValueError, AttributeError, TypeError):
            return cls()
        return cls(chosen, typed)

    def text(self):
        """As JSON; empty where nothing is chosen."""
        return json.dumps({"units": self.units, "fields": self.fields},
                          sort_keys=True) if self.units or self.fields else ""

    def unit(self, path, base):
        """The unit in which a field of the sheet is shown."""
        return self._known(self.fields.get(path), base) or self.of(base)

    def of(self, base):
        """The unit in which a quantity is shown."""
        return self.units.get(base, base)

    @staticmethod
    def _known(unit, base):
        try:
            return unit if unit and units.convert(1.0, base, unit) is not None else ""
        except units.UnitError:
            return ""

    def shown(self, path, base, value):
        """A field's value as it stands in the form."""
        if value is None or isinstance(value, str):
            return value or ""
        unit = self.unit(path, base)
        return f"{value:.10g}" if unit == base else f"{units.convert(value, base, unit):.8g}"

    def read(self, path, base, text, stored=()):
        """What is typed in a field, as the sheet takes it: what stands there as it was shown is the stored
        value to the last digit; a bare number is in the unit that the field shows."""
        if not isinstance(text, str) or not text.strip():
            return text
        unit = self.unit(path, base)
        if unit == base:
            return text
        for value in stored:
            if isinstance(value, (int, float)) and text.strip() == self.shown(path, base, value):
                return value
        if units.written_unit(text, base):
            return text
        return f"{text.strip()} {unit}"

    def typed(self, path, base, text):
        """This with a field that keeps the unit in which it was typed now; itself where none was typed."""
        written = units.written_unit(text, base) if isinstance(text, str) else ""
        if not written or not base or written == self.unit(path, base):
            return self
        kept = {k: v for k, v in self.fields.items() if k != path}
        return Display(self.units, kept if written == self.of(base) else {**kept, path: written})
