"""Run a nozzle's sheet: the climb over the levels, with mass flow and thrust as what must stand still."""
from dataclasses import replace

import numpy as np

from ....flow.discretisation import Discretisation
from ....flow.march.prolongation import prolong
from ....flow.shocks import IN_NOZZLES
from ....flow.march.steady import MarchControls, SteadyMarch
from ....grids.quality import measure_quality
from ....instruments.balance import channel_name
from ....instruments.probe import containing_cell
from ....instruments.sections import NozzleBalance, find_nozzle_shocks, mach_disc, read_rows, shock_cells
from ...climb import Climb
from .judge import judge_nozzle
from .ready import nozzle_channels, prepare_nozzle, start_state, theory_result
from ...progress import LevelResult, MarchedLevel

# What must stand still, with the share of change that is asked of it over that of the sheet: a jet's far half
# hovers longest.
WATCHED = {"mass_flow": 1.0, "thrust": 1.0, "axis_speed": 10.0, "plate_force": 3.0}
STEADY_OVER = 3
# Largest Courant number, and that of jets which do not mix: there larger steps cost more Krylov vectors than
# they save steps.
COURANT_MOST, COURANT_SHARP_JET = 1e6, 200.0
# Values that stand still for long settle a level although its residual has stalled below this, without and
# with a jet.
STALLED_BELOW, STALLED_JET = 3e-2, 0.1
# Eddy viscosity of a round jet over its speed and diameter, about (Pope: Turbulent flows, 2000, section 5.2).
JET_MIXING = 0.01
# A level that only prepares the next one is left after so many steps, or earlier at this change.
SERVED_AFTER, SERVED_AT = 120, 2e-3
# Share of the way to a plate beyond which a normal shock on the axis stands before the plate.
PLATE_SHARE = 0.5
# What mass flow and thrust of a duct that ends at its sonic exit may be off, as a share: 0.14 % was seen,
# against none with the air behind it.
SONIC_END = 2e-3


class NozzleExecution(Climb):
    """One run of a nozzle; see `Climb`."""

    stalled_over = 40
    headlines = (("mass_flow", "mass flow", "kg/s", 5), ("thrust", "thrust", "N", 3))
    reported = (("mass_flow", "mass flow", "kg/s", 6), ("thrust", "thrust", "N", 4),
                ("exit_mach", "exit Mach number", "", 4), ("exit_p", "exit pressure", "Pa", 1),
                ("discharge", "discharge", "", 5), ("shock", "shock at x", "m", 5),
                ("mach_disc", "Mach disc", "m", 5), ("shock_cell", "shock cells", "m", 5),
                ("plate_force", "push on the plate", "N", 4), ("plate_shear", "shear on the plate", "N", 5))

    def __init__(self, sheet, resume=None, extra_steps=0):
        setup = prepare_nozzle(sheet)
        super().__init__(sheet, setup, nozzle_channels(setup), resume, extra_steps)
        self.balance = NozzleBalance(setup)
        self.meshes = self._cells = None

    def __iter__(self):
        self._start_clock()
        self.meshes = self.setup.generate()
        previous = None
        for name in self.setup.levels:
            if self._resume and any(done["level"] == name for done in self._resume.finished):
                continue
            yield from self._climb_level(name, self.meshes[name], previous)
            previous = name, self._level.march.state
        self.result = self.conclude()

    def _open(self, name, mesh, previous, careful):
        setup, run, model = self.setup, self.sheet.run, self.sheet.flow.model
        turbulent = model == "turbulent"
        flow = Discretisation(mesh, setup.stream, "slip" if model == "inviscid" else "no-slip", vortex=False,
                              closure=self.sheet.flow.closure if turbulent else None,
                              boundaries=setup.boundaries, mixing=JET_MIXING if setup.has_jet else 0.0,
                              limit=setup.is_choked, precondition=setup.air.mach_ideal < 0.5, strength=1.0,
                              shock_bounds=IN_NOZZLES)
        most = run.courant_most or (COURANT_SHARP_JET if setup.has_jet and not turbulent else COURANT_MOST)
        controls = MarchControls(run.courant_start, most, 1.5 if turbulent else 2.0, run.first_order_steps,
                                 run.krylov_vectors, least_solved=0.7)
        resumed = self._resumed(name, flow, controls)
        if resumed:
            return resumed
        if previous is None or careful:
            state = start_state(setup, flow)
        else:
            state = prolong(self.meshes[previous[0]], mesh, previous[1])
            controls = replace(controls, first_order_steps=0, courant_start=2 * run.courant_start)
        if careful:
            controls = replace(controls, first_order_steps=max(60, 3 * run.first_order_steps),
                               courant_start=0.2 * run.courant_start, courant_growth=1.3, most_change=0.1)
        return MarchedLevel(name, flow, SteadyMarch(flow, state, controls))

    def _read(self, march):
        level = self._level
        out = self.balance.measure(level.flow, level.march.state)
        for probe in self.sheet.instruments.probes:
            reading = self._probe(probe)
            out[channel_name(f"p_{probe.name}")] = reading["pressure"] if reading else None
        return {**out, **self.channels.compute({**march, **out})}

    def _probe(self, probe):
        """Pressure, Mach number, temperature and velocity at a probe, SI; None outside the air."""
        level, scale, air = self._level, self.setup.scale, self.setup.air
        if probe.name not in level.cells:
            level.cells[probe.name] = containing_cell(level.flow.mesh, probe.x / scale, probe.y / scale)
        cell = level.cells[probe.name]
        if cell is None or cell < 0:
            return None
        offset = np.array([probe.x, probe.y]) / scale - level.flow.mesh.centre[cell]
        p, t, u, v = (level.march.state[cell, :4] + level.flow.grad[cell] @ offset).tolist()
        return {
            "pressure": (p * air.gamma + 1) * air.pressure, "mach": float(np.hypot(u, v) / np.sqrt(t)),
            "temperature": t * air.temperature, "u": u * air.speed_of_sound, "v": v * air.speed_of_sound
        }

    def _changes(self, over=STEADY_OVER):
        """Relative change of what is watched over the last steps."""
        recent = self._level.recent[-over - 1:]
        if len(recent) <= over:
            return {name: float("inf") for name in ("mass_flow", "thrust")}
        return {
            name: float(np.ptp([r[name] for r in recent]) / max(abs(recent[-1][name]), 1e-12)) / ease
            for name, ease in WATCHED.items() if name in recent[-1]
        }

    def _is_settled(self):
        march, run = self._level.march, self.sheet.run
        if march.flow.first_order or not self._criteria_met() or max(self._changes().values()) > run.steady:
            return False
        stalled = STALLED_JET if self.setup.has_jet else STALLED_BELOW
        return march.residual <= run.residual or (march.residual < stalled and self._steps_move(
            self.stalled_over) and max(self._changes(self.stalled_over).values()) <= run.steady)

    leaves_after = SERVED_AFTER

    def _has_served(self):
        """Whether a level that is only a start for the next one has given what it can."""
        level = self._level
        if level.name == self.setup.levels[-1] or level.flow.first_order:
            return False
        return level.steps >= self.leaves_after or level.steps > 40 and level.march.residual < 1e-2 and max(
            self._changes(10).values()) < SERVED_AT

    def _finish_level(self):
        level = self._level
        level.flow.residual(level.march.state)
        coefficients = self._read(
            {"step": len(self.history), "residual": level.march.residual, "courant": level.march.courant})
        shock = find_nozzle_shocks(level.flow, level.march.state, self.setup)
        if shock:
            coefficients["shock"] = shock["mean"]
        rows = read_rows(level.flow, level.march.state, self.setup)
        if self.setup.has_jet:
            coefficients.update(self._read_jet(rows["axis"]))
        y_plus = np.concatenate([r["y_plus"] for r in rows.values()
                                 if "y_plus" in r]) if level.flow.closure is not None else None
        self.finished.append(
            LevelResult(
                level.name, level.flow.n_cells, level.steps, level.march.residual, self._is_settled(),
                round(level.seconds, 3), coefficients, self._changes(), [shock] if shock else [], [],
                measure_quality(level.flow.mesh).as_dict(),
                None if y_plus is None else {"largest": float(y_plus.max()), "mean": float(y_plus.mean())}))

    def _read_jet(self, axis):
        """Quantities of the shocks along the jet's axis, by name; the cells themselves are kept for the
        result."""
        exit_at, out = self.setup.contour.length, {}
        self._cells, disc = shock_cells(axis, exit_at,
                                        self.setup.air.ambient_pressure), mach_disc(axis, exit_at)
        if self._cells:
            out["shock_cell"] = self._cells["spacing"]
        plate = self.setup.plan.plate and self.setup.plan.reach * self.setup.scale
        if disc and plate and disc["x"] > PLATE_SHARE * plate:
            # A shock that stands before a plate is the plate's, not the jet's own.
            out["plate_shock"], out["plate_shock_ahead"] = plate - disc["x"], disc["mach_ahead"]
        elif disc:
            out["mach_disc"], out["mach_disc_ahead"] = disc["x"], disc["mach_ahead"]
        return out

    def _share(self):
        level = self._level
        total = sum(mesh.n_cells for mesh in self.meshes.values())
        done = sum(f.cells for f in self.finished)
        drop = np.log10(max(level.march.residual, 1e-16)) / np.log10(self.sheet.run.residual)
        here = min(0.97, max(level.steps / (level.steps + 60), float(np.clip(drop, 0, 1))**2))
        return float((done + here * level.flow.n_cells) / total)

    def kept_readings(self, whole):
        """See `Climb`."""
        return self.rows()

    def rows(self):
        """The curves of this moment, see `read_rows`."""
        self._level.flow.residual(self._level.march.state)
        return read_rows(self._level.flow, self._level.march.state, self.setup)

    def conclude(self, stopped=False):
        """The result of what has been computed so far, as plain values."""
        level, setup, sheet = self._level, self.setup, self.sheet
        if not self.finished or self.finished[-1].level != level.name:
            self._finish_level()
        last = self.finished[-1]
        trends = {n: t.as_dict() for n, t in self._level_trends()[0].items()}
        for name in ("mass_flow", "thrust", "discharge") if setup.ends_sonic else ():
            trends[name]["error"] = float(
                np.hypot(trends[name]["error"] or 0.0, SONIC_END * abs(trends[name]["values"][-1])))
            trends[name]["words"] += (
                f" The error bar holds {100 * SONIC_END:.1f} % for the sonic exit at which the duct ends.")
        # Steps of a checkpoint from an earlier version do not have it.
        weakest = min(r["exit_p_total_least"] for r in (last.coefficients, *level.recent)
                      if "exit_p_total_least" in r)
        verdict = judge_nozzle(setup, last, stopped, self._undefined(), weakest, trends)
        return {
            "format": 1, "space": "nozzle", "title": sheet.title, "coefficients": last.coefficients,
            "trends": trends, "forces": {}, "control_volume": None, "layer": [], "unsteady": None,
            "formulas": [f.name for f in sheet.instruments.formulas],
            "levels": [{k: v
                        for k, v in vars(f).items() if k != "changes"}
                       for f in self.finished], "verdict": verdict.as_dict(), "shocks": last.shocks,
            "separations": [], "shock_cells": self._cells, "theory": theory_result(setup),
            "probes": {p.name: self._probe(p)
                       for p in sheet.instruments.probes}, "air": setup.derived(), "shape": setup.measures(),
            "y_plus": last.y_plus, "cells": last.cells, "steps": len(self.history),
            "seconds": round(self._clock(),
                             2), "cost_per_cell_step": last.seconds / max(last.cells * last.steps, 1)
        }
