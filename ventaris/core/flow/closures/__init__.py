"""Turbulence closures: one file each, the same in the plane and in space."""
