"""Profiles off a wall and across a wake: boundary-layer thicknesses, wall units, wake drag.

The edge of a layer is where the speed reaches 99 per cent of that which the stream's total
pressure allows at the local static pressure: unlike a share of the stream's speed this holds on
curved walls.

References
----------
Jones: The measurement of profile drag by the pitot-traverse method, ARC R&M 1688, 1936.
"""
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from ..gas import isentropic_pressure_ratio

EDGE = 0.99
SAMPLES = 70
REACH = 0.3


@dataclass
class WallProfile:
    """The flow along the normal of a wall.

    Attributes
    ----------
    y : ndarray, shape (n,)
        Distance from the wall in chords, increasing.
    u : ndarray
        Speed along the wall over the stream's, positive downstream.
    share : ndarray
        Speed over the one that loses nothing.
    density : ndarray
        Over the stream's.
    cells : ndarray of int
    """

    y: np.ndarray
    u: np.ndarray
    share: np.ndarray
    density: np.ndarray
    cells: np.ndarray

    def thicknesses(self):
        """Thickness, displacement and momentum thickness in chords, shape factor, cells within; None where no
        edge is found."""
        target = EDGE * min(1.0, self.share.max())
        beyond = np.nonzero(self.share >= target)[0]
        if not len(beyond) or beyond[0] < 2:
            return None
        k = int(beyond[0])
        a, b = self.share[k - 1], self.share[k]
        edge = self.y[k - 1] + (self.y[k] - self.y[k - 1]) * (target - a) / max(b - a, 1e-12)
        y, u = np.concatenate([[0], self.y[:k + 1]]), np.concatenate([[0], self.u[:k + 1]])
        rho = np.concatenate([self.density[:1], self.density[:k + 1]]) / self.density[k]
        u = u / max(abs(u[-1]), 1e-9) * np.sign(u[-1] or 1)
        displacement, momentum = np.trapezoid(1 - rho * u, y), np.trapezoid(rho * u * (1 - u), y)
        return {
            "thickness": float(edge), "displacement": float(displacement), "momentum": float(momentum),
            "shape": float(displacement / momentum) if momentum > 0 else None, "cells": k
        }


class WallSampler:
    """Reads profiles off the walls of a field.

    Parameters
    ----------
    mesh : Mesh
    state : ndarray, shape (n_cells, 4 or more)
    gamma, mach : float
    """
    def __init__(self, mesh, state, gamma, mach):
        self.mesh, self.state, self.gamma, self.mach = mesh, state, gamma, mach
        self.tree = cKDTree(mesh.centre)
        self.faces = mesh.wall_faces()

    def nearest(self, x, y):
        """Index (into the wall faces) of the face nearest to a point."""
        return int(np.argmin(np.linalg.norm(self.mesh.face_centre[self.faces] - [x, y], axis=1)))

    def profile(self, number, reach=REACH):
        """The `WallProfile` over one wall face."""
        mesh, face = self.mesh, self.faces[number]
        foot, away = mesh.face_centre[face], -mesh.normal[face]
        first = float((mesh.centre[mesh.left[face]] - foot) @ away)
        heights = np.geomspace(max(first, 1e-9), reach, SAMPLES * 2)
        cells = self.tree.query(foot + heights[:, None] * away)[1]
        _, order = np.unique(cells, return_index=True)
        cells = cells[np.sort(order)]
        y = (mesh.centre[cells] - foot) @ away
        rising = np.concatenate([[True], y[1:] > np.maximum.accumulate(y)[:-1] * 1.0001])
        cells, y = cells[rising], y[rising]
        g, (p, t, u, v) = self.gamma, self.state[cells, :4].T
        along = np.array([away[1], -away[0]])
        tangential = u * along[0] + v * along[1]
        # Downstream is where the layer's outer part goes.
        sign = np.sign(tangential[min(len(tangential) - 1, len(tangential) // 2)]) or 1.0
        absolute = np.maximum(p + 1 / g, 1e-9)
        total = isentropic_pressure_ratio(self.mach, g) / g
        ideal_mach2 = 2 / (g - 1) * np.maximum((total / absolute)**((g - 1) / g) - 1, 1e-12)
        mach2 = (u * u + v * v) / np.maximum(t, 1e-9)
        # Same total temperature: the speeds compare as M over sqrt(1 + (g-1)/2 M^2) do.
        share = np.sqrt(mach2 / (1 + 0.5 * (g - 1) * mach2) * (1 + 0.5 * (g - 1) * ideal_mach2) / ideal_mach2)
        return WallProfile(y, sign * tangential / self.mach, share, g * absolute / np.maximum(t, 1e-9), cells)

    def thickness_row(self):
        """Thickness (chords), shape factor and cells within the layer at every wall face; NaN where none is
        found."""
        out = np.full((len(self.faces), 3), np.nan)
        for k in range(len(self.faces)):
            found = self.profile(k).thicknesses()
            if found:
                out[k] = found["thickness"], found["shape"] or np.nan, found["cells"]
        return out


def wake_profile(mesh, state, gamma, mach, x, low, high, count=400):
    """The wake along a vertical line.

    Parameters
    ----------
    x, low, high : float
        In chords.

    Returns
    -------
    dict
        ``y, u`` (over the stream's), ``loss`` (total pressure lost over the dynamic pressure), ``drag``
        (Jones' formula; None where the flow is supersonic or runs back).
    """
    y = np.linspace(low, high, count)
    points = np.stack([np.full(count, x), y], axis=1)
    distance, near = cKDTree(mesh.centre).query(points, k=3)
    weight = 1 / np.maximum(distance, 1e-9)
    weight /= weight.sum(axis=1, keepdims=True)
    p, t, u, v = np.einsum("nk,nkc->cn", weight, state[near, :4])
    g = gamma
    absolute = np.maximum(p + 1 / g, 1e-9)
    m2 = (u * u + v * v) / np.maximum(t, 1e-9)
    total = absolute * isentropic_pressure_ratio(np.sqrt(m2), g)
    stream_total = isentropic_pressure_ratio(mach, g) / g
    q = 0.5 * mach**2
    # Pressures over the dynamic pressure of incompressible flow with the same total pressure.
    full = (stream_total - 1 / g) / q
    here, stat = (total - 1 / g) / q / full, p / q / full
    kinetic, kept = np.maximum(here - stat, 0), np.maximum(here, 0)
    drag = None
    if mach < 0.9 and m2.max() < 1 and u.min() > 0:
        drag = float(2 * np.trapezoid(np.sqrt(kinetic) * (1 - np.sqrt(np.minimum(kept, 1.0))), y))
    return {"y": y.tolist(), "u": (u / mach).tolist(), "loss": (1 - here).tolist(), "drag": drag}
