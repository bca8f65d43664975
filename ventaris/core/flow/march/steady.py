"""March a state to the steady flow: Newton steps in pseudo-time, solved by GMRES.

Each step linearises the residual, adds V Gamma / (pseudo-time step) to the diagonal,
and solves with finite-difference products, preconditioned by incomplete factors of the
exact first-order Jacobian.  The Courant number grows as the residual falls; a step that
makes things worse is halved, and if that does not help the march backs off.
"""
from dataclasses import dataclass, replace

import numpy as np

from .krylov import gmres

LIMITER_HELD_BELOW = 3e-3
# After so many good steps earlier trouble no longer counts.
FORGIVEN_AFTER = 10
# A step that leaves more than this share of the residual has not helped.
STALLING = 0.8
# A step that goes to and fro is halved when the closure holds this share of the residual's square, in so many
# cells, each weighed by its share.
OF_THE_CLOSURE, FEW_CELLS = 0.9, 4
# Residual over the lowest so far, and over the impulsive start's, from which on a march with held products
# takes the exact ones.
RUNAWAY, RUNAWAY_FROM = 5.0, 0.1
EXACT_COURANT, EXACT_VECTORS, EXACT_TOLERANCE = 80.0, 12, 0.1


class FlowDiverged(RuntimeError):
    """The march could not be kept alive.  `cells` lists the worst cells, `centres` their places."""
    def __init__(self, message, cells, centres):
        super().__init__(message)
        self.cells, self.centres = cells, centres


@dataclass(frozen=True)
class MarchControls:
    """How to march.

    Attributes
    ----------
    courant_start, courant_most, courant_growth : float
    first_order_steps : int
        Steps with the first-order scheme before the second-order one takes over.
    krylov_vectors : int
    krylov_tolerance : float
    most_change : float
        Largest change of a cell's pressure and temperature in a step, as a share.
    retries : int
        How often the march may go back to its last good state, without ten good steps in between.
    least_solved : float
        The Courant number falls when a step leaves more than this share of its linear system unsolved; 1
        never asks.
    hold_limiter : float or None
        Residual below which the limiter is held still; None holds it only with a closure.
    hold_again : int
        How often it is let go for a step, each time the residual has fallen by another factor of ten: held
        once and for all, it is that of a flow some way off, and the answer hangs on the way to it.
    krylov_kept : int or None
        Krylov vectors in memory at once; None keeps all.
    """

    courant_start: float = 10.0
    courant_most: float = 1e6
    courant_growth: float = 2.0
    first_order_steps: int = 0
    krylov_vectors: int = 40
    krylov_tolerance: float = 0.1
    most_change: float = 0.2
    retries: int = 4
    least_solved: float = 1.0
    hold_limiter: float | None = None
    hold_again: int = 0
    krylov_kept: int | None = None


@dataclass
class Step:
    """Report of one step of the march."""

    number: int
    residual: float
    courant: float
    vectors: int
    clipped: int
    first_order: bool
    note: str = ""


class SteadyMarch:
    """A flow on its way to the steady state.

    Parameters
    ----------
    discretisation : Discretisation
    state : ndarray, shape (n_cells, 4)
        Start; not copied.
    controls : MarchControls

    Attributes
    ----------
    state : ndarray
    residual : float
        Root mean square of the scaled residual over that of the impulsive start.
    courant : float
    step_count : int
    first_order_left : int
        Steps of the first-order scheme still to come.
    may_hold : bool
        Whether the limiter may be held: not while a boundary still moves.
    """
    def __init__(self, discretisation, state, controls=MarchControls()):
        self.flow, self.state, self.controls = discretisation, state, controls
        self.courant = controls.courant_start
        self.step_count = 0
        self.retries = self._good_steps = 0
        self.lowest, self._stalled = np.inf, None
        self.may_hold, self._held_again = True, 0
        self.first_order_left = controls.first_order_steps
        self.reference = self._impulsive_start()
        self._evaluate()
        self._keep()

    def _impulsive_start(self):
        self.flow.first_order = False
        # Measured without the closure, whose own start may be far off its equations.
        flow = self.flow
        start, closure = np.ascontiguousarray(flow.uniform_state()[:, :flow.flow_columns]), flow.closure
        flow.closure, flow.wall_treatment.shear[:] = None, 1.0
        norm = self._norm(flow.residual(start))
        flow.closure = closure
        return norm

    @staticmethod
    def _norm(residual):
        values = residual.ravel()
        return float(np.sqrt(np.dot(values, values) / values.size))

    def _evaluate(self):
        self.flow.first_order = self.first_order_left > 0
        self._vector = self.flow.residual(self.state)
        self.residual = self._norm(self._vector) / self.reference

    def _keep(self):
        self._good = self.state, self.courant, self.residual

    def advance(self):
        """Make one step.

        Returns
        -------
        Step

        Raises
        ------
        FlowDiverged
        """
        with np.errstate(all="ignore"):
            return self._advance()

    def _advance(self):
        c = self.controls
        first = self.first_order_left > 0
        self.flow.first_order = first
        before = self.residual
        self.flow.prepare(self.state, self.courant)
        tolerance = c.krylov_tolerance if before > 1e-4 else 0.5 * c.krylov_tolerance
        change, vectors, self._unsolved = gmres(self.flow.linear_operator(self.state, self._vector),
                                                self.flow.apply_factors,
                                                -self._vector.astype(self.flow.krylov_type), tolerance,
                                                c.krylov_vectors, c.krylov_kept)
        factor = 0.5 if self._turns_back(change) else 1.0
        wanted, change = change, change * self.flow.column_scale
        clipped = self.flow.clip_change(self.state, change, c.most_change)
        if self.flow.closure is not None:
            self.flow.closure.clip(self.state, change)
        accepted = self._take(change, before, factor)
        stalls = (accepted and not first and self.residual > STALLING * before
                  and not self.flow.holds_derivatives)
        self._stalled = wanted if stalls else None
        self.step_count += 1
        note = ""
        if accepted and not first and self._runs_away():
            note = "The quick products let the residual grow: back to the best state, with exact ones"
            self._turn_exact()
        elif not accepted:
            self._back_off()
            self._good_steps = 0
        else:
            self._good_steps += 1
            if self._good_steps >= FORGIVEN_AFTER:
                self.retries = 0
            self._adapt_courant(before, clipped, first)
            if first:
                # Half-way down is far enough for a start; the rest would be thrown away.
                self.first_order_left = 0 if self.residual < 0.03 else self.first_order_left - 1
                if self.first_order_left == 0:
                    self.courant = max(c.courant_start, 0.3 * self.courant)
                    self._evaluate()
            if not first:
                if self.residual < self.lowest and self.flow.holds_derivatives:
                    self._best = self.state, self.courant
                self.lowest = min(self.lowest, self.residual)
            if self.residual <= self._good[2] * 1.5:
                self._keep()
            self._hold_limiter()
        return Step(self.step_count, self.residual, self.courant, vectors, clipped, first, note)

    def _runs_away(self):
        return self.flow.holds_derivatives and self.residual > max(RUNAWAY * self.lowest,
                                                                           RUNAWAY_FROM)

    def _turn_exact(self):
        """Go back to the best state and take exact products from there."""
        self.flow.exact_products = True
        self.state, self.courant = self._best[0].copy(), max(0.3 * min(self._best[1], EXACT_COURANT),
                                                             self.controls.courant_start)
        self.controls = replace(self.controls, courant_most=min(self.controls.courant_most, EXACT_COURANT),
                                krylov_vectors=min(self.controls.krylov_vectors, EXACT_VECTORS),
                                krylov_tolerance=min(self.controls.krylov_tolerance, EXACT_TOLERANCE))
        self._evaluate()
        self._keep()

    def _turns_back(self, change):
        """Whether a step undoes the last one, which did not help, while what is left is the closure's
        residual in few cells.

        Newton's steps go to and fro there over a bend of its sources for ever; half of one ends it. Where the
        flow itself swings (at a shock, at an exit with back-flow), halved steps only let the Courant number
        grow: one duct of seven failed with them.
        """
        last = self._stalled
        if last is None or np.vdot(change, last) > -0.5 * np.linalg.norm(change) * np.linalg.norm(last):
            return False
        share = (self._vector[:, self.flow.flow_columns:]**2).sum(axis=1)
        return share.sum()**2 < FEW_CELLS * (share**2).sum() and share.sum() > OF_THE_CLOSURE * (self._vector
                                                                                                 **2).sum()

    def _take(self, change, before, factor):
        """Add so much of the change, halved while it makes the residual much worse; False if nothing
        helped."""
        old = self.state
        for _ in range(5):
            self.state = old + factor * change
            if np.isfinite(self.state).all() and self.state[:, 1].min(
            ) > 0.02 and self.state[:, 0].min() * self.flow.stream.gamma > -0.9995:
                self._vector = self.flow.residual(self.state)
                left = self._pseudo_time_part(change)
                left *= factor
                left += self._vector
                after = self._norm(left) / self.reference
                del left
                if np.isfinite(after) and after < 2.0 * before + 1e-12:
                    self.residual = self._norm(self._vector) / self.reference
                    self._last_factor = factor
                    return True
            factor *= 0.5
        self.state = old
        return False

    def _pseudo_time_part(self, change):
        out = np.zeros_like(change)
        self.flow.add_pseudo_time(change / self.flow.column_scale, out)
        return out

    def _adapt_courant(self, before, clipped, first):
        c = self.controls
        ratio = self.residual / max(before, 1e-300)
        if clipped > 0.02 * self.flow.n_own or self._last_factor < 0.5 or self._unsolved > c.least_solved:
            self.courant *= 0.5
        elif first:
            self.courant *= 1.5
        elif ratio < 1.0:
            self.courant *= min(c.courant_growth, max(1.15, ratio**
                                                      -1.0)) if ratio > 0.5 else c.courant_growth * 1.5
        elif ratio < 1.2:
            self.courant *= 1.1
        else:
            self.courant *= 0.7
        self.courant = float(np.clip(self.courant, 0.1, c.courant_most))

    def _hold_limiter(self):
        """The limiter's switching can keep Newton in a limit cycle; near the answer it is held still."""
        below = self.controls.hold_limiter or (LIMITER_HELD_BELOW if self.flow.closure is not None else 0.0)
        if not below or self.flow.first_order:
            return
        if not self.may_hold or self.residual > 30 * below:
            self.flow.limiter_frozen = False
        elif self.flow.limiter_frozen and self._held_again < self.controls.hold_again:
            if self.residual < below * 0.1**(self._held_again + 1):
                self.flow.limiter_frozen, self._held_again = False, self._held_again + 1
        elif self.residual < below:
            self.flow.limiter_frozen = True

    def _back_off(self):
        self.retries += 1
        worst = self.worst_cells()
        state, courant, _ = self._good
        self.state = state.copy()
        self.courant = max(0.1 * min(courant, self.courant), 0.05)
        self._evaluate()
        if self.retries > self.controls.retries:
            raise self.diverged(
                f"The flow could not be kept alive after {self.controls.retries} retries with smaller steps.",
                worst)

    def diverged(self, why, worst=None):
        """The error that says why a flow is lost, at which cells, and what to try."""
        worst = self.worst_cells() if worst is None else worst
        centres = self.flow.mesh.centre[worst]
        places = "; ".join(", ".join(f"{axis} = {value:.3f}" for axis, value in zip("xyz", at))
                           for at in centres[:3])
        return FlowDiverged(
            f"{why} The worst cells (in reference lengths): {places}. Try a lower starting Courant number "
            "(run.courant_start), more "
            "first-order steps (run.first_order_steps), or look at the grid there.", worst, centres)

    def worst_cells(self, count=5):
        """Cells with the largest residual, worst first."""
        size = np.nan_to_num(np.abs(self._vector), nan=np.inf, posinf=np.inf).max(axis=1)
        return np.argsort(size)[::-1][:count]
