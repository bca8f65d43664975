"""Run a body's sheet: the climb from the coarse octree to the level asked for, means where the wake does not
stand still."""
import time
from dataclasses import replace

import numpy as np

from ....flow.discretisation import Discretisation
from ....flow.march.prolongation import prolong
from ....flow.march.steady import (
    EXACT_COURANT, EXACT_TOLERANCE, EXACT_VECTORS, FlowDiverged, MarchControls, SteadyMarch
)
from ....flow.march.unsteady import TimeMarch
from ....grids.bodies import LADDER
from ....grids.embedded import mesh_quality
from ....instruments.balance import channel_name
from ....instruments.body_balance import BodyBalance, body_forces
from ....instruments.lost_drag import LostDrag
from ....instruments.plane_meter import SpatialSampler, read_meter, read_point
from ....look.body_field import body_field
from ....memory import give_back
from ...air import derived_air
from .ready import prepare_body
from .bars import error_bars
from .judge import judge_body
from ...climb import Climb
from ...means import NONE, means_of, with_drift
from ...progress import LevelResult, MarchedLevel, RunFailed
from ...statistics import statistics_of
from ...unsteady import MeanField, moments_of

STEADY_OVER = 10
# A mean needs a record of at least this many second-order steps.
LEAST_RECORD = 30
# Coarser levels only carry the trend: they may stop at a change this many times larger.
COARSE_PATIENCE = 4.0
# But not before they have fallen to this residual, or recorded as much as the finest level must.
COARSE_RESIDUAL = 1e-2
TIME_TOLERANCE = 1e-2
MOST_COURANT = 1000.0
# Cells from which on only so many Krylov vectors are kept in memory.
LARGE_GRID, KEPT_VECTORS = 500_000, 10
# Of a level, for the share that is shown as done.
EXPECTED_STEPS = 45
# Rise of the pressure across a cell, over itself, from which on a cell counts as in a shock.
SHOCK_RISE = 0.25
# Forces over dynamic pressure and the largest face of the body's box that no flow without engines makes.
PULLED, PUSHED = -0.3, 10.0


def body_channels(setup):
    """Names of the channels that a body's run records by itself."""
    names = [
        "step", "residual", "courant", "lift", "drag", "side", "moment", "roll", "turn", "drag_pressure",
        "drag_friction", "lift_pressure"
    ]
    if setup.axles:
        names += ["lift_front", "lift_rear"]
    if setup.splits_drag:
        names += ["drag_lost", "drag_induced"]
    if len(setup.body.surface.parts) > 1:
        names += [
            channel_name(f"{what}_{part}") for part in setup.body.surface.parts for what in ("drag", "lift")
        ]
    names += [channel_name(f"{what}_{region}") for region in setup.regions for what in ("drag", "lift")]
    if any(action.is_open for action in setup.openings.values()):
        names += ["drag_openings"]
    names += [
        channel_name(f"{'mass_flow' if action.is_open else 'heat'}_{name}")
        for name, action in setup.openings.items()
    ]
    return names + [channel_name(f"cp_{p.name}") for p in setup.sheet.instruments.probes]


def shock_places(flow, state):
    """Centres of the cells in which the pressure rises steeply along supersonic flow, shape (k, 3)."""
    gamma, mesh = flow.stream.gamma, flow.mesh
    pressure, rise = state[:, 0] + 1 / gamma, flow.grad[:, 0]
    steep = np.linalg.norm(rise, axis=1)
    across = (state[:, 2:5] * rise).sum(axis=1) / np.maximum(steep, 1e-12)
    return mesh.centre[(steep * np.cbrt(mesh.volume) > SHOCK_RISE * pressure)
                       & (across > np.sqrt(np.maximum(state[:, 1], 0.0)))]
# What a step in time costs over a steady one, about.
IN_TIME = 1.5


class BodyExecution(Climb):
    """One run of a body; see `Climb`."""

    reported = (*Climb.reported, ("side", "side force", "", 6))

    def __init__(self, sheet, resume=None, extra_steps=0):
        setup = prepare_body(sheet)
        super().__init__(sheet, setup, body_channels(setup), resume, extra_steps)
        self._followed = list(resume.time["entries"]) if resume and resume.time else []
        self._resumed_time = resume.time if resume else None
        # Whether wall layers had to be given up.
        self._without = bool(resume and "cubes_only" in resume.arrays)
        if self._without:
            self.setup = self.setup.without_layers()
        self.mean_field = MeanField()
        self.mean_field.restore(self._resumed_time or {})
        # Where the level before found shocks, in the solver's unit.
        self._shocks = resume.arrays.get("shocks") if resume else None
        # Numbers whose error bar is that of an error which variants of a kind have alike.
        self._shared = set()
        i = sheet.instruments
        self.balance = BodyBalance(setup.area / setup.scale**2, setup.length / setup.scale,
                                   np.array([i.moment_x, i.moment_y, i.moment_z]) / setup.scale,
                                   setup.direction, setup.body.surface.parts, setup.axles, setup.half,
                                   setup.regions,
                                   tuple((name, action.is_open) for name, action in setup.openings.items()),
                                   *self._units(setup))

    @staticmethod
    def _units(setup):
        """kg/s and W of the solver's units of mass flow and power."""
        flow = setup.air.density * setup.air.speed_of_sound * setup.scale**2
        return flow, flow * setup.air.speed_of_sound**2

    @property
    def detached(self):
        return self.sheet.flow.model == "turbulent" and self.sheet.flow.wake == "detached"

    def __iter__(self):
        self._start_clock()
        try:
            yield from self._levels()
        except (FlowDiverged, RunFailed):
            if not self.setup.is_layered:
                raise
            # Cubes are coarser at the wall and forgive more: what layers could not carry they may.
            self._drop_layers()
            yield from self._levels()
        if self.detached:
            yield from self._follow()
        self.result = self.conclude()

    def _drop_layers(self):
        """Go on without wall layers, from the coarse level on."""
        self.setup, self._resume, self._without = self.setup.without_layers(), None, True
        self.finished, self._shocks = [], None

    def _levels(self):
        previous = None
        for name in self.setup.levels:
            if self._resume and any(done["level"] == name for done in self._resume.finished):
                continue
            # A level's grid is made when its turn comes: the first answer need not wait for the finest.
            adapted = self._shocks is not None and len(self._shocks)
            mesh = self.setup.generate_at_shocks(name, self._shocks) if adapted else self.setup.generate(
                (name, ))[name]
            give_back()
            if not len(mesh.wall_faces()):
                raise RunFailed(
                    f"The {name} grid: the body fell between its cells, none of which it cuts. Make the "
                    "cells on the body (grid.surface_size) smaller, or raise the cell budget.")
            yield from self._climb_level(name, mesh, previous)
            flow, state = self._level.flow, self._level.march.state
            # Not the level itself: its matrices would stay in memory beside those of the next.
            previous = flow.mesh, state, flow.grad
            if self.setup.plan.shock_size and self.setup.stream.mach > 1 and name != self.setup.levels[-1]:
                self._shocks = shock_places(flow, state)
            del flow

    def _open(self, name, mesh, previous, careful):
        setup, run, sheet = self.setup, self.sheet.run, self.sheet
        turbulent = sheet.flow.model == "turbulent"
        flow = Discretisation(mesh, setup.stream, closure=sheet.flow.closure if turbulent else None,
                              boundaries=setup.boundaries, direction=setup.direction, detached=self.detached
                              and name == setup.levels[-1])
        flow.exact_products = careful
        held = flow.holds_derivatives
        courant, vectors, tolerance = (MOST_COURANT, 20,
                                       0.3) if held else (EXACT_COURANT, EXACT_VECTORS,
                                                          EXACT_TOLERANCE) if turbulent else (1e5, 30, 0.1)
        controls = MarchControls(run.courant_start, run.courant_most or courant, 1.5 if turbulent else 2.0,
                                 run.first_order_steps, run.krylov_vectors or vectors, tolerance,
                                 least_solved=0.5,
                                 krylov_kept=KEPT_VECTORS if flow.n_cells > LARGE_GRID else None)
        resumed = self._resumed(name, flow, controls)
        if resumed:
            return resumed
        if previous is None or careful:
            state = flow.uniform_state()
        else:
            state = prolong(previous[0], mesh, *previous[1:], setup.stream.gamma)
            controls = replace(controls, first_order_steps=0,
                               courant_start=(12 if turbulent else 10) * run.courant_start)
        if careful:
            controls = replace(controls, first_order_steps=max(30, 2 * run.first_order_steps),
                               courant_start=0.3 * run.courant_start, courant_growth=1.3, most_change=0.1)
        return MarchedLevel(name, flow, SteadyMarch(flow, state, controls))

    def _is_over(self):
        return self._is_settled(self._patience())

    def _remember(self, channels, report):
        # All of the second-order steps: a moving wake is judged by its means.
        if not report.first_order:
            self._level.recent.append(channels)

    def _read(self, march):
        level = self._level
        out = self.balance.measure(level.flow)
        if self.setup.splits_drag:
            out["drag_lost"] = self._lost()[0]
            out["drag_induced"] = out["drag"] - out["drag_lost"]
        sampler = SpatialSampler(level.flow, self._state())
        for probe in self.sheet.instruments.probes:
            point = np.array([probe.x, probe.y, probe.z]) / self.setup.scale
            if probe.name not in level.cells:
                level.cells[probe.name] = int(level.flow.mesh.containing(point[None])[0])
            reading = read_point(sampler, point, level.cells[probe.name])
            out[channel_name(f"cp_{probe.name}")] = reading["cp"] if reading else None
        return {**out, **self.channels.compute({**march, **out})}

    def _lost(self):
        """See `LostDrag`."""
        level = self._level
        if level.lost is None:
            level.lost = LostDrag(level.flow.mesh, self.balance.axes)
        return level.lost.measure(level.flow, self._state(),
                                  self.balance.area * (0.5 if self.setup.half else 1.0))

    def _patience(self):
        """Factor on the change that lets a level end."""
        return 1.0 if self._level.name == self.setup.levels[-1] else COARSE_PATIENCE

    def _means(self):
        """`Means` over the second half of the level's record."""
        return means_of(self._level.recent)

    def _changes(self, over=STEADY_OVER):
        """Relative change of lift and drag over the last steps."""
        record = self._level.recent[-over - 1:]
        if len(record) <= over:
            return {name: float("inf") for name in ("lift", "drag")}
        scale = self._scales(record[-1])
        return {
            name: (max(r[name] for r in record) - min(r[name] for r in record)) / scale[name]
            for name in ("lift", "drag")
        }

    @staticmethod
    def _scales(coefficients):
        """What changes of lift and drag are measured against: a small lift against the drag, a small drag
        against a fifth of the lift."""
        drag = max(abs(coefficients["drag"]), 0.2 * abs(coefficients["lift"]), 0.02)
        return {"drag": drag, "lift": max(abs(coefficients["lift"]), drag)}

    def _is_settled(self, patience=1.0):
        """By its residual, or by forces (or their means) that no longer move."""
        level, run = self._level, self.sheet.run
        if level.march.flow.first_order:
            return False
        if level.march.residual <= run.residual and max(self._changes(3).values()) <= patience * run.steady:
            return True
        if len(level.recent) <= STEADY_OVER or not self._steps_move(STEADY_OVER):
            return False
        if max(self._changes().values()) <= patience * run.steady and (
                len(level.recent) >= LEAST_RECORD or patience > 1 and level.march.residual < COARSE_RESIDUAL):
            return True
        return len(level.recent) >= LEAST_RECORD and self._mean_stands(patience)

    def _mean_stands(self, patience):
        means, _, drift, *_ = self._means()
        scale = self._scales(means)
        return all(drift[name] <= 2.0 * patience * self.sheet.run.steady * scale[name] for name in scale)

    def _beyond_reason(self, channels):
        """Whether a body is drawn forward, or pushed by many times the dynamic pressure on its box."""
        size = np.sort(self.setup.body.surface.size)
        area = self.setup.area / float(size[1] * size[2])
        return channels["drag"] * area < PULLED or max(abs(channels["drag"]), abs(
            channels["lift"])) * area > PUSHED

    def _moves(self):
        """Whether the forces still swing, so that their mean is the answer."""
        return self._level.march.residual > self.sheet.run.residual and max(
            self._changes().values()) > self.sheet.run.steady

    def _finish_level(self):
        level = self._level
        level.flow.time_rate = 0.0
        level.flow.residual(self._state())
        last = self._read(
            {"step": len(self.history), "residual": level.march.residual, "courant": level.march.courant})
        changes = self._changes(3 if level.march.residual <= self.sheet.run.residual else STEADY_OVER)
        if self._moves() and len(level.recent) > STEADY_OVER:
            means, _, drift, *_ = self._means()
            last.update(means)
            if level.name != self.setup.levels[-1]:
                # A wake that wanders on a coarse grid still has a mean that carries the trend.
                scale = self._scales(means)
                changes = {name: drift[name] / scale[name] for name in changes}
        self.finished.append(
            LevelResult(level.name, level.flow.n_cells, level.steps, level.march.residual, self._is_settled(),
                        round(level.seconds, 3), last, changes, [], [], mesh_quality(level.flow.mesh),
                        wall_units(level.flow)))

    def _steps_in_time(self):
        """(length of a step in time, how many are made)."""
        run = self.sheet.run
        step = run.time_step or 1.5 * self.setup.surface_size
        return step, max(int(np.ceil(self._longer() * run.duration / step)), 16)

    def ahead_in_time(self):
        """See `Climb`."""
        if not self.detached:
            return []
        left = self._steps_in_time()[1] - len(self._followed)
        return [(self.setup.cells(self.setup.levels[-1]), left, IN_TIME)]

    def _follow(self):
        """Follow the finest level in time with the large eddies set free, and record."""
        level, run, setup = self._level, self.sheet.run, self.setup
        mach = setup.stream.mach
        step, wanted = self._steps_in_time()
        kept = self._resumed_time
        if kept:
            self.time_march = TimeMarch(level.flow, kept["state"], step / mach, TIME_TOLERANCE, kept["time"],
                                        kept["before"])
        else:
            self.time_march = TimeMarch(level.flow, level.march.state.copy(), step / mach, TIME_TOLERANCE)
        self._time_step = step
        message = (
            f"Following the flow in time: {wanted - len(self._followed)} steps of {step:.3g} body lengths")
        began, earlier = time.monotonic(), level.seconds
        while len(self._followed) < wanted:
            try:
                report = self.time_march.advance()
            except FlowDiverged as error:
                raise RunFailed(str(error)) from None
            if len(self._followed) == run_share(run.discard, wanted):
                self.channels.restart_means()
            channels = self._read(
                {"step": len(self.history) + 1, "residual": report.remaining, "courant": 0.0})
            self._followed.append(channels)
            if len(self._followed) > run_share(run.discard, wanted):
                self.mean_field.add(moments_of(self.time_march.state, level.flow.flow_columns))
            level.steps += 1
            level.seconds = earlier + time.monotonic() - began
            yield self._record(report.remaining, 0.0, channels, message,
                               0.3 + 0.7 * len(self._followed) / wanted,
                               {"time": self.time_march.time * mach})
            message = ""

    def _share(self):
        level, levels = self._level, self.setup.levels
        weights = [LADDER**(3 * k) for k in range(len(levels))]
        here = levels.index(level.name)
        done = sum(weights[:here]) + weights[here] * min(0.97, level.steps /
                                                         (level.steps + 0.35 * EXPECTED_STEPS))
        return float(done / sum(weights)) * (0.3 if self.detached else 1.0)

    def _kept_arrays(self):
        kept = {} if self._shocks is None else {"shocks": self._shocks}
        return kept | ({"cubes_only": np.ones(1)} if self._without else {})

    def _kept_time(self):
        if self.time_march is None or self.time_march.before is None:
            return None
        return {
            "time": self.time_march.time, "entries": list(self._followed),
            "state": self.time_march.state.copy(), "before": self.time_march.before.copy(),
            **self.mean_field.kept()
        }

    @property
    def mean(self):
        """Over time after the start-up: means of [p, T, u, v, w] and the variance of p, shape (n_cells, 6);
        or None."""
        found = self.mean_field.mean
        if found is not None:
            found[:, -1] = np.maximum(found[:, -1] - found[:, 0]**2, 0.0)
        return found

    def conclude(self, stopped=False):
        """The result of what has been computed so far, as plain values."""
        level, setup, sheet = self._level, self.setup, self.sheet
        if not self.finished or self.finished[-1].level != level.name:
            self._finish_level()
        last = self.finished[-1]
        means = self._means() if level.recent else NONE
        coefficients = dict(last.coefficients)
        trends = self._trends()
        averages = None
        if self._followed and self.time_march is not None:
            used = self._followed[run_share(sheet.run.discard, len(self._followed)):]
            statistics = {
                n: statistics_of([r[n] for r in used], self._time_step)
                for n, v in used[-1].items() if isinstance(v, float)
            }
            coefficients.update({n: s.mean for n, s in statistics.items() if s})
            averages = {
                "of": "time steps", "steps": len(used),
                "deviations": {n: s.rms
                               for n, s in statistics.items()
                               if s}, "errors": {n: 2.0 * s.mean_error
                                                 for n, s in statistics.items() if s}
            }
        elif means.values and self._moves():
            averages = {"of": "steps", "steps": means.steps, "deviations": means.deviations,
                        "errors": means.drift}
        for name, value in (averages or {"errors": {}})["errors"].items():
            if name in trends and np.isfinite(value):
                trends[name] = with_drift(trends[name], value, averages, self.detached)
        level.flow.residual(self._state())
        verdict = judge_body(setup, last, trends, averages, stopped, self._resolution(), self._undefined(),
                             self._layer_notes(), self._shared)
        return {
            "format": 1, "space": "body", "title": sheet.title, "coefficients": coefficients,
            "trends": trends, "forces": body_forces(coefficients, setup.air, setup.area, setup.length,
                                                    sheet.instruments.force_unit), "control_volume": None,
            "layer": [], "unsteady": None, "averages": averages,
            "formulas": [f.name for f in sheet.instruments.formulas
                         ], "levels": [{k: v
                                        for k, v in vars(f).items() if k != "changes"}
                                       for f in self.finished], "verdict": verdict.as_dict(), "shocks": [],
            "separations": [], "probes": self._probes(), "meters": self._meters(),
            "surfaces": self.balance.by_surface(level.flow), "build_up": self._build_up(),
            "span_load": self._span_load(),
            "weight": self._weight(coefficients), "air": {**derived_air(setup), "yaw": sheet.air.yaw},
            "shape": setup.measures(), "y_plus": last.y_plus, "cells": last.cells, "steps": len(self.history),
            "seconds": round(self._clock(),
                             2), "cost_per_cell_step": last.seconds / max(last.cells * last.steps, 1)
        }

    def _trends(self):
        """{channel: Trend as dict}; see `error_bars`."""
        moves = self.time_march is None and self._moves() and len(self._level.recent) > STEADY_OVER
        state, spread = self._state(), self._lost()[1] if self.setup.splits_drag else 0.0
        drift = self._means().drift if moves else {}
        found, self._shared = error_bars(self.setup, self.finished, drift, spread,
                                         bool(((state[:, 2:5]**2).sum(axis=1) > state[:, 1]).any()))
        return {n: t.as_dict() for n, t in found.items()}

    def _layer_notes(self):
        """What is to be said of the wall layers."""
        if self._without:
            missed = ", which have missed nearly half of a wing's lift" if self.setup.body.is_wing else ""
            return [
                "With wall layers the flow could not be kept alive: these are the numbers of cubes cut by "
                f"the wall{missed}. Try smaller cells, a smaller Courant number at the start, or larger "
                "first cells (grid.y_plus)."
            ]
        return [note for note in self._level.flow.mesh.notes if "wall layers" in note]

    def _resolution(self):
        """Cells of the body's surface over its smaller sides."""
        return float(np.min(self.setup.body.surface.size[1:]) / self.setup.scale / self.setup.surface_size)

    def _probes(self):
        sampler, scale = SpatialSampler(self._level.flow, self._state()), self.setup.scale
        return {
            p.name: read_point(sampler,
                               np.array([p.x, p.y, p.z]) / scale)
            for p in self.sheet.instruments.probes
        }

    def _meters(self):
        """Readings of the flow meters, with mass and volume flow in SI."""
        sampler, setup = SpatialSampler(self._level.flow, self._state()), self.setup
        out, scale, air = {}, setup.scale, setup.air
        for meter in self.sheet.instruments.meters:
            reading = read_meter(sampler, meter.x / scale, (meter.y / scale, meter.z / scale),
                                 meter.width / scale, meter.height / scale)
            if reading:
                reading["kilograms_per_second"] = reading[
                    "mass_flow"] * air.density * air.speed * meter.width * meter.height
                reading["cubic_metres_per_second"] = reading[
                    "speed"] * air.speed * meter.width * meter.height * reading["covered"]
            out[meter.name] = reading
        return out

    def kept_field(self):
        """See `Climb`."""
        level, flow, state = self.field()
        return body_field(level, flow, state, self.setup.scale, self.setup.half, mean=self.mean)

    def _build_up(self):
        low, high = self.setup.body.surface.box[:, 0] / self.setup.scale
        found = self.balance.build_up(self._level.flow, low, high)
        return {**found, "x": [x * self.setup.scale for x in found["x"]]}

    def _span_load(self):
        low, high = self.setup.body.surface.box[:, 1] / self.setup.scale
        found = self.balance.span_load(self._level.flow, 0.0 if self.setup.half else low, high)
        return {**found, "y": [y * self.setup.scale for y in found["y"]]}

    def _weight(self, coefficients):
        mass = self.sheet.instruments.mass
        return -coefficients["lift"] * self.setup.air.dynamic_pressure * self.setup.area / (
            9.80665 * mass) if mass else None


def run_share(discard, count):
    """Entries that belong to the start-up."""
    return min(round(discard * count), max(count - 16, 0))


def wall_units(flow):
    """y+ of the first cells, as for sections: {"largest", "mean"}, or None without a closure."""
    if flow.closure is None or not flow.is_sticky.any():
        return None
    y = flow.wall_treatment.y_plus[flow.wall_local[flow.is_sticky]]
    return {"largest": float(y.max()), "mean": float(y.mean())}
