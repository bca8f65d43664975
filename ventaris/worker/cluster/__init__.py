"""Runs handed out to worker processes, here or on other machines, over Dask distributed."""
