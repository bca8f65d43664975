"""What a turbulence closure offers, and what all of them share.

A closure adds columns to the state, behind those of the flow. It is one file: the constants and relations of
its equations, the compiled loops that sum them up, and a class derived from `Closure` that fills

- `columns`, `column_scale` and `row_scale`;
- `start`: the columns at an impulsive start; `clip`: how far a step may change them;
- `update`: the eddy viscosity of a state; `residual`: the rows of its equations, and `diagonal`, a safe
derivative of
  each by its own unknown; `couple`: the derivatives by the unknowns across the faces.

The trip and detached eddies are options that every closure takes.
"""
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class ClosureOptions:
    """What is asked of a closure beside its equations.

    Attributes
    ----------
    laminar_until : float or None
        Station in reference lengths up to which boundary layers make no turbulence.
    detached : bool
        Whether large eddies are set free away from walls (detached-eddy simulation, shielded).
    mixing : float
        Eddy viscosity over speed and reference length that free shear makes here; scales an equation.
    """

    laminar_until: float | None = None
    detached: bool = False
    mixing: float = 0.0

    @property
    def trip(self):
        return -1e30 if self.laminar_until is None else float(self.laminar_until)


class Closure:
    """A closure on one mesh.

    Parameters
    ----------
    flow : Discretisation
    options : ClosureOptions

    Attributes
    ----------
    eddy : ndarray, shape (n_cells,)
        Dynamic eddy viscosity after the last `update`.
    diagonal : ndarray, shape (columns, n_cells)
    row_scale : ndarray, shape (columns, n_cells)
    pseudo_time : ndarray, shape (n_cells, columns)
        Scaled pseudo-time diagonal after `prepare`.
    pairs : ndarray, shape (columns, n_interior, 2)
        Scaled dependence across each face, [left on right, right on left], after `prepare`.
    matrix_diagonal : ndarray, shape (columns, n_cells)
    """

    columns = 1

    def __init__(self, flow, options=ClosureOptions()):
        self.flow, self.options = flow, options
        self.first = flow.flow_columns
        n, kind = flow.n_cells, flow.factor_type
        self.nu = flow.stream.mach / flow.stream.reynolds
        self.eddy, self.diagonal = np.zeros(n), np.zeros((self.columns, n))
        self.pairs = np.empty((self.columns, flow.n_interior, 2), dtype=kind)

    def clip(self, state, change):
        """Hold a change of the closure's unknowns within bounds; here they may change freely."""

    def prepare(self, state, molecular, time_factor):
        """Assemble and factorise the matrix of each equation."""
        flow, g = self.flow, self.flow.stream.gamma
        scale = self.row_scale * self.column_scale[:, None]
        self.couple(state, molecular, scale, self.pairs)
        rho = g * (state[:, 0] + 1 / g) / state[:, 1]
        held = scale * rho * time_factor
        self.pseudo_time = held.T.copy()
        self.matrix_diagonal = (scale * self.diagonal + held).astype(self.pairs.dtype)
        for n in range(self.columns):
            flow.factors.factorise_scalar(n, self.pairs[n], self.matrix_diagonal[n])

    def sweep(self, state, residual):
        """Change of the state by one step of the closure's equations alone, from their matrices with safe
        diagonals; `residual` is that of the state, and the last one that was computed."""
        flow, change = self.flow, np.zeros_like(state)
        self.prepare(state, flow.molecular, np.zeros(flow.n_cells))
        self.apply_factors(-residual, change)
        change *= flow.column_scale
        self.clip(state, change)
        return change

    def apply_factors(self, vector, out):
        """Fill the closure's columns of the preconditioned vector."""
        for n in range(self.columns):
            self.flow.factors.solve_scalar(n, vector, out, self.first + n)
