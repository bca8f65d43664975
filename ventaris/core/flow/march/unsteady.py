"""Follow a flow in time: second-order backward differences, each step solved by Newton's method.

The first step is of first order; it is short beside what follows.
"""
from dataclasses import dataclass

import numpy as np

from ..motion import turned
from .krylov import gmres
from .steady import FlowDiverged

PSEUDO_COURANT = 1e7
MOST_INNER = 8
HALVINGS = 4
# Share of a step's residual that may be left, without a closure and with one: then more changes nothing that
# a shorter step does not change by ten times as much.
TOLERANCE = 3e-5, 2e-3
# What is solved of a system at least, in a step's first Newton step and those after it; less where a larger
# share of it is all that the step's tolerance still asks for.
LEAST_LINEAR, LINEAR_SHARE, MOST_VECTORS = (0.02, 5e-3), 0.7, 60
# Where the closure's rows weigh more than this share of the flow's, they are relaxed by sweeps of their own.
CLOSURE_SHARE, MOST_SWEEPS = 0.5, 12
# Bounds of how much the scale of a closure's equation changes at a step.
BALANCE = 1e-4, 1e4
# Newton steps after which the limiter is held for the rest of a time step: its corners at shocks else keep
# the step from being solved.
FREE_INNER = 2
# A step of which more than this share of the residual is left is made again in several parts: a shock that
# crosses cells in one step cannot be followed.
POOR, FINER, MOST_PARTS = 0.03, 4, 16
# Newton steps for a part up to which the next step is made in fewer.
EASY = 3.3


@dataclass
class TimeStep:
    """Report of one time step.

    Attributes
    ----------
    time : float
        In reference lengths over the speed of sound.
    inner : int
        Newton steps.
    remaining : float
        Residual left over that at the beginning of the step.
    """

    number: int
    time: float
    inner: int
    remaining: float


class TimeMarch:
    """A flow that is followed in time.

    Parameters
    ----------
    flow : Discretisation
    state : ndarray, shape (n_cells, columns)
    step : float
        In reference lengths over the speed of sound.
    tolerance : float or None
        Share of a step's first residual that may be left; None takes `TOLERANCE`. With ten times that the
        drag of a cylinder in laminar flow carries noise as large as its swing.
    time : float
    before : ndarray or None
        The state one step earlier, along the grid's axes as they stand at `time`.

    Attributes
    ----------
    state : ndarray
    time : float
    parts : int
        In how many parts the next step is made at first.
    """
    def __init__(self, flow, state, step, tolerance=None, time=0.0, before=None):
        self.flow, self.state, self.step = flow, state, step
        self.tolerance = tolerance or TOLERANCE[flow.closure is not None]
        self.time, self.number, self.before, self.parts = time, 0, before, 1
        flow.first_order = False
        self._stand_at(time)

    def _stand_at(self, time):
        """Put what moves, and walls that are driven, where they are at a time; returns the angle by which the
        grid's axes have turned since."""
        moved, driven = self.flow.moved, self.flow.driven
        angle = 0.0 if moved is None else moved.put(time)
        if driven is not None:
            driven.put(time)
        return angle

    def advance(self):
        """Make one time step, in parts where it must be; raises `FlowDiverged` when it cannot be solved."""
        with np.errstate(all="ignore"):
            while True:
                try:
                    state, before, inner, remaining = self._in_parts(self.parts)
                    if remaining <= POOR or self.parts >= MOST_PARTS:
                        break
                except FlowDiverged:
                    if self.parts >= MOST_PARTS:
                        raise
                self.parts *= FINER
        self.before, self.state = before, state
        if inner <= EASY * self.parts and self.parts > 1:
            self.parts //= FINER
        self.time += self.step
        self.number += 1
        self.flow.flatten_cold(state)
        return TimeStep(self.number, self.time, inner, remaining)

    def _in_parts(self, parts):
        """(state, the one before the whole step, both along the axes at its end, Newton steps, worst share of
        a residual left) after one step made in equal parts."""
        state, start = self.state, self.state
        before = self.before if self.before is None else state - (state - self.before) / parts
        inner, worst = 0, 0.0
        self._stand_at(self.time)
        for n in range(parts):
            angle = self._stand_at(self.time + (n + 1) * self.step / parts)
            if angle:
                state, start = turned(state, angle), turned(start, angle)
                before = before if before is None else turned(before, angle)
            found, taken, remaining = self._solve(state, before, self.step / parts)
            before, state = state, found
            inner, worst = inner + taken, max(worst, remaining)
        return state, start, inner, worst

    def _solve(self, state, before, dt):
        """(state, Newton steps, share of the residual left) a step later."""
        flow = self.flow
        now = flow.conserved(state)
        if before is None:
            flow.time_rate, flow.history = 1.0 / dt, -now / dt
            guess = state
        else:
            flow.time_rate, flow.history = 1.5 / dt, (0.5 * flow.conserved(before) - 2.0 * now) / dt
            guess = 2.0 * state - before
        flow.limiter_frozen = False
        vector = flow.residual(state)
        if flow.closure is not None and flow.dim == 2:
            self._balance(vector)
        first = self._norm(vector)
        norm, inner = first, 0
        if guess is not state and self._is_alive(guess):
            # What changes abruptly is not where it would have come to.
            ahead = flow.residual(guess)
            after = self._norm(ahead)
            if after < first:
                state, vector, norm = guess, ahead, after
            else:
                vector = flow.residual(state)
        while norm > self.tolerance * first and inner < MOST_INNER:
            if flow.closure is not None:
                state, vector, norm = self._relaxed(state, vector)
            if inner == FREE_INNER:
                vector = flow.residual(state)
                flow.limiter_frozen = True
            if inner % 4 == 0:
                flow.prepare(state, PSEUDO_COURANT)
            wanted = max(LEAST_LINEAR[inner > 0], LINEAR_SHARE * self.tolerance * first / norm)
            change, _, _ = gmres(flow.linear_operator(state, vector), flow.apply_factors,
                                 -vector.astype(flow.krylov_type), wanted, MOST_VECTORS)
            change = change * flow.column_scale
            flow.clip_change(state, change, 0.3)
            if flow.closure is not None:
                flow.closure.clip(state, change)
            taken = self._take(state, change, norm)
            inner += 1
            if taken is None:
                break
            state, vector, norm = taken
        if not np.isfinite(norm) or norm > max(0.5 * first, 1e-10):
            raise self._diverged(vector)
        return state, inner, norm / max(first, 1e-300)

    def _balance(self, vector):
        """Scale the closure's equations so that a step changes each of them as much as it does the flow's:
        else the one that changes most rules the norm, and the flow is hardly solved at all."""
        closure, nv = self.flow.closure, self.flow.flow_columns
        goal = np.sqrt((vector[:, :nv]**2).mean())
        for k in range(closure.columns):
            size = np.sqrt((vector[:, nv + k]**2).mean())
            if goal > 0 and size > 0:
                share = float(np.clip(goal / size, *BALANCE))
                closure.row_scale[k] *= share
                vector[:, nv + k] *= share

    def _relaxed(self, state, vector):
        """(state, residual, its norm) after sweeps of the closure's own equations with the flow held, as long
        as they weigh more than their share and gain by it: a few cells in which they are stiff would keep the
        Newton steps of all others from being taken."""
        flow, nv = self.flow, self.flow.flow_columns
        own = self._norm(vector[:, nv:])
        for _ in range(MOST_SWEEPS):
            if own < CLOSURE_SHARE * self._norm(vector[:, :nv]):
                break
            # The last residual was that of the state, here as at every turn.
            change = flow.closure.sweep(state, vector)
            ahead = flow.residual(state + change)
            after = self._norm(ahead[:, nv:])
            if not after < own:
                vector = flow.residual(state)
                break
            state, vector, own = state + change, ahead, after
        return state, vector, self._norm(vector)

    def _take(self, state, change, norm):
        factor = 1.0
        for _ in range(HALVINGS):
            trial = state + factor * change
            if self._is_alive(trial):
                vector = self.flow.residual(trial)
                after = self._norm(vector)
                if np.isfinite(after) and after < norm:
                    return trial, vector, after
            factor *= 0.5
        return None

    def _is_alive(self, state):
        return bool(
            np.isfinite(state).all() and state[:, 1].min() > 0.02
            and state[:, 0].min() > -0.99 / self.flow.stream.gamma)

    @staticmethod
    def _norm(vector):
        return float(np.sqrt((vector**2).mean()))

    def _diverged(self, vector):
        size = np.nan_to_num(np.abs(vector), nan=np.inf, posinf=np.inf).max(axis=1)
        worst = np.argsort(size)[::-1][:5]
        centres = self.flow.mesh.centre[worst]
        places = "; ".join(", ".join(f"{axis} = {value:.3f}" for axis, value in zip("xyz", at))
                           for at in centres[:3])
        return FlowDiverged(
            f"The time step at {self.time * self.flow.stream.mach:.3f} chords could not be solved. The worst "
            f"cells (in reference lengths): {places}. "
            "Take a shorter time step (run.time_step), or look at the grid there.", worst, centres)
