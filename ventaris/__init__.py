"""Ventaris: simulated airflow round shapes, and the differences between them."""
import os

# The solver's loops run on their own threads; a second pool of linear-algebra threads that
# spin between short products made the whole three times slower (docs/decisions.md).
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
# Threads that spin while they wait cost more than they save where the cores are shared (measured:
# 26 s against 17 s for one climb beside other work).
os.environ.setdefault("OMP_WAIT_POLICY", "passive")

__version__ = "0.1.0"
