"""Run a sheet: an interruptible climb from the coarse grid to the level asked for."""
import io
import json
import time
import zipfile
from dataclasses import dataclass, field, replace

import numpy as np

from ..flow.discretisation import Discretisation
from ..flow.prolongation import prolong
from ..flow.steady import FlowDiverged, MarchControls, SteadyMarch
from ..grids.quality import measure_quality
from ..instruments.balance import Balance, forces
from ..instruments.probe import read_probe
from ..instruments.taps import find_separation, find_shocks, read_taps, wall_units
from ..sheet import write_toml
from .setup import prepare
from .trend import grid_trend
from .verdict import judge

WATCHED = ("lift", "drag", "moment")
STEADY_OVER = 3
CHECKPOINT_FORMAT = 1


class RunFailed(RuntimeError):
    """The run cannot give an answer; the message says why and what to try."""


@dataclass
class Progress:
    """One step of a run.

    Attributes
    ----------
    step : int
        Counted over all levels.
    level : str
    level_step : int
    residual, courant : float
    channels : dict
        Coefficients at this step.
    share : float
        Rough share of the whole work done.
    message : str
        A line for the log, often empty.
    """

    step: int
    level: str
    level_step: int
    residual: float
    courant: float
    channels: dict
    share: float
    message: str = ""


@dataclass
class LevelResult:
    """What a finished level leaves behind."""

    level: str
    cells: int
    steps: int
    residual: float
    settled: bool
    seconds: float
    coefficients: dict
    changes: dict
    shocks: list
    separations: list
    quality: dict
    y_plus: dict | None = None


@dataclass
class Checkpoint:
    """Everything needed to go on with a run in another process."""

    sheet: str
    level: str
    state: np.ndarray
    march: dict
    history: list
    finished: list
    seconds: float

    def to_bytes(self):
        """As compressed bytes."""
        head = {k: getattr(self, k) for k in ("sheet", "level", "march", "history", "finished", "seconds")}
        head["format"] = CHECKPOINT_FORMAT
        out = io.BytesIO()
        np.savez_compressed(out, state=self.state, head=np.frombuffer(json.dumps(head).encode(), dtype=np.uint8))
        return out.getvalue()

    @classmethod
    def from_bytes(cls, data):
        """Read what `to_bytes` wrote; raises `RunFailed` when it is damaged or of another version."""
        try:
            with np.load(io.BytesIO(data), allow_pickle=False) as stored:
                head = json.loads(bytes(stored["head"]))
                state = stored["state"]
        except (ValueError, KeyError, OSError, EOFError, zipfile.BadZipFile):
            raise RunFailed("The checkpoint is damaged. Run the sheet afresh.") from None
        if head.pop("format", None) != CHECKPOINT_FORMAT:
            raise RunFailed("The checkpoint was written by another version of Ventaris. Run the sheet afresh.")
        return cls(state=state, **head)


@dataclass
class _Level:
    """The level being marched."""

    name: str
    flow: Discretisation
    march: SteadyMarch
    steps: int = 0
    recent: list = field(default_factory=list)
    seconds: float = 0.0


class Execution:
    """One run, as an iterator of `Progress` that can be left and resumed at any step.

    Parameters
    ----------
    sheet : Sheet
    resume : Checkpoint or None
    extra_steps : int
        Steps granted beyond the sheet's limit on every level (running a stopped run further).

    Attributes
    ----------
    result : dict or None
        Set when the run has ended; see `docs/formats.md`.
    """

    def __init__(self, sheet, resume=None, extra_steps=0):
        self.sheet, self.extra_steps = sheet, extra_steps
        if resume:
            # A level that had ended is opened again, to be marched further or found settled.
            resume.finished = [done for done in resume.finished if done["level"] != resume.level]
        self.setup = prepare(sheet)
        self.meshes = None
        self.history, self.finished = [], []
        self.result = None
        self._level = None
        self._resume = resume
        self._before = resume.seconds if resume else 0.0

    def __iter__(self):
        started = time.monotonic()
        self._clock = lambda: self._before + time.monotonic() - started
        self.meshes = self.setup.generate()
        previous = None
        for name in self.setup.levels:
            if self._resume and any(done["level"] == name for done in self._resume.finished):
                continue
            yield from self._climb(name, previous)
            previous = name, self._level.march.state
        self.result = self.conclude()

    def _climb(self, name, previous):
        mesh = self.meshes[name]
        retried = False
        while True:
            self._level = self._open_level(name, mesh, previous, careful=retried)
            try:
                yield from self._march(retried)
                return
            except FlowDiverged as error:
                if retried:
                    raise RunFailed(f"The {name} grid: {error}") from None
                retried, self._resume = True, None

    def _open_level(self, name, mesh, previous, careful):
        inviscid = self.sheet.flow.model == "inviscid"
        # Nothing fixes the circulation of an inviscid flow round a rounded tail: it gets no vortex;
        # beside a ground or between walls the lift has its mirror images.
        free = self.sheet.domain.kind != "far field" or inviscid and all(o.section.trailing_edge == "round" for o in self.setup.outlines)
        turbulent = self.sheet.flow.model == "turbulent"
        flow = Discretisation(mesh, self.setup.stream, "slip" if inviscid else "no-slip", vortex=not free,
                              closure=self.sheet.flow.closure if turbulent else None, laminar_until=self.sheet.flow.trip if turbulent else None,
                              boundaries=self.setup.boundaries)
        run, resume = self.sheet.run, self._resume
        controls = MarchControls(run.courant_start, krylov_vectors=run.krylov_vectors, first_order_steps=run.first_order_steps)
        if resume:
            self.history, self.finished = list(resume.history), [LevelResult(**done) for done in resume.finished]
        if resume and resume.level == name and len(resume.state) == mesh.n_cells:
            march = SteadyMarch(flow, resume.state.copy(), replace(controls, first_order_steps=resume.march["first_order_left"]))
            march.courant = resume.march["courant"]
            level = _Level(name, flow, march, resume.march["steps"], list(resume.march["recent"]), resume.march["seconds"])
            self._resume = None
            return level
        self._resume = None
        if previous is None or careful:
            state = flow.uniform_state()
        else:
            state = prolong(self.meshes[previous[0]], mesh, previous[1])
            controls = replace(controls, first_order_steps=0, courant_start=10 * run.courant_start)
        if turbulent:
            # The closure needs gentler steps; three times the usual start is as fast as it bears after prolongation.
            controls = replace(controls, courant_growth=1.5, courant_start=(1 if previous is None else 3) * run.courant_start)
        if careful:
            controls = replace(controls, first_order_steps=max(60, 2 * run.first_order_steps), courant_start=0.2 * run.courant_start,
                               courant_growth=1.3, most_change=0.1)
        return _Level(name, flow, SteadyMarch(flow, state, controls))

    def _march(self, careful):
        level, run = self._level, self.sheet.run
        message = f"{level.name} grid, {level.flow.n_cells} cells" + (", started again with smaller steps" if careful else "")
        balance = self._balance()
        most = run.steps + self.extra_steps
        began, earlier = time.monotonic(), level.seconds
        while level.steps < most and not self._is_settled() and not self._has_served():
            report = level.march.advance()
            level.steps += 1
            level.seconds = earlier + time.monotonic() - began
            coefficients = balance.measure(level.flow)
            level.recent = (level.recent + [coefficients])[-STEADY_OVER - 1:]
            if report.clipped > 0.02 * level.flow.n_cells and not message:
                message = f"{report.clipped} cells held back in this step"
            entry = {"step": len(self.history) + 1, "level": level.name, "residual": report.residual,
                     "courant": report.courant, **coefficients}
            self.history.append(entry)
            yield Progress(entry["step"], level.name, level.steps, report.residual, report.courant, coefficients,
                           self._share(), message)
            message = ""
        self._finish_level()

    def _balance(self):
        i = self.sheet.instruments
        return Balance((i.moment_x, i.moment_y), self.setup.elements, bool(self.setup.slots), self.sheet.domain.kind == "half")

    def _changes(self):
        """Relative change of the watched coefficients over the last steps."""
        recent = self._level.recent
        if len(recent) <= STEADY_OVER:
            return {name: float("inf") for name in WATCHED}
        scale = max(abs(recent[-1]["lift"]), 0.05)
        floor = {"lift": scale, "drag": max(abs(recent[-1]["drag"]), 0.002), "moment": scale}
        return {name: (max(r[name] for r in recent) - min(r[name] for r in recent)) / floor[name] for name in WATCHED}

    def _is_settled(self):
        march, run = self._level.march, self.sheet.run
        return (not march.flow.first_order and march.residual <= run.residual
                and max(self._changes().values()) <= run.steady)

    def _has_served(self):
        """Whether a turbulent level that is only a start for the next one has given what it can.

        Coarse wall layers (y+ of several) often end in a small limit cycle; the forces are then as
        good as that grid makes them.
        """
        level = self._level
        if self.sheet.flow.model != "turbulent" or level.name == self.setup.levels[-1] or level.steps < 25:
            return False
        return level.steps >= 60 or (level.march.residual < 1e-2 and max(self._changes().values()) < 1e-3)

    def _finish_level(self):
        level = self._level
        level.flow.residual(level.march.state)
        taps = read_taps(level.flow, level.march.state)
        self.finished.append(LevelResult(
            level.name, level.flow.n_cells, level.steps, level.march.residual, self._is_settled(), round(level.seconds, 3),
            self._balance().measure(level.flow), self._changes(), find_shocks(taps),
            find_separation(taps) if self.sheet.flow.model != "inviscid" else [],
            measure_quality(level.flow.mesh).as_dict(), wall_units(level.flow, level.march.state)))

    def _share(self):
        """Work done over the whole, from cells times steps."""
        level = self._level
        expected = (14 if self.setup.stream.mach < 0.6 else 22) * (2 if self.sheet.flow.model == "turbulent" else 1)
        total = sum(self.meshes[name].n_cells for name in self.setup.levels)
        done = sum(f.cells for f in self.finished)
        drop = np.log10(max(level.march.residual, 1e-16)) / np.log10(self.sheet.run.residual)
        here = min(0.97, max(level.steps / (level.steps + expected), float(np.clip(drop, 0, 1)) ** 2))
        return float((done + here * level.flow.n_cells) / total)

    def checkpoint(self):
        """A `Checkpoint` of this moment; callable between any two steps."""
        level = self._level
        march = {"courant": level.march.courant, "steps": level.steps, "recent": level.recent, "seconds": level.seconds,
                 "first_order_left": level.march.first_order_left}
        return Checkpoint(write_toml(self.sheet), level.name, level.march.state.copy(), march, list(self.history),
                          [vars(f) for f in self.finished], self._clock())

    def field(self):
        """The present state on its level: (level, Discretisation, state)."""
        return self._level.name, self._level.flow, self._level.march.state

    def conclude(self, stopped=False):
        """The result of what has been computed so far, as plain values."""
        level = self._level
        if not self.finished or self.finished[-1].level != level.name:
            self._finish_level()
        last, setup = self.finished[-1], self.setup
        trends = {name: grid_trend([f.coefficients[name] for f in self.finished])
                  for name in (*WATCHED, "drag_pressure", "drag_friction")}
        verdict = judge(setup, last.level, last.residual, last.changes, last.settled, last.shocks, last.separations,
                        trends, stopped, last.y_plus)
        probes = {p.name: read_probe(level.flow, level.march.state, p.x, p.y) for p in self.sheet.instruments.probes}
        levels = [{k: v for k, v in vars(f).items() if k != "changes"} for f in self.finished]
        return {
            "format": 1, "title": self.sheet.title, "coefficients": last.coefficients,
            "trends": {name: t.as_dict() for name, t in trends.items()},
            "forces": forces(last.coefficients, setup.air, setup.chord, self.sheet.instruments.span),
            "levels": levels, "verdict": verdict.as_dict(), "shocks": last.shocks, "separations": last.separations,
            "probes": probes, "air": derived_air(setup), "shape": setup.shape.section.measure(setup.chord).as_dict(),
            "y_plus": last.y_plus, "cells": last.cells, "steps": len(self.history), "seconds": round(self._clock(), 2),
            "cost_per_cell_step": last.seconds / max(last.cells * last.steps, 1)}


def derived_air(setup):
    """What follows from the air section, in SI."""
    air = setup.air
    return {"mach": air.mach, "speed": air.speed, "reynolds": setup.reynolds, "temperature": air.temperature,
            "pressure": air.pressure, "density": air.density, "viscosity": air.viscosity, "speed_of_sound": air.speed_of_sound,
            "dynamic_pressure": air.dynamic_pressure, "total_pressure": air.total_pressure,
            "total_temperature": air.total_temperature, "incidence": setup.sheet.air.incidence}


def execute(sheet, resume=None, extra_steps=0):
    """Run a sheet.

    Parameters
    ----------
    sheet : Sheet
    resume : Checkpoint or bytes or None

    Returns
    -------
    Execution
        Iterate over it; afterwards its `result` holds the answer.

    Raises
    ------
    SheetError, ShapeError, MeshError
        Before anything is computed.
    RunFailed
        From the iteration, when the flow cannot be computed.
    """
    if isinstance(resume, (bytes, bytearray, memoryview)):
        resume = Checkpoint.from_bytes(bytes(resume))
    return Execution(sheet, resume, extra_steps)
