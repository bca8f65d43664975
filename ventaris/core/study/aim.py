"""What a campaign is after, and how its variants stand by it.

A lead that is smaller than the error bar of the difference is a draw; a variant that breaks a condition, or
has not been run at a point that counts, has no place.
"""
import math
from dataclasses import asdict, dataclass, field, replace

from .comparison import (Difference, difference_of, offered_quantities, quantity_of, ranked_by,
                         references_differ)
from .kinds.registry import FAMILIES
from .naming import channel_words
from .search import Constraint, SearchError, evaluator

SENSES = {"smallest": "least", "largest": "most", "nearest": "nearest to the reference"}
MOST_CONDITIONS = 4


class AimError(ValueError):
    """An aim that cannot be ranked by; the message names the field and how to mend it."""


@dataclass(frozen=True)
class Condition(Constraint):
    """A `Constraint` that must hold at one operating point, or, with None, at all that count."""

    point: int | None = None


@dataclass(frozen=True)
class Aim:
    """What is wanted of a campaign.

    Attributes
    ----------
    quantity : str
        A quantity of the kind, a channel or an expression over both.
    sense : {"smallest", "largest", "nearest"}
    conditions : tuple of Condition
    weights : dict of int to float
        Of the operating points that count; empty when all do, alike.
    references : dict of (int or None, int or None) to (float, float or None)
        By variant and operating point (None: all of them) a value to compare with and its uncertainty.
    """

    quantity: str
    sense: str = "smallest"
    conditions: tuple = ()
    weights: dict = field(default_factory=dict)
    references: dict = field(default_factory=dict)

    def check(self, names):
        """Raise `AimError` where it cannot be ranked by; `names` are the channels and quantities there
        are."""
        if self.sense not in SENSES:
            raise AimError(f"sense: “{self.sense}”; accepted: {', '.join(SENSES)}.")
        for what, expression in (("quantity", self.quantity), *(("condition", c.expression)
                                                                for c in self.conditions)):
            try:
                evaluator(expression, names)
            except SearchError as error:
                raise AimError(str(error).replace("objective or constraint:", f"{what}:")) from None
        if any(not (w > 0 and math.isfinite(w)) for w in self.weights.values()):
            raise AimError("weights: a weight is above 0. Leave the field empty for a point that shall not "
                           "count.")
        if self.sense == "nearest" and not self.references:
            raise AimError("reference: “nearest” needs a reference to be near to. Give one, or seek the "
                           "smallest or largest.")
        if any(error is not None and not error >= 0 for _, error in self.references.values()):
            raise AimError("reference: an uncertainty is 0 or more.")

    def reference(self, variant, point):
        """(value, uncertainty) that a cell is compared with, or None: the nearest one given."""
        for key in ((variant, point), (None, point), (variant, None), (None, None)):
            if key in self.references:
                return self.references[key]
        return None

    def counted(self, points):
        """{point: weight} of those points (ids) that count."""
        return {p: self.weights[p] for p in points if p in self.weights} or dict.fromkeys(points, 1.0)

    def renamed(self, variants, points):
        """The aim with other names for variants and points (by the ones that it has); what belongs to none of
        them is left out."""
        variants, points = {None: None, **variants}, {None: None, **points}
        return replace(
            self,
            conditions=tuple(replace(c, point=points[c.point]) for c in self.conditions if c.point in points),
            weights={points[p]: w
                     for p, w in self.weights.items()
                     if p in points}, references={(variants[v], points[p]): value
                                                  for (v, p), value in self.references.items()
                                                  if v in variants and p in points})

    def as_dict(self):
        """Plain values for JSON."""
        return {
            "quantity": self.quantity, "sense": self.sense, "conditions":
            [asdict(c) for c in self.conditions], "weights": [[p, w] for p, w in self.weights.items()],
            "references": [[*key, *value] for key, value in self.references.items()]
        }

    @classmethod
    def from_dict(cls, values):
        """What `as_dict` made."""
        return cls(values["quantity"], values["sense"], tuple(Condition(**c) for c in values["conditions"]),
                   {p: w
                    for p, w in values["weights"]}, {(v, p): (value, error)
                                                     for v, p, value, error in values["references"]})


@dataclass
class Break:
    """A condition that does not hold: where, with which value, and whether beyond the value's error bar."""

    condition: Condition
    point: int
    value: float | None
    clear: bool


@dataclass
class Place:
    """How a variant stands.

    Attributes
    ----------
    variant : int
    value, error : float or None
        Weighted mean over the points that count, and its error bar (those of the points added up, since
        grids of one kind err alike).
    score : float or None
        What is ranked by: least is best.
    values : dict of int to (float, float or None)
        At every point that counts and has been run.
    missing : list of int
        Points without a settled run.
    breaks : list of Break
    deviation : Difference or None
        From the reference; its bar holds the reference's uncertainty.
    rank : int or None
        1 for the leader; None without a place.
    behind : Difference or None
        Its value less the leader's.
    draw : bool
        Whether the leader's lead over it is not resolved.
    """

    variant: int
    value: float | None = None
    error: float | None = None
    score: float | None = None
    values: dict = field(default_factory=dict)
    missing: list = field(default_factory=list)
    breaks: list = field(default_factory=list)
    deviation: Difference | None = None
    rank: int | None = None
    behind: Difference | None = None
    draw: bool = False


@dataclass
class Standing:
    """All variants by an aim.

    Attributes
    ----------
    aim : Aim
    key : str
        What is ranked by: the aim's quantity, or a force where variants have reference areas of their own.
    label, decimals : str, int
    points : dict of int to float
        Weights of the points that count.
    places : list of Place
        The ranked ones first, best first.
    areas : (float, float) or None
        Least and largest reference area where they differ.
    """

    aim: Aim
    key: str
    label: str
    decimals: int
    points: dict
    places: list
    areas: tuple | None = None

    @property
    def leader(self):
        """The first `Place`, or None where none has one."""
        return next((p for p in self.places if p.rank == 1), None)

    @property
    def drawn(self):
        """Places over which the leader's lead is not resolved."""
        return [p for p in self.places if p.draw]

    def place(self, variant):
        """The `Place` of a variant."""
        return next(p for p in self.places if p.variant == variant)


def default_aim(space, results):
    """What a kind of campaign is usually after, at the operating point at which most variants have been run.

    Parameters
    ----------
    results : dict of (variant, point) to dict
    """
    counts = {}
    for _, point in results:
        counts[point] = counts.get(point, 0) + 1
    top = max(counts, key=lambda p: (counts[p], p), default=None)
    key, sign = ranked_by(space, [r for (_, p), r in results.items() if p == top])
    return Aim(key, "smallest" if sign > 0 else "largest", weights={} if top is None else {top: 1.0})


def standing(aim, space, variants, points, results):
    """How variants stand by an aim.

    Parameters
    ----------
    aim : Aim
    space : str
    variants, points : list of int
        Ids, in their order.
    results : dict of (variant, point) to dict
        Of settled runs.

    Returns
    -------
    Standing
    """
    counted = aim.counted(points)
    there = [r for (v, p), r in results.items() if p in counted and v in variants]
    key, areas = _fair(aim.quantity, space, there)
    places = [_place(aim, key, v, counted, results) for v in variants]
    label, decimals = _words(key, space, there, [p.value for p in places if p.value is not None])
    ranked = sorted((p for p in places if p.score is not None and not p.breaks and not p.missing),
                    key=lambda p: p.score)
    for rank, place in enumerate(ranked, 1):
        place.rank = rank
        if rank > 1:
            place.behind = _behind(place, ranked[0], key, counted, results)
            gap = place.score - ranked[0].score
            place.draw = place.behind.bar is None or gap <= place.behind.bar
    rest = [p for p in places if p.rank is None]
    return Standing(aim, key, label, decimals, counted, ranked + rest, areas)


def _fair(quantity, space, results):
    """(what to rank by, areas that differ or None): a force in the place of its coefficient where every
    variant has a reference area of its own."""
    areas = references_differ(results)
    instead = {"drag": FAMILIES[space].quantities.fair, "lift": "lift_force"}.get(quantity)
    return (instead, areas) if areas and instead else (quantity, None)


def _words(key, space, results, values):
    """What a number is called, and its decimals: five digits of the largest where nothing is agreed."""
    offered = offered_quantities(space, results)
    if key in offered:
        return offered[key][0], offered[key][2]
    return channel_words(key), decimals_of(values)


def decimals_of(values):
    """Decimals that show five digits of the largest of some values."""
    largest = max((abs(v) for v in values), default=0.0)
    return min(max(4 - math.floor(math.log10(largest)), 0), 6) if largest > 0 else 4


def _place(aim, key, variant, counted, results):
    """A variant's place, not yet ranked."""
    place = Place(variant)
    for point in counted:
        value, error = quantity_of(results.get((variant, point)), key)
        if value is None or not math.isfinite(value):
            place.missing.append(point)
        else:
            place.values[point] = value, error
    place.breaks = [
        b for c in aim.conditions for p in ([c.point] if c.point is not None else counted)
        if (b := _break(c, p, results.get((variant, p)))) is not None
    ]
    if place.missing or not counted:
        return place
    mean = lambda of: _mean(counted, of)
    place.value = mean(lambda p: place.values[p][0])
    if all(place.values[p][1] is not None for p in counted):
        place.error = mean(lambda p: place.values[p][1])
    references = {p: aim.reference(variant, p) for p in counted}
    known = all(references.values())
    if known:
        base = mean(lambda p: references[p][0])
        unsure = mean(lambda p: references[p][1] or 0.0)
        place.deviation = Difference(place.value - base, math.hypot(place.error or 0.0, unsure) or None, base)
    if aim.sense == "nearest":
        place.score = mean(lambda p: abs(place.values[p][0] - references[p][0])) if known else None
    else:
        place.score = place.value if aim.sense == "smallest" else -place.value
    return place


def _break(condition, point, result):
    """A `Break` where a condition does not hold in a result, or cannot be told; else None."""
    if result is None:
        return None
    value, error = quantity_of(result, condition.expression)
    if value is None:
        return Break(condition, point, None, True)
    excess = condition.excess(value)
    return Break(condition, point, value, excess > (error or 0.0)) if excess > 1e-12 else None


def _behind(place, leader, key, counted, results):
    """`Difference` of two variants' means: the points' bars add up."""
    one = {p: difference_of(results[place.variant, p], results[leader.variant, p], key) for p in counted}
    bars = None if any(d.bar is None for d in one.values()) else _mean(counted, lambda p: one[p].bar)
    return Difference(_mean(counted, lambda p: one[p].value), bars, leader.value)


def _mean(counted, of):
    """Mean of of(point) over the points that count, by their weights."""
    return sum(w * of(p) for p, w in counted.items()) / sum(counted.values())


def aim_words(aim, label, points):
    """An aim in one line: "least Drag coefficient CD, mean over Climb (2) and Dash; while lift at least
    0.4".

    Parameters
    ----------
    label : str
        What its quantity is called.
    points : dict of int to str
        Names of the operating points.
    """
    held = [
        f"{_lower(channel_words(c.expression))} {c.kind} {c.bound:g}".replace("-", "−") +
        (f" at {points[c.point]}" if c.point in points and len(points) > 1 else "") for c in aim.conditions
    ]
    label = _lower(label)
    what = f"{label}, {SENSES['nearest']}" if aim.sense == "nearest" else f"{SENSES[aim.sense]} {label}"
    return what + where_words(aim, points) + (f"; while {' and '.join(held)}" if held else "")


def _lower(words):
    """Words in the midst of a sentence; "CD" and the like stay."""
    return words[0].lower() + words[1:] if words[1:2].islower() else words


def where_words(aim, points):
    """Over which operating points an aim is taken, as it stands behind what is wanted: " at Dash"."""
    counted = aim.counted(list(points))
    even = len(set(counted.values())) == 1
    names = [points[p] + ("" if even else f" ({w:g})") for p, w in counted.items()]
    if len(points) == 1:
        return ""
    if len(counted) == 1:
        return f" at {names[0]}"
    if even and len(counted) == len(points):
        return f", mean over all {len(counted)} points"
    return f", {'' if even else 'weighted '}mean over {', '.join(names[:-1])} and {names[-1]}"


def standing_words(found, names):
    """How the variants stand, in one or two sentences.

    Parameters
    ----------
    found : Standing
    names : dict of int to str
        Names of the variants.
    """
    leader, drawn = found.leader, found.drawn
    if leader is None:
        broken = [names[p.variant] for p in found.places if p.breaks]
        if broken:
            return "No variant holds every condition."
        return "No variant has settled at every point that counts."
    first = names[leader.variant]
    if drawn:
        others = [names[p.variant] for p in drawn]
        unknown = all(p.behind.bar is None for p in drawn)
        return (f"A draw of {first} and {_listed(others)}: what lies between them is " +
                ("of unknown error: climb further." if unknown else "smaller than its error bar."))
    second = next((p for p in found.places if p.rank == 2), None)
    if second is None:
        return f"{first} alone has a place."
    lead = f" by {100 * abs(second.behind.value / second.value):.1f} %" if second.value else ""
    return f"{first} leads{lead}."


def _listed(names, most=4):
    if len(names) > most:
        return f"{len(names)} others"
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


@dataclass(frozen=True)
class Told:
    """A standing with the words in which it is told.

    Attributes
    ----------
    own : bool
        Whether the campaign says what it is after; else the kind's usual aim is taken.
    aim, words : str
        What is wanted, and how the variants stand.
    names, points : dict of int to str
    where : str
        Over which points it is taken.
    """

    standing: Standing
    own: bool
    aim: str
    words: str
    names: dict
    points: dict
    where: str


def tell(own, space, names, places, results):
    """How the variants of a campaign stand, in words.

    Parameters
    ----------
    own : Aim or None
        None for the kind's usual one.
    names, places : dict of int to str
        Variants and operating points in their order.
    results : dict of (variant, point) to dict
        Of settled runs; others than those of the names are left out.

    Returns
    -------
    Told or None
        None where nothing has settled, unless the campaign has an aim of its own.
    """
    results = {cell: r for cell, r in results.items() if cell[0] in names and cell[1] in places}
    if not results and own is None:
        return None
    aim = own or default_aim(space, results)
    found = standing(aim, space, list(names), list(places), results)
    words = standing_words(found, names) if results else "No run has settled yet."
    return Told(found, own is not None, aim_words(aim, found.label, places), words, names, places,
                where_words(aim, places))
