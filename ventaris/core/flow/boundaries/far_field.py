"""The undisturbed stream outside, or another state: the waves decide what passes.

Its row of `ghost`: [p, T, velocity] outside.
"""
from .contract import Condition

CODE = 2


def rows(boundary, normal, centre, ghost):
    """See `Condition.rows`."""
    if boundary.state is not None:
        ghost[:] = boundary.state


CONDITION = Condition("far field", CODE, rows)
