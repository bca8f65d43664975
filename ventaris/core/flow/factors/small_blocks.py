"""Small dense blocks, as the matrices of the flow are made of."""
from numba import njit

from ..positions import fast


@njit(**fast)
def invert(a, inverse, n):
    """Gauss-Jordan without pivoting search beyond the column; destroys `a`."""
    for r in range(n):
        for k in range(n):
            inverse[r, k] = 1.0 if r == k else 0.0
    for c in range(n):
        pivot = c
        for r in range(c + 1, n):
            if abs(a[r, c]) > abs(a[pivot, c]):
                pivot = r
        if pivot != c:
            for k in range(n):
                a[c, k], a[pivot, k] = a[pivot, k], a[c, k]
                inverse[c, k], inverse[pivot, k] = inverse[pivot, k], inverse[c, k]
        scale = 1.0 / a[c, c] if a[c, c] != 0.0 else 1.0
        for k in range(n):
            a[c, k] *= scale
            inverse[c, k] *= scale
        for r in range(n):
            if r != c:
                factor = a[r, c]
                for k in range(n):
                    a[r, k] -= factor * a[c, k]
                    inverse[r, k] -= factor * inverse[c, k]
