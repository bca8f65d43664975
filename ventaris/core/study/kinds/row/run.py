"""Run a blade row's sheet: the climb over the levels, with mass flow, pressure ratio and torque as what must
stand still."""
from dataclasses import replace

import numpy as np
from scipy.spatial import cKDTree

from ....flow.closures.catalogue import CATALOGUE
from ....flow.discretisation import Discretisation
from ....flow.even_turning import EvenTurning
from ....flow.frame import Repeated
from ....flow.march.steady import MarchControls, SteadyMarch
from ....flow.radial_equilibrium import HeldFlow, RadialEquilibrium
from ....flow.slipstream import Slipstream, slipstream
from ....instruments.row_balance import RowBalance
from ....look.row_planes import row_planes
from ....sheet import read_toml
from ...climb import Climb
from ...means import NONE, means_of, with_drift
from ...progress import LevelResult, MarchedLevel
from .judge import judge_row, row_channels
from .quality import row_quality
from .ready import RATIO, prepare_row

WATCHED_DUCT, WATCHED_OPEN = ("mass_flow", "pressure_ratio", "torque"), ("thrust", "torque")
STEADY_OVER = 5
# Values that stand still for long settle a level although its residual has stalled below this.
STALLED_BELOW = 5e-3
# A level that only prepares the next one is left after so many steps.
SERVED_AFTER = 120
# The limiter is held still below this residual, and held anew at a tenth and at a hundredth of it.
HOLD_LIMITER, HELD_AGAIN = 1e-2, 2
# Relative Mach number of the inflow from which the reconstruction is limited.
LIMITED_FROM = 0.75
# Below this Mach number of tip and throughflow a duct's equations are preconditioned.
SLOW = 0.2
# A run from nothing begins with an open outlet, whose static pressure at the hub lies so far below the total
# one at the inlet (times the square of the tip's Mach number, at most the second), and is throttled over so
# many steps once the scheme is of second order: throttled at once, a row that would run falls into its stall.
OPENED, MOST_OPENED, THROTTLED_OVER = 0.2, 0.18, 50
# From a neighbour, whose outlet stood nearby, sooner.
NEIGHBOUR_OVER = 25
# A flow that keeps swinging has means from so many steps after the start of a level: when the window is that
# long, what is watched went through its mean so often, swings by no more than a share, and its means over
# both halves of the window agree within another.
MEANS_AFTER, LEAST_WINDOW, LEAST_CROSSINGS, MOST_SWING, MEANS_WITHIN = 60, 60, 3, 0.02, 2e-3
# A mass flow that is held has come when it passes within this share.
ARRIVED = 5e-4
# Before a flow is held, what leaves shall be what comes in within this share.
COME_THROUGH = 0.02
# Torque below this share of a tip speed's dynamic head is nothing.
NOTHING = 1e-6


class RowExecution(Climb):
    """One run of a blade row; see `Climb`."""

    stalled_over = 30
    headlines = (("mass_flow", "mass flow", "kg/s", 4), ("pressure_ratio", "pressure ratio", "", 4),
                 ("efficiency", "efficiency", "", 4), ("thrust", "thrust", "N", 2), ("power", "power", "W",
                                                                                     1))
    reported = (("mass_flow", "mass flow", "kg/s", 5), ("pressure_ratio", "pressure ratio", "",
                                                        5), ("efficiency", "efficiency", "", 4),
                ("torque", "torque", "N m", 4), ("power", "power", "W", 2), ("thrust", "thrust", "N", 3),
                ("thrust_coefficient", "thrust coefficient", "",
                 5), ("power_coefficient", "power coefficient", "", 5), ("wheel_power", "power of the wind",
                                                                         "", 4))

    def __init__(self, sheet, resume=None, extra_steps=0, neighbour=None):
        setup = prepare_row(sheet)
        super().__init__(sheet, setup, row_channels(setup), resume, extra_steps)
        self.meshes, self._throttled_from = {}, 0
        # What was prepared once for the neighbour's last step: setup and grid.
        self._there = None
        # Begun from a neighbour's flow, small steps at first, a held flow's pressure runs ahead of the flow.
        afresh = resume or sheet.run.start != "neighbour" or setup.holds_flow
        self._neighbour = None if afresh else neighbour
        # What means were taken over where the finest level swings; see `Means`.
        self._averages = None
        # Outlet (pressure at the hub, resistance) from which the level is throttled; None is an open one.
        self._outlet_before = None

    def __iter__(self):
        self._start_clock()
        previous = None
        for name in self.setup.levels:
            self.meshes[name] = self.setup.generate(name)
            if self._resume and any(done["level"] == name for done in self._resume.finished):
                continue
            yield from self._climb_level(name, self.meshes[name], previous)
            previous = name, self._level.march.state
        self.result = self.conclude()

    @property
    def watched(self):
        return WATCHED_OPEN if self.setup.is_open else WATCHED_DUCT

    def _open(self, name, mesh, previous, careful):
        setup, run = self.setup, self.sheet.run
        air, closure = setup.air, self.sheet.flow.closure if setup.is_viscous else None
        # A duct's air comes through as fast as the tip turns, or faster.
        fast = air.mach if setup.is_open else max(air.mach, np.hypot(air.mach, 0.4) * (air.mach > SLOW))
        flow = Discretisation(mesh, setup.stream, "no-slip" if setup.is_viscous else "slip", closure=closure,
                              boundaries=setup.boundaries(mesh), limit=fast > LIMITED_FROM,
                              precondition=air.mach < (0.6 if setup.is_open else SLOW), omega=setup.turn,
                              turning_near=setup.turning_near)
        self.balance = RowBalance(setup, flow)
        kept = self._resume.arrays if self._resume else {}
        if setup.is_open:
            flow.even_turning = EvenTurning(flow) if setup.hovers else None
            flow.outflow = Slipstream(flow, setup.wind, np.pi * setup.row.tip_radius**2,
                                      self._thrust(kept))
        else:
            flow.outflow = self._outlet(flow, kept)
        self._throttled_from = int(kept.get("throttled_from", 0))
        if "outlet_before" in kept:
            self._outlet_before = tuple(kept["outlet_before"])
        controls = MarchControls(run.courant_start, run.courant_most, 1.5, run.first_order_steps,
                                 run.krylov_vectors, hold_limiter=HOLD_LIMITER, hold_again=HELD_AGAIN,
                                 retries=8, krylov_kept=run.krylov_vectors)
        resumed = self._resumed(name, flow, controls)
        if resumed:
            if "limiter" in kept:
                # Limited afresh, the flow would settle a little elsewhere.
                flow.limiter_share[:], flow.limiter_frozen = kept["limiter"], True
            return resumed
        from_neighbour = None if careful else self._from_neighbour(mesh)
        self._outlet_before = from_neighbour[1] if from_neighbour else None
        if from_neighbour:
            state = from_neighbour[0]
            controls = replace(controls, first_order_steps=0, courant_start=2 * run.courant_start)
        elif previous is None or careful:
            state = self._start(flow)
        else:
            state = self._carried(self.meshes[previous[0]], mesh, previous[1])
            controls = replace(controls, first_order_steps=0, courant_start=2 * run.courant_start)
        if setup.holds_flow and previous is not None and not careful:
            flow.outflow.begin_from(state)
        if careful:
            controls = replace(controls, first_order_steps=max(60, 3 * run.first_order_steps),
                               courant_start=0.2 * run.courant_start, courant_growth=1.25, most_change=0.1,
                               courant_most=min(60.0, run.courant_most))
        return MarchedLevel(name, flow, SteadyMarch(flow, state, controls))

    def _outlet(self, flow, kept):
        """What holds a duct's outlet."""
        setup, faces = self.setup, flow.mesh.boundaries["outlet"]
        ring = flow.mesh.level[flow.mesh.left[faces]]
        if not setup.holds_flow:
            return RadialEquilibrium(flow, faces, ring, setup.hub_pressure, setup.resistance)
        pressure, *rest = kept.get("held_flow", (self._opened, ))
        held = HeldFlow(flow, faces, ring, float(pressure), setup.asked_flow, 0.5 * setup.air.mach**2)
        if rest:
            held.restore(*rest)
        return held

    @property
    def _opened(self):
        """Gauge pressure of an open outlet."""
        return -min(OPENED * self.setup.air.mach**2, MOST_OPENED) / self.setup.air.gamma

    def _from_neighbour(self, mesh):
        """(state on a mesh, outlet) of another operating point, or None where there is none that fits. Every
        level starts from it: one that has fallen into its stall does not take the finer ones along."""
        kept = self._neighbour
        if kept is None:
            return None
        if self._there is None:
            setup = prepare_row(read_toml(kept.sheet))
            self._there = setup, setup.generate(kept.level)
        there, grid = self._there
        columns = 5 + (CATALOGUE[self.sheet.flow.closure].unknowns if self.setup.is_viscous else 0)
        if kept.state.shape != (grid.n_own, columns):
            self._neighbour = None
            return None
        outlet = None if there.is_open else (there.hub_pressure, there.resistance)
        return self._carried(grid, mesh, kept.state), outlet

    def _start(self, flow):
        """A state to begin with: in the open the slipstream that theory expects; in a duct without loss to
        the pressure at the outlet, turned along with the blades."""
        state = flow.uniform_state()
        state[:, :5] = 0.0, 1.0, 0.0, 0.0, 0.0
        if self.setup.is_open:
            state[:, 2:5] = slipstream(flow.mesh.centre[:len(state)], flow.outflow.thrust, self.setup.wind,
                                       self.setup.row.tip_radius)
        else:
            self._start_duct(flow.mesh, state)
        return state

    def _thrust(self, kept):
        """Of the whole wheel in the solver's scales: as it was left, of the level before, or theory's."""
        if "thrust" in kept:
            return float(kept["thrust"])
        before = self.finished[-1].coefficients if self.finished else self.setup.theory()
        return before["thrust"] / self.balance.force_unit if before else 0.0

    def _start_duct(self, mesh, state):
        setup, g = self.setup, self.setup.air.gamma
        x, y, z = mesh.centre[:len(state)].T
        r = np.hypot(y, z)
        middle = setup.middle
        axial = self._first_axial()
        t = 1 - 0.5 * (g - 1) * axial**2
        p = t**(g / (g - 1))
        back = g * setup.hub_pressure + 1
        back = min(max(back, 0.6), 1.6)
        through = np.clip((x - x.min()) / np.ptp(x), 0, 1)
        state[:, 0] = (p + through * (back - p) - 1) / g
        state[:, 1] = t * (1 + through * ((back / p)**((g - 1) / g) - 1))
        state[:, 2] = axial
        # Behind the blades most of the turning that their tails ask for.
        blade = -setup.turn * r
        leaving = blade - axial * np.tan(np.clip(middle.outlet_angle, -1.3, 1.3))
        enter = np.tan(np.radians(self.setup.inlet_mean.swirl)) * axial
        share = np.clip((x + 0.3) / 0.6, 0, 1)
        swirl = -((1 - share) * enter + 0.8 * share * np.clip(leaving, -0.8, 0.8))
        state[:, 3], state[:, 4] = -swirl * z / r, swirl * y / r

    def _first_axial(self):
        """Axial speed with which the relative flow meets the blades' noses half-way along the span."""
        setup, middle = self.setup, self.setup.middle
        blade = -setup.turn * setup.mean_radius / setup.scale
        angle = np.tan(np.clip(middle.inlet_angle, 0.17, 1.4))
        swirl = np.tan(np.radians(self.setup.inlet_mean.swirl))
        return float(np.clip(blade / max(angle + swirl, 0.2) if blade > 0.05 else 0.4, 0.1, 0.65))

    def _carried(self, coarse, fine, state):
        """A level's state on the next one: read between its nearest cells."""
        values = Repeated(coarse.images, coarse.n_own).with_images(state)
        away, near = cKDTree(coarse.centre).query(fine.centre[:fine.n_own], k=6, workers=2)
        weight = 1.0 / np.maximum(away, 1e-9)**2
        return (weight[..., None] * values[near]).sum(axis=1) / weight.sum(axis=1)[:, None]

    def _throttle(self):
        """Close the outlet a little further while a level from nothing or from a neighbour comes up."""
        level, setup = self._level, self.setup
        outflow = level.flow.outflow
        if setup.is_open or setup.holds_flow or not self._is_throttled:
            return
        if level.flow.first_order:
            self._throttled_from = level.steps
        level.march.may_hold = not self._is_opening
        done = min(self._throttled_for / self._throttled_over, 1.0)
        pressure, resistance = self._outlet_before or (min(self._opened, setup.hub_pressure), 0.0)
        outflow.pressure = pressure + done * (setup.hub_pressure - pressure)
        outflow.resistance = resistance + done * (setup.resistance - resistance)

    @property
    def _throttled_over(self):
        """Steps over which the outlet of the level comes to where the sheet wants it."""
        return NEIGHBOUR_OVER if self._outlet_before else THROTTLED_OVER

    @property
    def _throttled_for(self):
        """Steps of the present level since its outlet began to close."""
        return self._level.steps - self._throttled_from

    def _kept_arrays(self):
        flow = self._level.flow
        held = {"limiter": flow.limiter_share} if flow.limiter_frozen else {}
        before = {"outlet_before": np.array(self._outlet_before)} if self._outlet_before else {}
        if self.setup.is_open:
            before["thrust"] = np.array(flow.outflow.thrust)
        if self.setup.holds_flow:
            before["held_flow"] = np.array([flow.outflow.pressure, *flow.outflow.kept()])
        return {"throttled_from": np.array(self._throttled_from), **held, **before}

    def _read(self, march):
        level = self._level
        self._throttle()
        out = {k: v for k, v in self.balance.measure(level.march.state).items() if v is not None}
        if self.setup.is_open:
            level.flow.outflow.carry(out["thrust"] / self.balance.force_unit)
        elif self.setup.holds_flow:
            self._hold(out)
        return {**out, **self.channels.compute({**march, **out})}

    def _hold(self, out):
        """Let the outlet find the pressure for the flow that is asked for, as soon as as much leaves as comes
        in."""
        flow, through = self._level.flow, self._passes(out)
        even = abs(out["mass_flow_out"] / max(out["mass_flow_in"], 1e-12) - 1) < COME_THROUGH
        if not flow.outflow.holds and not flow.first_order and (even or self._level.steps > THROTTLED_OVER):
            flow.outflow.begin(through)
        flow.outflow.carry(through)

    def _passes(self, out):
        """Mass flow of one passage in the solver's scales."""
        return out["mass_flow"] / (self.setup.mass_unit * self.setup.row.blades)

    def _changes(self, over=STEADY_OVER):
        """Relative change of what is watched over the last steps."""
        recent = self._level.recent[-over - 1:]
        if len(recent) <= over:
            return {name: float("inf") for name in self.watched}
        return {
            name: float(np.ptp([r[name] for r in recent]) / max(abs(recent[-1][name]), self._nothing(name)))
            for name in self.watched
        }

    def _nothing(self, name):
        """What counts as none of a quantity."""
        s = self.setup
        force = s.air.density * s.air.speed**2 * s.tip_radius**2
        return {"torque": NOTHING * force * s.tip_radius, "thrust": NOTHING * force}.get(
            name, 1e-9) + (0.01 * force * s.tip_radius if name == "torque" and not s.omega else 0.0)

    def _is_settled(self):
        march, run = self._level.march, self.sheet.run
        if self._is_opening or march.flow.first_order or not self._criteria_met():
            return False
        if self._swings():
            return True
        if max(self._changes().values()) > run.steady:
            return False
        if self.setup.holds_flow and not self._level.flow.outflow.arrived(
                self._passes(self._level.recent[-1]), ARRIVED):
            return False
        return march.residual <= run.residual or (march.residual < STALLED_BELOW and self._steps_move(
            self.stalled_over) and max(self._changes(self.stalled_over).values()) <= run.steady)

    def _means(self):
        """`Means` over the later steps of the level, its outlet being where the sheet wants it."""
        level = self._level
        begun = max(MEANS_AFTER, self._throttled_from + self._throttled_over if self._is_throttled else 0)
        if level.steps - begun < 2 * LEAST_WINDOW:
            return NONE
        return means_of(self.history[begun - level.steps:])

    def _swings(self):
        """Whether the flow swings about means that stand still."""
        level = self._level
        if level.steps < MEANS_AFTER + 2 * LEAST_WINDOW or level.march.residual > STALLED_BELOW:
            return False
        means = self._means()
        if not means.steps or not self._steps_move(means.steps):
            return False

        def stands(name):
            scale = max(abs(means.values[name]), self._nothing(name))
            deviation = means.deviations[name] / scale
            swings = means.crossings[name] >= LEAST_CROSSINGS or deviation <= self.sheet.run.steady
            return swings and deviation <= MOST_SWING and means.drift[name] <= MEANS_WITHIN * scale

        return max(self._changes().values()) > self.sheet.run.steady and all(map(stands, self.watched))

    @property
    def _is_opening(self):
        """Whether the outlet is not yet where the sheet wants it."""
        if self.setup.holds_flow:
            return not self._level.flow.outflow.holds
        return (not self.setup.is_open and self._is_throttled and self._throttled_for < self._throttled_over)

    @property
    def _is_throttled(self):
        """Whether the outlet comes to where the sheet wants it over the steps of the present level."""
        return self._outlet_before is not None or self._level.name == self.setup.levels[0]

    @property
    def leaves_after(self):
        """See `Climb`."""
        return SERVED_AFTER + self.sheet.run.first_order_steps + THROTTLED_OVER

    def _has_served(self):
        level = self._level
        if self._is_opening or level.name == self.setup.levels[-1] or level.flow.first_order:
            return False
        return level.steps >= self.leaves_after

    def _finish_level(self):
        level = self._level
        level.flow.residual(level.march.state)
        coefficients = self._read(
            {"step": len(self.history), "residual": level.march.residual, "courant": level.march.courant})
        changes, swings = self._changes(), self._swings()
        if swings:
            means = self._means()
            coefficients |= {k: v for k, v in means.values.items() if k in coefficients}
            changes = {name: means.drift[name] / max(abs(means.values[name]), self._nothing(name))
                       for name in changes}
            self._averages = {"of": "steps", "steps": means.steps, "deviations": means.deviations,
                              "errors": means.drift}
        else:
            self._averages = None
        treatment, y_plus = level.flow.wall_treatment, None
        if level.flow.closure is not None:
            units = treatment.y_plus[treatment.faces]
            y_plus = {"largest": float(np.percentile(units, 99)), "mean": float(np.median(units))}
        self.finished.append(
            LevelResult(level.name, level.flow.n_own, level.steps, level.march.residual, self._is_settled(),
                        round(level.seconds, 3), coefficients, changes, [], [],
                        row_quality(level.flow.mesh).as_dict(), y_plus))

    def _share(self):
        level = self._level
        total = sum(self.setup.cells(name) for name in self.setup.levels)
        done = sum(f.cells for f in self.finished)
        drop = np.log10(max(level.march.residual, 1e-16)) / np.log10(self.sheet.run.residual)
        here = min(0.97, max(level.steps / (level.steps + 60), float(np.clip(drop, 0, 1))**2))
        return float(min((done + here * level.flow.n_own) / total, 0.99))

    def kept_field(self):
        """The planes that are looked at; see `row_planes`."""
        level = self._level
        return level.name, *row_planes(self.setup, level.flow.mesh, level.march.state)

    def kept_readings(self, whole):
        """See `Climb`."""
        return self.rows()

    def rows(self):
        """The curves of this moment, see `RowBalance.read_rows`."""
        self._level.flow.residual(self._level.march.state)
        return self.balance.read_rows(self._level.march.state)

    def conclude(self, stopped=False):
        """The result of what has been computed so far, as plain values."""
        level, setup, sheet = self._level, self.setup, self.sheet
        if not self.finished or self.finished[-1].level != level.name:
            self._finish_level()
        last = self.finished[-1]
        trends = {n: t.as_dict() for n, t in self._level_trends(spatial=True, ratio=RATIO)[0].items()}
        if self._averages:
            trends = {name: with_drift(trend, self._averages["errors"][name], self._averages)
                      if name in self._averages["errors"] else trend for name, trend in trends.items()}
        verdict = judge_row(setup, last, stopped, self._undefined(), trends, self._averages)
        return {
            "format": 1, "space": "row", "title": sheet.title, "coefficients": last.coefficients, "trends":
            trends, "forces": {}, "control_volume": None, "layer": [], "unsteady": None, "averages":
            self._averages, "formulas": [f.name for f in sheet.instruments.formulas],
            "levels": [{k: v for k, v in vars(f).items() if k != "changes"} for f in self.finished],
            "verdict": verdict.as_dict(), "shocks": [], "separations": [], "probes": {},
            "air": setup.derived(), "shape": setup.measures(), "theory": setup.theory(),
            "y_plus": last.y_plus, "cells": last.cells, "steps": len(self.history), "seconds":
            round(self._clock(), 2), "cost_per_cell_step": last.seconds / max(last.cells * last.steps, 1)
        }
