"""How many cores a run may take."""
from contextlib import contextmanager

import numba
from threadpoolctl import threadpool_limits


@contextmanager
def cores_at_most(most):
    """Compiled loops and linear algebra take no more cores than so many; 0 lets them take what they have."""
    before = numba.get_num_threads()
    if not most or most >= before:
        yield
        return
    numba.set_num_threads(most)
    try:
        with threadpool_limits(most):
            yield
    finally:
        numba.set_num_threads(before)
