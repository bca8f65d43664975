"""Run a sheet: an interruptible climb from the coarse grid to the level asked for."""
import time
from dataclasses import replace

import numpy as np

from ....flow.closures.catalogue import CATALOGUE
from ....flow.discretisation import Discretisation
from ....flow.march.prolongation import prolong
from ....flow.positions import LIMIT
from ....flow.march.steady import FlowDiverged, MarchControls, SteadyMarch
from ....flow.march.unsteady import TimeMarch
from ....grids.quality import measure_quality
from ....instruments.balance import Balance, channel_name, forces
from ....instruments.control_volume import momentum_balance
from ....instruments.probe import Locator, read_cell
from ....instruments.taps import find_separation, find_shocks, read_taps, speed_back_from_tail, wall_units
from ...air import derived_air
from ...climb import Climb
from .layers import layers_reached, momentum_gap
from .preflight import ahead_in_time
from .ready import prepare_section, section_channels, steering_of
from ...progress import LevelResult, MarchedLevel, RunFailed
from ...statistics import swings
from ...trend import statistical_trend
from ...cycles import CycleRecorder, ahead_words, cycle_trend, off_coarser, statistics_of_cycle
from ...unsteady import START_UP, Recorder, puff, time_step
from ...verdict import judge

WATCHED = ("lift", "drag", "moment")
STEADY_OVER = 3
# A coarser level with fewer cells would damp the shedding that the start-up is to bring forth.
LEAST_FOR_START_UP = 2500
# With turbulence: forces that stand still for long settle a level although its residual has stalled below
# this.
STALLED_BELOW = 1e-2
# A step that leaves more of its linear system unsolved lowers the Courant number: at a million a stalled
# solver never comes down by itself.
LEAST_SOLVED = 0.9
# Largest Courant numbers without and with turbulence.
SUPERSONIC_COURANT = (40.0, 400.0)
# How a level adapts before it is followed in time.
ADAPTING, ADAPTING_STEPS = MarchControls(2.0, courant_growth=1.25), 12
# Steps after which a turbulent level that wanders is left for the next.
SERVED_AFTER = 60
# Eddy viscosity of the wake behind a base over the stream's speed and the body's radius, about.
BASE_MIXING = 0.01


class Execution(Climb):
    """One run of sections in a plane; see `Climb`.

    Parameters
    ----------
    neighbour : tuple (Mesh, state) or None
        A finished field to start from on the finest level; one that does not fit is passed over.
    """
    def __init__(self, sheet, resume=None, extra_steps=0, neighbour=None):
        setup = prepare_section(sheet)
        super().__init__(sheet, setup, section_channels(setup), resume, extra_steps)
        self._neighbour = neighbour
        i = sheet.instruments
        self.balance = Balance((i.moment_x, i.moment_y), setup.elements, bool(setup.slots),
                               setup.weight_share, setup.stretches)
        self.meshes = None
        self._resumed_time = resume.time if resume else None
        self.steering = steering_of(setup)
        self._steered_first = self.steering.kept()
        if self._resumed_time:
            self.steering.restore(self._resumed_time.get("steered", ()))

    def report_rows(self):
        """See `Climb`; of what repeats also how far it swings and when, of what happens once the most."""
        rows = super().report_rows()
        in_time = self.result["unsteady"] or {}
        for name, found in in_time.get("extremes", {}).items():
            if name in WATCHED:
                rows += [(f"{words} {name}", found[key], "", 5,
                          {"error": found.get(f"{key}_error"),
                           "words": f"at {found[key + '_at']:.4g} chords"})
                         for key, words in (("high", "most"), ("low", "least"))]
        cycle = in_time.get("cycle")
        for name, label in (("lift", "lift swing"), ("drag", "drag swing"), ("moment", "moment swing"),
                            ("wheel_torque", "wheel torque"), ("wheel_power",
                                                               "wheel power")) if cycle else ():
            found = cycle["channels"].get(name)
            if found and name.startswith("wheel"):
                trend = self.result["trends"].get(name)
                rows.append((label, found["mean"], "", 5, trend or {"error": None, "words": ""}))
            elif found:
                rows.append((label, found["amplitude"], "", 5, {
                    "error": off_coarser(cycle, name, "amplitude"), "words":
                    f"first harmonic {found['harmonic']:.5f}, {ahead_words(cycle, name)}"
                }))
        return rows

    def __iter__(self):
        self._start_clock()
        self.meshes = self.setup.generate()
        previous, levels = None, self.setup.levels
        in_time = self.sheet.flow.time == "unsteady"
        start = self._from_neighbour() if not self._resume else None
        if start:
            previous, levels = start, levels[-1:]
        on_last = bool(self._resume and self._resume.level == levels[-1])
        for name in levels:
            if self._resume and any(done["level"] == name for done in self._resume.finished):
                continue
            if in_time and len(levels) > 1 and name == levels[-1]:
                continue
            yield from self._climb_level(name, self.meshes[name], previous)
            previous = name, self._level.march.state
        if in_time and self.setup.moving:
            yield from self._follow_motion(on_last)
        elif in_time:
            yield from self._follow_on_levels(on_last)
        self.result = self.conclude()

    def _from_neighbour(self):
        """("neighbour", state) on the finest mesh, or None where there is none that fits."""
        if (self._neighbour is None or self.sheet.run.start != "neighbour"
                or self.sheet.flow.time == "unsteady"):
            return None
        mesh, state = self._neighbour
        closure = CATALOGUE[self.sheet.flow.closure].unknowns if self.sheet.flow.model == "turbulent" else 0
        if state.shape[1] != 4 + closure or mesh.n_cells != self.meshes[self.setup.levels[-1]].n_cells:
            return None
        self.meshes["neighbour"] = mesh
        return "neighbour", state

    def _follow_on_levels(self, on_last):
        """Follow the flow in time: the start-up on the second finest level, what counts on the finest."""
        levels, run = self.setup.levels, self.sheet.run
        step = time_step(self.setup)
        self.recorder = Recorder(run, step, self._longer())
        # The change of grids rings for a while: that is part of the start-up too.
        kept, start_up = self._resumed_time, int(START_UP * self.recorder.discard * self.recorder.steps)
        if kept:
            self.recorder.entries = kept["entries"]
            self.recorder.mean_field.restore(kept)
        coarse_enough = len(levels) > 1 and self.meshes[levels[-2]].n_cells >= LEAST_FOR_START_UP
        if coarse_enough and not on_last:
            yield from self._follow(start_up, kept)
            self.recorder.note_coarse()
            kept = self._on_next_level(levels[-1])
        elif len(levels) > 1 and (on_last or not coarse_enough):
            previous = None if on_last else (self._level.name, self._level.march.state)
            self._level = self._open(levels[-1], self.meshes[levels[-1]], previous, careful=False)
        yield from self._follow(self.recorder.steps, kept)
        while self.recorder.follow_on():
            march = self.time_march
            yield from self._follow(self.recorder.steps,
                                    {"state": march.state, "before": march.before, "time": march.time})

    def _follow_motion(self, on_last):
        """Follow what moves on the two finest levels: what repeats until two cycles in a row are alike, what
        happens once from its beginning, each time."""
        levels, moving, run = self.setup.levels, self.setup.moving, self.sheet.run
        if moving.period:
            steps = moving.steps_of_cycle(run)
            record = CycleRecorder(run, steps, moving.period / steps, self._longer())
        else:
            record = Recorder(run, time_step(self.setup), self._longer(), once=True)
        self.recorder = record
        kept = self._resumed_time
        if kept:
            record.entries, record.coarser = kept["entries"], kept.get("coarser")
            record.mean_field.restore(kept)
        if len(levels) > 1 and not on_last:
            start = None if moving.period else self._level.march.state
            yield from self._follow(record.steps, kept)
            record.begin_level()
            kept = self._on_next_level(levels[-1], start)
        elif len(levels) > 1:
            self._level = self._open(levels[-1], self.meshes[levels[-1]], None, careful=False)
        yield from self._follow(record.steps, kept)

    def _on_next_level(self, name, start=None):
        """Open the next level where the time march has come to, or at time 0 with a steady state to start
        from; what it starts from.

        With a closure the grid's new cells at the walls are first let adapt, by a few steps in a time of
        their own that is too short for anything farther away: a first step in time would have to find the
        values there at once.
        """
        coarse, followed, mesh = self._level, self.time_march, self.meshes[name]
        state, time_ = (followed.state, followed.time) if start is None else (start, 0.0)
        self._level = self._open(name, mesh, (coarse.name, state), careful=False)
        kept = {"time": time_, "state": self._level.march.state, "before": None}
        if start is not None:
            self.steering.restore(self._steered_first)
        if self.sheet.flow.model != "turbulent":
            if start is None and followed.before is not None:
                kept["before"] = prolong(self.meshes[coarse.name], mesh, followed.before)
            return kept
        flow = self._level.flow
        if flow.moved is not None:
            flow.moved.put(time_)
        flow.time_rate = 0.0
        march = SteadyMarch(flow, kept["state"].copy(), ADAPTING)
        try:
            for _ in range(ADAPTING_STEPS):
                march.advance()
        except FlowDiverged:
            return kept
        return {**kept, "state": march.state}

    def _trusted(self, previous):
        return None if previous and previous[0] == "neighbour" else previous

    def _discretise(self, mesh, limit=None):
        """The flow on a mesh; `limit` as for `Discretisation`."""
        inviscid = self.sheet.flow.model == "inviscid"
        # Nothing fixes the circulation of an inviscid flow round a rounded tail: it gets no vortex;
        # beside a ground or between walls the lift has its mirror images.
        free = self.sheet.domain.kind != "far field" or inviscid and all(o.section.trailing_edge == "round"
                                                                         for o in self.setup.outlines)
        free = (free
                or self.sheet.flow.time == "unsteady" and self.setup.shape.section.trailing_edge == "round")
        moving = self.setup.moving
        # What is shed while the lift changes takes the vortex back.
        free = free or bool(moving)
        turbulent = self.sheet.flow.model == "turbulent"
        return Discretisation(mesh, self.setup.stream, "slip" if inviscid else "no-slip", limit,
                              vortex=not free, closure=self.sheet.flow.closure if turbulent else None,
                              laminar_until=self.sheet.flow.trip if turbulent else None,
                              boundaries=self.setup.boundaries,
                              mixing=BASE_MIXING * self.setup.radius if self.setup.is_round else 0.0,
                              motion=moving and moving.motion, pace=self.setup.pace, driven=self.setup.driven)

    def _open(self, name, mesh, previous, careful):
        flow, moving = self._discretise(mesh), self.setup.moving
        turbulent = self.sheet.flow.model == "turbulent"
        if moving and self.time_march is not None:
            # A further level begins where the one before has come to.
            flow.moved.put(self.time_march.time, at_rest=True)
        run = self.sheet.run
        controls = MarchControls(run.courant_start, krylov_vectors=run.krylov_vectors,
                                 first_order_steps=run.first_order_steps, least_solved=LEAST_SOLVED)
        if self.setup.is_round and self.setup.stream.mach > 1.2:
            # Detached and base shocks wander from cell to cell: small steps get there sooner.
            controls = replace(controls, courant_most=SUPERSONIC_COURANT[turbulent])
        resumed = self._resumed(name, flow, controls)
        if resumed:
            return resumed
        if previous is None or careful:
            state = self._start(flow)
        else:
            state = prolong(self.meshes[previous[0]], mesh, previous[1])
            controls = replace(controls, first_order_steps=0, courant_start=10 * run.courant_start)
        if turbulent:
            # The closure needs gentler steps; three times the usual start is as fast as it bears after
            # prolongation.
            controls = replace(controls, courant_growth=1.5,
                               courant_start=(1 if previous is None else 3) * run.courant_start)
        if careful:
            controls = replace(controls, first_order_steps=max(60, 2 * run.first_order_steps),
                               courant_start=0.2 * run.courant_start, courant_growth=1.3, most_change=0.1)
        return MarchedLevel(name, flow, SteadyMarch(flow, state, controls))

    def _start(self, flow):
        """The stream; in a casing air at rest. Round a supersonic body of revolution at rest near the walls
        with its total temperature: started at full speed, the flow leaves a vacuum behind the body."""
        state, stream = flow.uniform_state(), self.setup.stream
        state[:, 2:4] *= not self.setup.in_casing
        if not self.setup.is_round or stream.mach <= 1.2:
            return state
        share = 1 - np.exp(-flow.mesh.wall_distance()[0] / (0.5 * self.setup.radius))
        state[:, 2] *= share
        state[:, 1] += 0.5 * (stream.gamma - 1) * stream.mach**2 * (1 - share**2)
        return state

    def _most_steps(self):
        # The start of an unsteady run need not settle.
        return min(self.sheet.run.steps, 40) if self.sheet.flow.time == "unsteady" else super()._most_steps()

    def _read(self, march):
        """Every channel of this moment: the balance, the probes, the formulas."""
        level = self._level
        out = self.balance.measure(level.flow)
        for probe in self.sheet.instruments.probes:
            reading = self._probe(probe)
            out[channel_name(f"cp_{probe.name}")] = reading["cp"] if reading else None
        for meter in self.setup.readers:
            out |= meter.read(level.flow, self._state(), self._locator())
        moving = self.setup.moving
        if moving:
            out |= moving.reading(level.flow.moved.time, self.setup.stream.mach)
            out |= moving.work(level.flow, out)
        now = self.time_march.time if self.time_march else 0.0
        out |= self.steering.reading(now)
        return {**out, **self.channels.compute({**march, **out})}

    def _probe(self, probe):
        """Reading of a probe."""
        cell = self._locator().find(probe.x, probe.y)
        return read_cell(self._level.flow, self._state(), cell, probe.x, probe.y)

    def _locator(self):
        """What finds cells on the present level."""
        level = self._level
        if "locator" not in level.cells:
            level.cells["locator"] = Locator(level.flow.mesh)
        return level.cells["locator"]

    def _follow(self, until, kept):
        """Follow the flow on the present level until so many steps are recorded, from the steady field or
        from what was kept."""
        level, run, mach = self._level, self.sheet.run, self.setup.stream.mach
        step = self.recorder.step
        if kept:
            self.time_march = TimeMarch(level.flow, kept["state"], step / mach, time=kept["time"],
                                        before=kept["before"])
        else:
            state = level.march.state
            shed = run.disturbance and not self.setup.moving
            start = puff(level.flow.mesh, state, self.setup) if shed else state.copy()
            self.time_march = TimeMarch(level.flow, start, step / mach)
        march = self.time_march
        message = (
            f"Following the flow in time on the {level.name} grid: {until - len(self.recorder.entries)} "
            f"steps of {step:.3g} chords"
        )
        began, earlier = time.monotonic(), level.seconds
        while len(self.recorder.entries) < until and not self.recorder.is_enough():
            try:
                report = march.advance()
            except FlowDiverged as error:
                if not self._limit_from_here():
                    raise RunFailed(str(error)) from None
                march, message = self.time_march, "Cells ran away: limited from here on"
                continue
            number, at = len(self.history) + 1, march.time * mach
            if len(self.recorder.entries) == int(self.recorder.discard * self.recorder.steps):
                self.channels.restart_means()
            channels = self._read({"step": number, "residual": report.remaining, "courant": 0.0})
            self.steering.steer(channels, at, step)
            self.recorder.add(at, channels, march.state, level.flow.stream.column_scale)
            level.steps += 1
            level.seconds = earlier + time.monotonic() - began
            share = self.recorder.share(level.name == self.setup.levels[-1])
            yield self._record(report.remaining, 0.0, channels, message, 0.1 + 0.9 * share**1.5, {"time": at})
            message = ""

    def _limit_from_here(self):
        """Go on from the last step that could be solved with the limiter, which low speeds do without: in
        time the temperature of a cell at a trailing edge, a ten-millionth of a chord in size, may run away.
        Whether there was anything to change."""
        level, march = self._level, self.time_march
        if self.sheet.flow.model != "turbulent" or level.flow.constants[LIMIT]:
            return False
        level.flow = self._discretise(level.flow.mesh, limit=True)
        self.time_march = TimeMarch(level.flow, march.state, march.step, time=march.time, before=march.before)
        return True

    def _changes(self, over=STEADY_OVER):
        """Relative change of the watched coefficients over the last steps."""
        recent = self._level.recent[-over - 1:]
        if len(recent) <= over:
            return {name: float("inf") for name in WATCHED}
        scale = max(abs(recent[-1]["lift"]), 0.05)
        floor = {"lift": scale, "drag": max(abs(recent[-1]["drag"]), 0.002), "moment": scale}
        return {
            name: (max(r[name] for r in recent) - min(r[name] for r in recent)) / floor[name]
            for name in WATCHED
        }

    def _is_settled(self):
        march, run = self._level.march, self.sheet.run
        if march.flow.first_order or not self._criteria_met() or max(self._changes().values()) > run.steady:
            return False
        return march.residual <= run.residual or self._has_stalled()

    def _has_stalled(self):
        """Whether a small limit cycle keeps the residual up while the forces no longer move."""
        march = self._level.march
        wanders = self.sheet.flow.model == "turbulent" or self.setup.is_round and self.setup.stream.mach > 1.2
        return (wanders and march.residual < STALLED_BELOW and self._steps_move(self.stalled_over)
                and max(self._changes(self.stalled_over).values()) <= self.sheet.run.steady)

    ahead_in_time = ahead_in_time

    @property
    def leaves_after(self):
        """See `Climb`."""
        return SERVED_AFTER if self.sheet.flow.model == "turbulent" else np.inf

    def _has_served(self):
        """Whether a turbulent level that is only a start for the next one has given what it can.

        Coarse wall layers (y+ of several) often end in a small limit cycle; the forces are then as
        good as that grid makes them.
        """
        level = self._level
        if self.sheet.flow.model != "turbulent" or level.name == self.setup.levels[-1] or level.steps < 25:
            return False
        return level.steps >= self.leaves_after or (level.march.residual < 1e-2
                                                    and max(self._changes().values()) < 1e-3)

    def _finish_level(self):
        level = self._level
        level.flow.time_rate, state = 0.0, self._state()
        level.flow.residual(state)
        taps = read_taps(level.flow, state)
        self.finished.append(
            LevelResult(
                level.name, level.flow.n_cells, level.steps, level.march.residual, self._is_settled(),
                round(level.seconds, 3),
                self._read({
                    "step": len(self.history), "residual": level.march.residual,
                    "courant": level.march.courant
                }), self._changes(), find_shocks(taps),
                find_separation(taps) if self.sheet.flow.model != "inviscid" else [],
                measure_quality(level.flow.mesh).as_dict(), wall_units(level.flow, state)))

    def _share(self):
        """Work done over the whole, from cells times steps."""
        level = self._level
        expected = (14 if self.setup.stream.mach < 0.6 else 22) * (2 if self.sheet.flow.model == "turbulent"
                                                                   else 1)
        total = sum(self.meshes[name].n_cells for name in self.setup.levels
                    if "neighbour" not in self.meshes or name == level.name)
        done = sum(f.cells for f in self.finished)
        drop = np.log10(max(level.march.residual, 1e-16)) / np.log10(self.sheet.run.residual)
        here = min(0.97, max(level.steps / (level.steps + expected), float(np.clip(drop, 0, 1))**2))
        share = float((done + here * level.flow.n_cells) / total)
        return 0.1 * share if self.sheet.flow.time == "unsteady" else share

    def _kept_time(self):
        if self.time_march is None or self.time_march.before is None:
            return None
        return {
            "time": self.time_march.time, "entries": list(self.recorder.entries), "state":
            self.time_march.state.copy(), "before": self.time_march.before.copy(),
            **self.recorder.mean_field.kept(), **self.recorder.kept(), "steered": self.steering.kept()
        }

    def conclude(self, stopped=False):
        """The result of what has been computed so far, as plain values."""
        level = self._level
        if not self.finished or self.finished[-1].level != level.name:
            self._finish_level()
        last, setup = self.finished[-1], self.setup
        trends, unrest = self._level_trends()
        coefficients, unsteady = last.coefficients, None
        swinging = swings(
            [entry["lift"] for entry in self.history if entry["level"] == last.level and "time" not in entry])
        if self.time_march is not None:
            unsteady, coefficients, trends = self._in_time(last, trends)
        around = None if self.time_march is not None else momentum_balance(level.flow,
                                                                           share=setup.weight_share)
        verdict = judge(setup, last.level, last.residual, last.changes, last.settled, last.shocks,
                        last.separations, trends, stopped, last.y_plus, unsteady, swinging, self._undefined(),
                        momentum_gap(self.sheet, last.coefficients, around), self._tail_speed(level),
                        unrest.get("drag", 0.0))
        probes = {p.name: self._probe(p) for p in self.sheet.instruments.probes}
        levels = [{k: v for k, v in vars(f).items() if k != "changes"} for f in self.finished]
        return {
            "format": 1, "title": self.sheet.title, "coefficients": coefficients, "trends":
            {name: t.as_dict()
             for name, t in trends.items()
             }, "forces": forces(coefficients, setup.air, setup.chord,
                                 setup.reference_area), "control_volume": around, "layer":
            layers_reached(self),
            "unsteady": unsteady, "formulas": [f.name for f in self.sheet.instruments.formulas], "levels":
            levels, "verdict": verdict.as_dict(), "shocks": [] if setup.moving and unsteady else last.shocks,
            "separations": [] if setup.moving and unsteady else last.separations, "probes": probes, "air":
            derived_air(setup), "shape": setup.shape.section.measure(setup.chord).as_dict(), "y_plus":
            last.y_plus, "cells": last.cells, "steps": len(self.history), "seconds": round(self._clock(), 2),
            "cost_per_cell_step": last.seconds / max(last.cells * last.steps, 1)
        }

    def _in_time(self, last, trends):
        """What the record in time says: (the result's part of it, coefficients, trends)."""
        record, moving, mach = self.recorder, self.setup.moving, self.setup.stream.mach
        out = {
            "step": record.step, "steps": len(record.entries), "from": record.start, "to":
            self.time_march.time * mach
        }
        cycle = record.summary() if moving and moving.period else None
        if cycle:
            count, coarser = len(record.entries) // record.cycle, record.coarser or {}
            out["from"] = out["to"] - moving.period
            out["cycle"] = {
                "period": moving.period, "steps": record.cycle, "count": count, "changes": record.changes(),
                "alike": record.is_enough(), "over": moving.name, "channels": cycle, "coarser": coarser,
                **moving.tones(self.setup)
            }
            channels = statistics_of_cycle(cycle, moving.period, count)
            mean_trend = {name: cycle_trend(found, coarser.get(name)) for name, found in cycle.items()}
        else:
            channels = record.with_grid(record.statistics())
            mean_trend = {name: statistical_trend(found) for name, found in channels.items()}
            if moving:
                out["extremes"], mean_trend = record.extremes(), record.trends_of_once(channels)
        coefficients = {
            name: channels[name]["mean"] if name in channels else value
            for name, value in last.coefficients.items()
        }
        return {**out, "channels":
                channels}, coefficients, {n: mean_trend.get(n, t)
                                          for n, t in trends.items()}

    def _tail_speed(self, level):
        """Speed over the stream's at which air runs back along the wall at a sharp trailing edge."""
        shape = self.setup.shape
        has_edge = shape.is_single and shape.section.trailing_edge != "blunt" and not self.setup.is_round
        if not has_edge or self.sheet.shape.kind == "ellipse" or self.sheet.flow.time == "unsteady":
            return 0.0
        return speed_back_from_tail(level.flow, self._state())

    def kept_readings(self, whole):
        """See `Climb`."""
        _, flow, state = self.field()
        return read_taps(flow, state, whole)
