"""What is said before a run: findings with their mends, and the cost."""
from dataclasses import asdict, dataclass

from .channels import Channels, FormulaError

GRADES = ("stop", "warn", "note")


@dataclass
class Finding:
    """One line of the preflight: `grade` is "stop", "warn" or "note"."""

    grade: str
    path: str
    message: str


@dataclass
class Estimate:
    """What a run will cost."""

    cells: int
    seconds: float
    memory_mb: float
    disk_mb: float

    def as_dict(self):
        return asdict(self)


def gravest_first(findings):
    """A list of findings, stops before warnings before notes."""
    return sorted(findings, key=lambda f: GRADES.index(f.grade))


def mach_findings(mach, fastest=0.0):
    """Beyond what the solver was made for, or below what it was checked for; `fastest` is the Mach number of
    walls that move."""
    if max(mach, fastest) < 0.02:
        yield Finding(
            "warn", "air.speed",
            f"Mach number {mach:.2g} is below 0.02, where this solver has not been checked. "
            "Raise the speed; below Mach 0.1 the coefficients hardly change.")
    if mach > 3:
        yield Finding(
            "stop", "air.mach",
            f"Mach number {mach:.3g} is beyond 3, where strong shocks and a hot gas need methods "
            "that are not here yet. Lower the speed.")


def climb_findings(levels):
    """What a climb that stops early says of its error."""
    if len(levels) < 3:
        yield Finding(
            "note", "grid.level", f"Climbing only to {levels[-1]} gives " +
            ("no error bar."
             if len(levels) == 1 else "an error bar of the cautious kind; three levels give the order."))


def formula_findings(formulas, channels):
    """A stop for the first thing that is wrong with formula channels over a run's own channels, and what
    would be called something else than it is."""
    # The words belong to the kinds, which know of findings themselves.
    from .naming import channel_words, is_quantity
    for formula in formulas:
        words = channel_words(formula.name)
        if words != formula.name and not is_quantity(formula.name):
            yield Finding(
                "warn", "instruments.formulas",
                f"The formula “{formula.name}” would be shown as “{words}”. Give it a name that begins "
                "otherwise.")
    try:
        Channels(formulas, channels)
    except FormulaError as error:
        yield Finding("stop", "instruments.formulas", str(error))
