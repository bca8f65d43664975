"""Run a nozzle's jet in time for its noise: microphones, spectra, tones, the far field; see `sound.jet`."""
from dataclasses import replace

import numpy as np

from ....grids.blocks import block_cells, line_edges, used_only
from ....grids.mesh import mesh_from_cells, revolve
from ....grids.quality import measure_quality
from ....instruments.balance import channel_name
from ....instruments.sections import Sections
from ....sheet import write_toml
from ....sound.far_field import carried_frequencies, extrapolate, valid_angles
from ....sound.jet import SAMPLE_EVERY
from ....sound.spectra import level
from ...climb import Climb
from ...findings import formula_findings, gravest_first
from ..nozzle.judge import supply_findings
from .ready import (
    SCREECH_SOURCE, SEGMENT, cell_length, make_flow, noise_channels, preflight_noise,
    screech_formula
)
from .readings import CELLS_UP_TO, layer_thickness, microphone_result, spacing_of_cells, start_up_of
from ..nozzle.run import NozzleExecution
from ..nozzle.ready import prepare_nozzle, theory_result
from ...progress import Checkpoint, LevelResult, Progress, RunFailed
from ...unsteady import MeanField, frames_apart
from ...verdict import Verdict, formula_warnings

# Steps between two entries of the history.
BATCH = 40
# How steady a tone's amplitude must be between the record's halves.
STEADY = 0.05

# The cylinder on which the waves that leave are recorded, in exit diameters, the stretch in which a jet's
# tones arise, and the far field's distance and angles.
CYLINDER, CYLINDER_FROM, CYLINDER_TO, SOURCES = 2.5, -2.9, 11.5, (1.0, 5.0)
FAR, FAR_ANGLES = 100.0, tuple(range(20, 161, 5))
# Time over which moments are kept to be played back, and steps between two moments of the mean.
FRAME_SPAN, MEAN_EVERY = 12.0, 40
# Where the waves that run down the jet are followed: a line outside its shear layer, in exit diameters.
SHEAR_LINE, SHEAR_FROM, SHEAR_TO = 0.75, 0.5, 5.0


def inside_sheet(sheet):
    """The sheet of the steady run through the nozzle alone whose exit a jet may take."""
    instruments = type(sheet.instruments)()
    domain = sheet.domain.model_copy(update={"kind": "duct"})
    grid = sheet.grid.model_copy(update={"level": "medium"})
    flow = sheet.flow.model_copy(update={"model": "turbulent"})
    air = sheet.air.model_copy(update={"outlet": "pressure", "back_pressure": None})
    return sheet.model_copy(
        update={"instruments": instruments, "domain": domain, "grid": grid, "flow": flow, "air": air})


def exit_of(inside, radii):
    """What a finished run of the inside finds across its exit: [density, u, v, pressure] at `radii` (exit
    diameters) in the jet's scales, shape (4, n)."""
    _, flow, state = inside.field()
    mesh, air = flow.mesh, inside.setup.air
    found = Sections(mesh)
    cells = mesh.left[found.faces[found.at_exit, :found.at_wall]]
    order = np.argsort(mesh.centre[cells, 1])
    r, (p, t, u, v) = mesh.centre[cells[order], 1], state[cells[order], :4].T
    p = (p * air.gamma + 1) * air.pressure / air.ambient_pressure / 1.4
    # The air at the wall stands still.
    r, u = np.append(r, 0.5), np.append(u, 0.0)
    p, t, v = (np.append(row, row[-1]) for row in (p, t, v))
    p, t, u, v = (np.interp(radii, r, row) for row in (p, t, u, v))
    return np.stack([1.4 * p / t, u, v, p])


class _Picture:
    """What a page or a file needs of the flow: its mesh."""
    def __init__(self, mesh):
        self.mesh, self.n_cells = mesh, mesh.n_cells


def preflight_jet(setup):
    """Findings for a prepared jet in time, the gravest first."""
    formulas = formula_findings(setup.sheet.instruments.formulas, noise_channels(setup))
    return gravest_first([*supply_findings(setup), *preflight_noise(setup), *formulas])


class NoiseExecution(Climb):
    """One run of a jet in time; see `Climb`. There is one level, and the march is in time."""

    reported = (("tone", "tone", "Hz", 1), ("tone_level", "its level", "dB", 1),
                ("sound_level", "level", "dB", 1), ("mass_flow", "mass flow", "kg/s", 6), ("thrust", "thrust",
                                                                                           "N", 4))

    @property
    def headlines(self):
        return tuple((channel_name(f"p_{name}"), f"p at {name}", "Pa", 1) for name in self.places)

    def __init__(self, sheet, resume=None, extra_steps=0):
        setup = prepare_nozzle(sheet)
        super().__init__(sheet, setup, noise_channels(setup), resume, extra_steps)
        stops = [f.message for f in preflight_noise(setup) if f.grade == "stop"]
        if stops:
            raise RunFailed(stops[0])
        self.jet = make_flow(setup)
        s = setup.scale
        self.places = {m.name: self.jet.place(m.x / s, m.r / s) for m in sheet.instruments.microphones}
        self.record = []
        self.unit = setup.air.density * setup.air.speed_of_sound**2
        self.time_unit = s / setup.air.speed_of_sound
        self._mesh = None
        self.recorder = JetRecorder(self.jet, sheet.flow, setup.stream.column_scale)
        if resume:
            self.history = list(resume.history)
            self.record = [list(row) for row in resume.time["entries"]]
            self.jet.u = resume.state.reshape(self.jet.u.shape).astype(np.float32)
            self.jet.mean = resume.time["before"].reshape(self.jet.u.shape).astype(np.float32)
            self.jet.time, self.jet.steps = resume.time["time"], resume.march["steps"]
            if self.jet.steps:
                self.jet.let_in(*resume.time["exit"])
            self.recorder.restore(resume.time)

    def __iter__(self):
        self._start_clock()
        jet, wanted, discard = self.jet, self._wanted(), self.sheet.flow.discard
        if self.sheet.flow.exit_profile == "computed" and not jet.steps:
            yield from self._compute_exit()
        message = (f"{jet.cells} cells, {int((wanted - jet.time) / jet.step)} steps of "
                   f"{jet.step * self.time_unit * 1e6:.3g} µs")
        while jet.time < wanted:
            if self.recorder.mean_field.count == 0:
                self.channels.restart_means()
            for _ in range(BATCH // SAMPLE_EVERY):
                if not jet.advance(SAMPLE_EVERY):
                    raise RunFailed(self._blown_up())
                self.record.append([
                    jet.time * self.time_unit,
                    *(jet.pressure(*place) * self.unit for place in self.places.values())
                ])
                self.recorder.add(wanted, discard, self._cells)
            channels = {
                channel_name(f"p_{name}"): self.record[-1][k + 1]
                for k, name in enumerate(self.places)
            }
            channels |= self.channels.compute(channels)
            yield self._progress(channels, message)
            message = ""
        self.result = self.conclude()

    def _compute_exit(self):
        """Run the nozzle's inside first and let in what leaves it."""
        inside = NozzleExecution(inside_sheet(self.sheet))
        quiet = {channel_name(f"p_{name}"): 0.0 for name in self.places}
        message = "First the nozzle's inside, steady and turbulent, for what leaves its exit"
        for progress in inside:
            yield replace(self._progress(quiet, message), share=0.0)
            message = progress.message and f"Inside: {progress.message}"
        self.jet.let_in(*exit_of(inside, self.jet.exit_rows))
        leaves = self._exit()
        settled = "" if inside.result["verdict"]["settled"] else "; that run has not settled"
        found = (f"Exit of the inside: Mach {leaves['mach']:.4f} on the axis, boundary layer "
                 f"{leaves['layer']:.3g} diameters{settled}")
        yield replace(self._progress(quiet, found), share=0.0)

    def _progress(self, channels, message):
        jet = self.jet
        entry = {
            "step": len(self.history) + 1, "level": "fine", "residual": 0.0, "courant": 0.6,
            **channels, "time": jet.time * self.time_unit
        }
        self.history.append(entry)
        return Progress(entry["step"], "fine", jet.steps, 0.0, 0.6, channels,
                        min(jet.time / self._wanted(), 1.0), message)

    def _wanted(self):
        """Time to follow, in exit diameters over the speed of sound: every time that a run is run further
        adds a segment of the spectra."""
        return self.sheet.flow.duration + SEGMENT * self.extra_steps / 100

    def _blown_up(self):
        bad = np.argwhere(~np.isfinite(self.jet.u[0]))
        where = ""
        if len(bad):
            x, r = self.jet.x[bad[0][1]] * self.setup.scale, self.jet.r[bad[0][0]] * self.setup.scale
            where = f" near x = {x:.3g} m behind the exit, r = {r:.3g} m"
        return (
            f"The jet could not be followed beyond {self.jet.time:.0f} diameters over the speed of "
            f"sound{where}. Take a lower Reynolds number (flow.noise_reynolds) or more cells per diameter.")

    def checkpoint(self):
        return Checkpoint(write_toml(self.sheet), "fine",
                          self.jet.u.reshape(4, -1).copy(), {"steps": self.jet.steps}, list(self.history), [],
                          self._clock(), {
                              "time": self.jet.time,
                              "entries": [list(row) for row in self.record], "before": self.jet.mean.reshape(
                                  4, -1).copy(), "exit": self.jet.jet.copy(), **self.recorder.kept()
                          })

    def _cells(self):
        """[pressure above ambient, temperature, u, v] of the cells of the picture's mesh, shape (n, 4)."""
        if self._mesh is None:
            self._mesh, self._present = jet_mesh(self.jet, self.setup.contour.length / self.setup.scale)
        return np.ascontiguousarray(self.jet.state()[:, self._present].T)

    def field(self):
        """(level, what has the mesh, state) of this moment."""
        state = self._cells()
        return "fine", _Picture(self._mesh), state

    def kept_readings(self, whole):
        """See `Climb`."""
        return self.rows()

    def rows(self):
        """The signals: {microphone: {"s": seconds, "pressure": Pa above ambient}}."""
        data = np.array(self.record, dtype=float).reshape(-1, 1 + len(self.places))
        return {name: {"s": data[:, 0], "pressure": data[:, k + 1]} for k, name in enumerate(self.places)}

    def _microphones(self, start_up):
        return {
            name: microphone_result(row["s"], row["pressure"], start_up, SEGMENT * self.time_unit)
            for name, row in self.rows().items()
        }

    def _far_field(self):
        """Levels in the far field, estimated from the waves that passed the cylinder; None where the record
        is too short."""
        kept = self.recorder.surround
        rate = 1 / (SAMPLE_EVERY * self.jet.step)
        segment = int(SEGMENT * rate)
        if len(kept) < segment:
            return None
        x, radius = self.recorder.stations, self.recorder.radius
        found = extrapolate(x, radius, np.array(kept), rate, FAR_ANGLES, segment)
        # From one exit diameter's distance to the stated one, and into pascals.
        scale = (self.unit / FAR)**2
        total = scale * found.mean_square()
        strongest = found.frequency[np.argmax(found.density.max(axis=0))]
        step = found.frequency[1] - found.frequency[0]
        tone = scale * found.mean_square(strongest - 2.5 * step, strongest + 2.5 * step)
        low, high = carried_frequencies(x)
        return {
            "distance": FAR * self.setup.scale, "angles": list(FAR_ANGLES),
            "levels": [level(v) for v in total], "loudest": float(strongest / self.time_unit),
            "loudest_levels": [level(v) for v in tone], "valid_angles": list(valid_angles(x, radius,
                                                                                          SOURCES)),
            "valid_frequencies": [low / self.time_unit,
                                  high / self.time_unit], "radius": radius * self.setup.scale
        }

    def _measured_formula(self, tone):
        """Cell length and speed of the waves as this jet has them, in diameters and in shares of the expanded
        jet's speed, and the tone they make by the formula, Hz; None where they cannot be told."""
        recorder, mean = self.recorder, self.recorder.mean
        if tone is None or mean is None or screech_formula(self.setup) is None:
            return None
        x = self.jet.x[self.jet.at_exit:]
        pressure = mean[:len(x), 0]
        cell = spacing_of_cells(x[x < CELLS_UP_TO], pressure[x < CELLS_UP_TO], cell_length(self.setup))
        speed = recorder.wave_speed(tone["frequency"] * self.time_unit)
        if cell is None or speed is None:
            return None
        return {
            "cell": cell, "speed": speed / self.jet.speed,
            "frequency": speed / (cell * (1 + speed)) / self.time_unit
        }

    def _exit(self):
        """What leaves the exit, for the result."""
        rho, u, _, p = self.jet.jet.astype(float)
        return {
            "from": self.sheet.flow.exit_profile, "mach": float(u[0] / np.sqrt(1.4 * p[0] / rho[0])),
            "pressure": float(1.4 * p[0] * self.setup.air.ambient_pressure),
            "layer": layer_thickness(self.jet.exit_rows, u)
        }

    def conclude(self, stopped=False):
        """The result of what has been recorded so far, as plain values."""
        setup, sheet = self.setup, self.sheet
        start_up = start_up_of(self.rows(), sheet.flow.discard * self.time_unit, SEGMENT * self.time_unit)
        found, derived = self._microphones(start_up), setup.derived()
        first = next((m for m in found.values() if m), None)
        tone = first["tones"][0] if first and first["tones"] else None
        coefficients = {name: float(derived[name])
                        for name in ("mass_flow", "thrust", "exit_mach")
                        } | {"exit_p": float(derived["exit_pressure"])}
        if first:
            coefficients |= {
                "tone": tone["frequency"] if tone else None, "tone_level": tone["level"] if tone else None,
                "sound_level": first["level"]
            }
            coefficients = {k: v for k, v in coefficients.items() if v is not None}
        coefficients |= self.channels.compute({**(self.history[-1] if self.history else {}), **coefficients})
        words = {"tone": f"Within ± half a line of the spectrum, {first['step']:.3g} Hz." if first else ""}
        trends = {
            n: {
                "values": [v], "order": None, "extrapolated": None,
                "error": 0.5 * first["step"] if n == "tone" else None, "behaviour": "one level",
                "words": words.get(
                    n, "From one-dimensional theory." if n in ("mass_flow", "thrust", "exit_mach",
                                                               "exit_p") else "Of this record.")
            }
            for n, v in coefficients.items() if isinstance(v, float)
        }
        last = LevelResult("fine", self.jet.cells, self.jet.steps, 0.0, not stopped, round(self._clock(), 2),
                           coefficients, {}, [], [],
                           measure_quality(self.field()[1].mesh).as_dict())
        verdict = self._judge(found, tone, stopped)
        return {
            "format": 1, "space": "nozzle", "noise": {
                "microphones": found, "formula": screech_formula(setup), "formula_source": SCREECH_SOURCE,
                "rate": 1 / (SAMPLE_EVERY * self.jet.step * self.time_unit), "discard": start_up,
                "strouhal_unit": setup.scale / setup.air.speed_of_sound, "exit": self._exit(),
                "measured_formula": self._measured_formula(tone), "far_field": self._far_field()
            }, "title": sheet.title, "coefficients": coefficients, "trends": trends, "forces": {},
            "control_volume": None, "layer": [], "unsteady": None,
            "formulas": [f.name for f in sheet.instruments.formulas],
            "levels": [{k: v
                        for k, v in vars(last).items()
                        if k != "changes"}], "verdict": verdict.as_dict(), "shocks": [], "separations": [],
            "shock_cells": None, "theory": theory_result(setup), "probes": {}, "air": derived,
            "shape": setup.measures(), "y_plus": None, "cells": self.jet.cells, "steps": self.jet.steps,
            "seconds": round(self._clock(),
                             2), "cost_per_cell_step": self._clock() / max(self.jet.cells * self.jet.steps, 1)
        }

    def _judge(self, found, tone, stopped):
        doubts = formula_warnings([])
        first = next((m for m in found.values() if m), None)
        if first is None:
            return Verdict(
                False,
                "Too short for a spectrum: the record after the start-up holds less than one and a half "
                "segments. Follow it for longer.", doubts)
        span = (
            f"Recorded for {first['seconds'] * 1e3:.3g} ms after the start-up, {first['segments']} segments")
        steady = first["change"] is not None and first["change"] < STEADY
        if tone:
            words = (f"{span}: a tone at {tone['frequency']:.0f} Hz, {tone['level']:.1f} dB at the first "
                     f"microphone, standing {tone['prominence']:.0f} dB out of its surroundings")
            if first["change"] is not None:
                words += (
                    f"; its amplitude differs by {100 * first['change']:.1f} % between the two halves of the "
                    "record")
        else:
            words = f"{span}: no tone stands out"
        if not steady and tone:
            doubts.append(
                "The tone's amplitude still changes by more than 5 %: run it further (each time adds "
                f"{SEGMENT:g} diameters over the speed of sound), or raise the time to follow.")
        doubts += [
            "Compared for cold jets at fully expanded Mach numbers of 1.10, 1.15 and 1.20: with a boundary "
            "layer of 0.1 diameters at the exit the tone lay 9, 0 and 3 % above the screech formula, and "
            "within 4 % of it with the jet's own cells and waves; a thinner layer lowers it by up to a "
            "fifth.",
            "Axisymmetric flow: helical modes, which take over above a fully expanded Mach number of about "
            "1.2 to 1.3, cannot occur, and broadband noise is not predicted.",
            f"The viscosity is that of a Reynolds number of {self.sheet.flow.noise_reynolds:g}, far below "
            "the real one: the tone's frequency depends on it through the layer at the exit, its level by "
            "itself."
        ]
        return Verdict(not stopped and (steady or not tone), words + ".", doubts)


class JetRecorder:
    """Keeps moments of a jet to be played back, its mean, and the pressure on a cylinder round it.

    Attributes
    ----------
    frames, times : list
        Moments of the last part, scaled and in half precision, and when they were.
    mean_field : MeanField
        After the start-up.
    surround : list of ndarray, shape (len(stations),)
        Pressure above ambient on the cylinder, once for every sample after the start-up.
    stations, radius : ndarray, float
        Of the cylinder, in exit diameters.
    """
    def __init__(self, jet, flow, scale):
        self.jet, self._scale = jet, scale[:4]
        self.count = flow.frames
        span = min(FRAME_SPAN, flow.duration - flow.discard)
        self.every = frames_apart(flow, SAMPLE_EVERY * jet.step, span) * SAMPLE_EVERY
        self.frames, self.times, self.mean_field, self.surround = [], [], MeanField(), []
        self._row = int(np.argmin(np.abs(jet.r - CYLINDER)))
        self._columns = np.nonzero((jet.x > CYLINDER_FROM) & (jet.x < CYLINDER_TO))[0]
        self.stations, self.radius = jet.x[self._columns], float(jet.r[self._row])
        self._shear_row = int(np.argmin(np.abs(jet.r - SHEAR_LINE)))
        self._shear_columns = np.nonzero((jet.x > SHEAR_FROM) & (jet.x < SHEAR_TO))[0]
        self._shear = []

    @property
    def mean(self):
        return self.mean_field.mean

    def add(self, wanted, discard, cells):
        """Keep what is due at this moment; `cells` gives the state of the picture's cells."""
        jet = self.jet
        if jet.time <= discard:
            return
        self.surround.append(jet.row_pressure(self._row, self._columns))
        self._shear.append(jet.row_pressure(self._shear_row, self._shear_columns))
        if jet.steps % MEAN_EVERY == 0:
            self.mean_field.add(cells())
        left = int(np.ceil((wanted - jet.time) / jet.step))
        if self.count and left < self.count * self.every and jet.steps % self.every == 0:
            self.frames = [*self.frames, (cells() / self._scale).astype(np.float16)][-self.count:]
            self.times = [*self.times, jet.time][-self.count:]

    def wave_speed(self, frequency):
        """Speed at which the waves of this frequency (over the time unit) run down the jet beside its shear
        layer, over the speed of sound; None without a record."""
        if len(self._shear) < 64:
            return None
        rows = np.array(self._shear, dtype=float)
        angle = 2j * np.pi * frequency * SAMPLE_EVERY * self.jet.step * np.arange(len(rows))
        phase = np.unwrap(np.angle(np.exp(-angle) * np.hanning(len(rows)) @ (rows - rows.mean(axis=0))))
        slope = np.polyfit(self.jet.x[self._shear_columns], phase, 1)[0]
        return float(-2 * np.pi * frequency / slope) if slope < 0 else None

    def kept(self):
        """What a checkpoint keeps."""
        return {
            "surround": np.array(self.surround, dtype=np.float32),
            "shear": np.array(self._shear, dtype=np.float32), **self.mean_field.kept()
        }

    def restore(self, kept):
        self.surround, self._shear = list(kept["surround"]), list(kept["shear"])
        self.mean_field.restore(kept)


def jet_mesh(jet, shift):
    """The mesh of a `JetFlow` in exit diameters from the inlet, for pictures and files, and which of its
    cells are there (shape (nr, nx))."""
    x, r = jet.x_faces + shift, jet.r_faces
    number = np.arange(len(x) * len(r)).reshape(len(r), len(x))
    rows, columns = np.indices((len(r) - 1, len(x) - 1))
    present = (columns >= jet.at_exit) | (rows >= jet.at_outside)
    cells = block_cells(number.T).transpose(1, 0, 2)[present]
    edges = {
        "axis": line_edges(number[0, jet.at_exit:]), "inlet": line_edges(number[:jet.at_wall + 1,
                                                                                jet.at_exit]),
        "lip": line_edges(number[jet.at_wall:jet.at_outside + 1, jet.at_exit]),
        "outside": line_edges(number[jet.at_outside, :jet.at_exit + 1]),
        "behind": line_edges(number[jet.at_outside:, 0]), "surroundings": line_edges(number[-1]),
        "downstream": line_edges(number[:, -1])
    }
    points = np.stack(np.meshgrid(x, r), axis=-1).reshape(-1, 2)
    mesh = mesh_from_cells(*used_only(points, cells, edges), ("lip", "outside"), {"topology": "jet"})
    return revolve(mesh), present
