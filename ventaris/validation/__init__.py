"""Validation: published and exact cases, run by this program and written down as a report."""
