"""A parameter study and a search over a shape's parameters: a plan that fills the space, then proposals from
a surrogate.

The surrogate is a Gaussian process per quantity (scikit-learn); what is proposed next is where the expected
improvement, times the probability that the constraints hold and that the run succeeds, is largest.

References
----------
McKay, Beckman, Conover: A comparison of three methods for selecting values of input variables, Technometrics
21, 1979.
Jones, Schonlau, Welch: Efficient global optimization of expensive black-box functions, J. Global Optimization
13, 1998.
Gardner et al.: Bayesian optimization with inequality constraints, ICML 2014.
"""
import copy
import math
import warnings
from dataclasses import dataclass, field

import numpy as np
from scipy.stats import norm, qmc

from ..sheet.arrangement import Formula
from ..sheet.fields import SheetSection
from .channels import Channels, FormulaError

MOST_PARAMETERS = 8
MOST_RUNS = 200
CANDIDATES = 1024
# Proposals stop paying when they promise less than this share of the spread of what was found.
WORTHWHILE = 1e-3


class SearchError(ValueError):
    """A search that cannot be made; the message says which field and how to mend it."""


@dataclass(frozen=True)
class Parameter:
    """A number of the shape that is varied.

    Attributes
    ----------
    path : str
        Below the shape, for example "throat_radius" or "parts.car.length".
    label, unit : str
    low, high : float
    """

    path: str
    label: str
    unit: str
    low: float
    high: float


@dataclass(frozen=True)
class Constraint:
    """`expression` must be at least (or at most) `bound`."""

    expression: str
    kind: str
    bound: float

    def excess(self, value):
        """How far the constraint is broken; at most 0 where it holds."""
        return self.bound - value if self.kind == "at least" else value - self.bound


@dataclass
class Plan:
    """What is asked of a search.

    Attributes
    ----------
    parameters : list of Parameter
    objective : str
        A channel or a formula over channels.
    sense : {"smallest", "largest"}
    constraints : list of Constraint
    first : int
        Runs of the space-filling plan.
    most : int
        Runs in all.
    """

    parameters: list
    objective: str
    sense: str = "largest"
    constraints: list = field(default_factory=list)
    first: int = 8
    most: int = 20

    def check(self, channels):
        """Raise `SearchError` where it cannot be carried out; `channels` are those that a run has at its
        end."""
        if not self.parameters:
            raise SearchError("parameters: choose at least one parameter of the shape to vary.")
        if len(self.parameters) > MOST_PARAMETERS:
            raise SearchError(
                f"parameters: {len(self.parameters)} are more than {MOST_PARAMETERS}. Fix those that matter "
                "least."
            )
        for p in self.parameters:
            if not p.low < p.high:
                raise SearchError(
                    f"{p.label}: the bounds {p.low:g} and {p.high:g} leave nothing to vary. Give a lower "
                    "bound below the upper one, or take the parameter out."
                )
        if not 2 <= self.first <= self.most <= MOST_RUNS:
            raise SearchError(
                f"runs: a plan of {self.first} and {self.most} in all; the plan needs at least 2, the whole "
                f"at least as many and at most {MOST_RUNS}."
            )
        for expression in (self.objective, *(c.expression for c in self.constraints)):
            evaluator(expression, channels)


def evaluator(expression, channels):
    """Value of an expression over a result's coefficients, as a function; raises `SearchError` when it cannot
    be read."""
    try:
        formula = Channels([Formula(name="searched", expression=expression)],
                           [c for c in channels if c != "searched"])
    except (FormulaError, ValueError) as error:
        raise SearchError(str(error).replace("instruments.formulas: ", "objective or constraint: ")) from None
    return lambda values: formula.compute(values)["searched"]


def shape_numbers(shape):
    """Every number of a shape that can be varied.

    Parameters
    ----------
    shape : the shape section of a sheet

    Returns
    -------
    list of (path, label, unit, value, low, high)
        `low` and `high` are what the sheet accepts.
    """
    return list(_numbers("", "", shape))


def _numbers(prefix, owner, section):
    for name in type(section).model_fields:
        value, meta = getattr(section, name), type(section).meta(name)
        label = f"{owner}: {meta.get('label') or name}" if owner else meta.get("label") or name
        if isinstance(value, SheetSection):
            yield from _numbers(f"{prefix}{name}.", owner, value)
        elif isinstance(value, list) and value and isinstance(value[0], SheetSection):
            for index, row in enumerate(value):
                own = getattr(row, "name", "") or str(index + 1)
                yield from _numbers(f"{prefix}{name}.{index}.", own, row)
        elif meta.get("kind") == "number" and isinstance(
                value, (int, float)) and not meta["whole"] and type(section).applies(name, section):
            low = meta["low"] if meta["low"] is not None else meta["above"]
            yield f"{prefix}{name}", label, meta["unit"], float(value), low, meta["high"]


def with_values(shape, parameters, values):
    """The shape section (plain values) with the parameters set."""
    out = copy.deepcopy(shape)
    for parameter, value in zip(parameters, values):
        place, *keys = None, *parameter.path.split(".")
        place = out
        for key in keys[:-1]:
            place = place[int(key)] if isinstance(place, list) else place[key]
        place[keys[-1]] = float(value)
    return out


def first_plan(plan, seed=1):
    """Points that fill the space evenly, shape (plan.first, n_parameters)."""
    sampler = qmc.LatinHypercube(len(plan.parameters), optimization="random-cd",
                                 rng=np.random.default_rng(seed))
    return qmc.scale(sampler.random(plan.first), [p.low for p in plan.parameters],
                     [p.high for p in plan.parameters])


@dataclass
class Outcome:
    """One run of a search: where, what came out, whether the constraints hold (None: it failed)."""

    values: list
    objective: float | None
    excesses: list

    @property
    def feasible(self):
        return self.objective is not None and all(e <= 1e-12 for e in self.excesses)


def outcome(plan, values, coefficients):
    """The `Outcome` of a run from its coefficients (None for a run that failed)."""
    if coefficients is None:
        return Outcome(list(values), None, [])
    known = {name: v for name, v in coefficients.items() if isinstance(v, (int, float))}
    objective = evaluator(plan.objective, known)(known) if known else None
    excesses = [
        c.excess(v) if (v := evaluator(c.expression, known)(known)) is not None else math.inf
        for c in plan.constraints
    ] if objective is not None else []
    return Outcome(list(values), objective, excesses)


def best(plan, outcomes):
    """The best feasible outcome, or None."""
    sign = -1.0 if plan.sense == "largest" else 1.0
    good = [o for o in outcomes if o.feasible]
    return min(good, key=lambda o: sign * o.objective) if good else None


def propose(plan, outcomes, pending=(), seed=1):
    """Where to run next, and what it promises.

    Parameters
    ----------
    plan : Plan
    outcomes : list of Outcome
    pending : sequence of values
        Points that are being run: they are believed to give what is expected there, so that the next one
        lies elsewhere (Ginsbourger, Le Riche, Carraro: Kriging is well-suited to parallelize optimization,
        2010).

    Returns
    -------
    values : ndarray, shape (n_parameters,)
    expected : float
        Expected improvement of the objective over the best so far, in its own unit; infinite while nothing
        feasible is known.
    """
    low, high = (np.array([getattr(p, name) for p in plan.parameters]) for name in ("low", "high"))
    outcomes = list(outcomes) + _believed(plan, outcomes, pending, low, high)
    sign = -1.0 if plan.sense == "largest" else 1.0
    seen = np.array([(np.array(o.values) - low) / (high - low) for o in outcomes])
    worked = np.array([o.objective is not None for o in outcomes])
    rng = np.random.default_rng(seed + len(outcomes))
    candidates = qmc.Sobol(len(low), rng=rng).random(CANDIDATES)
    leader = best(plan, outcomes)
    if leader is not None:
        near = (np.array(leader.values) - low) / (high - low) + rng.normal(0, 0.05,
                                                                           (CANDIDATES // 4, len(low)))
        candidates = np.concatenate([candidates, np.clip(near, 0, 1)])
    # Nothing is run twice.
    apart = np.sqrt(((candidates[:, None] - seen)**2).sum(-1)).min(1)
    candidates, apart = candidates[apart > 1e-3], apart[apart > 1e-3]
    if worked.sum() < 2:
        return low + candidates[np.argmax(apart)] * (high - low), math.inf
    chance = np.ones(len(candidates))
    for k in range(len(plan.constraints)):
        excess = np.array([o.excesses[k] for o, w in zip(outcomes, worked) if w])
        finite = np.isfinite(excess)
        mean, spread = _predict(seen[worked][finite], excess[finite], candidates)
        chance *= norm.cdf(-mean / spread)
    if not worked.all():
        mean, spread = _predict(seen, worked.astype(float), candidates)
        chance *= norm.cdf((mean - 0.5) / spread)
    value = sign * np.array([o.objective for o, w in zip(outcomes, worked) if w])
    mean, spread = _predict(seen[worked], value, candidates)
    if leader is None:
        # First of all something must hold the constraints.
        pick = int(np.argmax(chance + 1e-3 * apart))
        return low + candidates[pick] * (high - low), math.inf
    gain = sign * leader.objective - mean
    score = gain / spread
    improvement = gain * norm.cdf(score) + spread * norm.pdf(score)
    pick = int(np.argmax(improvement * chance))
    return low + candidates[pick] * (high - low), float(improvement[pick] * chance[pick])


def is_worthwhile(outcomes, expected):
    """Whether what a proposal promises stands out of the spread of what was found."""
    values = [o.objective for o in outcomes if o.objective is not None]
    return not math.isfinite(expected) or len(values) < 2 or expected > WORTHWHILE * (max(values) -
                                                                                      min(values))


def _believed(plan, outcomes, pending, low, high):
    """Outcomes of points that are being run, as those known let expect."""
    worked = [o for o in outcomes if o.objective is not None and np.all(np.isfinite(o.excesses))]
    if len(worked) < 2:
        return [Outcome(list(values), None, []) for values in pending]
    if not len(pending):
        return []
    seen, sought = ((np.array(v) - low) / (high - low) for v in ([o.values for o in worked], list(pending)))
    objective, _ = _predict(seen, np.array([o.objective for o in worked]), sought)
    excesses = [_predict(seen, np.array([o.excesses[k] for o in worked]), sought)[0]
                for k in range(len(plan.constraints))]
    return [Outcome(list(values), float(objective[i]), [float(e[i]) for e in excesses])
            for i, values in enumerate(pending)]


def _predict(points, values, at):
    """Mean and standard deviation of a Gaussian process through values (scaled inside), each shape
    (len(at),)."""
    # Loaded here: it takes a second that no other page should wait for.
    from sklearn.gaussian_process import GaussianProcessRegressor
    from sklearn.gaussian_process.kernels import ConstantKernel, Matern, WhiteKernel
    middle, size = values.mean(), values.std()
    if size < 1e-14:
        return np.full(len(at), middle), np.full(len(at), 1e-12 + 1e-6 * abs(middle))
    kernel = ConstantKernel(1.0,
                            (0.05, 50.0)) * Matern(np.full(points.shape[1], 0.5),
                                                   (0.05, 10.0), nu=2.5) + WhiteKernel(1e-4, (1e-8, 1e-1))
    model = GaussianProcessRegressor(kernel, n_restarts_optimizer=2, random_state=0)
    with warnings.catch_warnings():
        # A length at its bound is no fault: the value does not depend on that parameter.
        warnings.simplefilter("ignore")
        model.fit(points, (values - middle) / size)
        mean, spread = model.predict(at, return_std=True)
    return middle + size * mean, np.maximum(size * spread, 1e-12)
