"""Ventaris: simulated airflow round shapes, and the differences between them."""
import os

# The solver's loops run on their own threads; a second pool of linear-algebra threads that
# spin between short products made the whole three times slower (docs/decisions.md).
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
# Threads that spin while they wait cost more than they save where the cores are shared (measured:
# 26 s against 17 s for one climb beside other work).
os.environ.setdefault("OMP_WAIT_POLICY", "passive")

__version__ = "0.1.0"

_NOTEBOOK = ("Answer", "Number", "RunFailed", "SheetError", "change", "check", "cost", "difference", "read",
             "run", "sheet", "text")


def __getattr__(name):
    """What a notebook needs, loaded when it is first asked for (`docs/python.md`)."""
    if name not in _NOTEBOOK:
        raise AttributeError(f"module 'ventaris' has no attribute {name!r}")
    from . import notebook
    return getattr(notebook, name)


def __dir__():
    return sorted([*globals(), *_NOTEBOOK])
