"""Walls whose blowing or sliding changes in time."""
from dataclasses import dataclass

import numpy as np


class Steered:
    """A speed that is set step by step, as an actuator can follow it.

    Attributes
    ----------
    level : float
    most : float
        Largest size of it.
    rate : float
        Largest change in a unit of time.
    """
    def __init__(self, level, most, rate):
        self.level, self.most, self.rate = float(np.clip(level, -most, most)), most, rate

    def value(self, t):
        return self.level

    def steer(self, wanted, dt):
        """Come as near to what is wanted as a time allows."""
        goal = float(np.clip(wanted, -self.most, self.most))
        self.level += float(np.clip(goal - self.level, -self.rate * dt, self.rate * dt))


@dataclass(frozen=True)
class DrivenWall:
    """A wall that is driven, in the solver's scales.

    Attributes
    ----------
    name : str
        What its channel is called after.
    boundaries : tuple of str
        Surfaces of the mesh.
    blows : bool
        Whether it blows, or slides along itself.
    law : law
        Speed over a_inf against time in reference lengths over a_inf: an object with `value(t)`.
    formula : str
        By which a `Steered` law is steered.
    """

    name: str
    boundaries: tuple
    blows: bool
    law: object
    formula: str = ""


class DrivenOn:
    """Driven walls on one discretisation.

    Parameters
    ----------
    flow : Discretisation
    walls : sequence of DrivenWall
    """
    def __init__(self, flow, walls):
        self.flow, self.walls = flow, walls
        faces = [np.concatenate([flow.mesh.boundaries[name] for name in wall.boundaries]) for wall in walls]
        self.local = [f - flow.n_interior for f in faces]
        self.put(0.0)

    def put(self, time):
        """Let every wall do what it does at a time; after what moves has been put where it is."""
        flow = self.flow
        for wall, local in zip(self.walls, self.local):
            speed = wall.law.value(time)
            if wall.blows:
                flow.border.ghost[local, 0] = speed
                continue
            # The outline runs counter-clockwise; the flow's outward normal points into the body.
            normal = flow.mesh.normal[flow.n_interior + local]
            flow.border.ghost[local, 2:4] = speed * np.stack([normal[:, 1], -normal[:, 0]], axis=1)
            if len(flow.faces.drift):
                flow.border.ghost[local, 2:4] += flow.faces.drift[flow.n_interior + local]
