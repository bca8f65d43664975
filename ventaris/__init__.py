"""Ventaris: simulated airflow round shapes, and the differences between them."""
import os

# The solver's loops run on their own threads; a second pool of linear-algebra threads that
# spin between short products made the whole three times slower (docs/decisions.md).
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
