"""Run a nozzle's jet in time for its noise: microphones, spectra, tones; see `sound.jet`."""
import numpy as np

from ..grids.mesh import mesh_from_cells, revolve
from ..grids.quality import measure_quality
from ..instruments.balance import channel_name
from ..sheet import write_toml
from ..sound.jet import ABSORB_DOWNSTREAM, ABSORB_SIDEWAYS, ABSORB_UPSTREAM, DOWNSTREAM, SAMPLE_EVERY, SIDEWAYS, UPSTREAM, JetFlow
from ..sound.spectra import find_tones, level, spectrum
from ..theory import area_ratio
from .climb import Climb
from .findings import Estimate, Finding
from .nozzles import prepare_nozzle, theory_result
from .progress import Checkpoint, LevelResult, Progress, RunFailed
from .verdict import Verdict, formula_warnings

# Steps between two entries of the history.
BATCH = 40
# Seconds per cell and step until this machine has measured its own.
DEFAULT_COST = 5.5e-7
# Length of a segment of the spectra, in exit diameters over the ambient speed of sound, and how steady a tone must be between the record's halves.
SEGMENT, STEADY = 60.0, 0.05
SCREECH_SOURCE = "f = u_c / (L (1 + u_c / a)), u_c = 0.7 u_j, L = 1.306 sqrt(Mj² − 1) D_j (Powell 1953, Prandtl 1904)"

CHOKED_ONLY = "The jet's noise is computed of choked nozzles (sonic or supersonic at the exit). Raise the supply's total pressure."


def noise_channels(setup):
    """Names of the channels of a noise run: the pressure above ambient at every microphone, Pa."""
    return ["step", "residual", "courant"] + [channel_name(f"p_{m.name}") for m in setup.sheet.instruments.microphones]


def make_flow(setup):
    """The `JetFlow` of a nozzle's exit by one-dimensional theory; raises RunFailed where the exit is subsonic."""
    theory, air, flow = setup.theory, setup.air, setup.sheet.flow
    if theory is None or theory.regime == "subsonic":
        raise RunFailed(CHOKED_ONLY)
    warmth = air.supply_temperature / air.temperature
    gain = 0.5 * (air.gamma - 1)
    return JetFlow(theory.exit_mach, theory.exit_pressure * air.supply_pressure / air.ambient_pressure, warmth / (1 + gain * theory.exit_mach**2), air.mach_ideal,
                   warmth / (1 + gain * air.mach_ideal**2), setup.sheet.shape.lip / setup.scale, flow.cells_per_diameter, flow.noise_reynolds)


def expanded_diameter(setup):
    """Diameter of the fully expanded jet over the exit's, by its mass flow."""
    mach = setup.theory.exit_mach
    return float(np.sqrt(area_ratio(setup.air.mach_ideal) / area_ratio(mach)))


def screech_formula(setup):
    """Screech frequency in Hz by the formula for shock cells and convected waves, or None for a jet without cells."""
    mach = setup.air.mach_ideal
    if mach <= 1.02:
        return None
    jet_speed = setup.air.speed / setup.air.speed_of_sound
    convected = 0.7 * jet_speed
    cell = 1.306 * np.sqrt(mach**2 - 1) * expanded_diameter(setup)
    return float(convected / (cell * (1 + convected)) * setup.air.speed_of_sound / setup.scale)


def estimate_noise(setup, cost=DEFAULT_COST):
    """Cells, time, memory and disk; `cost` in seconds per cell and step."""
    flow = make_flow(setup)
    steps = setup.sheet.flow.duration / flow.step
    samples = steps / SAMPLE_EVERY * max(len(setup.sheet.instruments.microphones), 1)
    return Estimate(flow.cells, 3.0 + steps * flow.cells * cost, 120 + flow.cells * 400 / 1e6, 1.0 + samples * 8 / 1e6)


def preflight_noise(setup):
    """Findings of a noise run: what it cannot do, and microphones that stand badly."""
    sheet = setup.sheet
    if not setup.is_round:
        yield Finding("stop", "shape.form", "The noise is computed of round nozzles. Take the round form.")
    if sheet.domain.kind != "open air":
        yield Finding("stop", "domain.kind", "The jet's noise needs the jet in the open. Choose it in the domain section.")
    if sheet.air.coflow > 0 or sheet.air.gamma != 1.4:
        yield Finding("stop", "air.coflow", "The jet's noise is computed in still air with a ratio of specific heats of 1.4. Set both back.")
    if setup.theory is None or setup.theory.regime == "subsonic":
        yield Finding("stop", "air.total_pressure", CHOKED_ONLY)
        return
    if not sheet.instruments.microphones:
        yield Finding("stop", "instruments.microphones", "A noise run needs a microphone. Add one, for example two exit diameters beside the exit.")
    for m in sheet.instruments.microphones:
        yield from _microphone(setup, m)
    flow, f = make_flow(setup), sheet.flow
    expected = screech_formula(setup)
    record = f.duration - f.discard
    if record < 1.5 * SEGMENT:
        yield Finding("warn", "flow.duration", f"After the start-up {record:.0f} exit diameters over the speed of sound are left: spectra need {1.5 * SEGMENT:.0f} or more. Follow it for {f.discard + 1.5 * SEGMENT:.0f}.")
    if expected:
        periods = record * setup.scale / setup.air.speed_of_sound * expected
        yield Finding("note", "flow.model", f"Shock cells and convected waves suggest a tone near {expected:.0f} Hz, some {periods:.0f} periods after the start-up.")
        if setup.air.mach_ideal > 1.3:
            yield Finding("warn", "air.total_pressure", f"At a fully expanded Mach number of {setup.air.mach_ideal:.2f} real jets screech in helical modes, which axisymmetric flow cannot have. The formula too is for axisymmetric ones.")
    if sheet.flow.cells_per_diameter < 16:
        yield Finding("warn", "flow.cells_per_diameter", "Fewer than 16 cells per diameter damp the waves that make the tone.")
    yield Finding("note", "flow.model", f"{int(f.duration / flow.step)} steps of {flow.step * setup.scale / setup.air.speed_of_sound * 1e6:.3g} µs; sampled at {1e-3 / (SAMPLE_EVERY * flow.step * setup.scale / setup.air.speed_of_sound):.4g} kHz.")


def _microphone(setup, m):
    x, r = m.x / setup.scale, m.r / setup.scale
    lip = setup.sheet.shape.lip / setup.scale
    words = f"The microphone “{m.name}” at x = {m.x:g} m behind the exit, r = {m.r:g} m"
    if x < 0 and r < 0.5 + lip:
        yield Finding("stop", "instruments.microphones", f"{words} stands inside the nozzle or its wall. Move it outwards or behind the exit.")
    elif x > DOWNSTREAM or -x > UPSTREAM or r > SIDEWAYS:
        yield Finding("stop", "instruments.microphones", f"{words} stands outside the air that is computed: {-UPSTREAM * setup.scale:.3g} to {DOWNSTREAM * setup.scale:.3g} m along, {SIDEWAYS * setup.scale:.3g} m to the side.")
    elif x > DOWNSTREAM - ABSORB_DOWNSTREAM or -x > UPSTREAM - ABSORB_UPSTREAM or r > SIDEWAYS - ABSORB_SIDEWAYS:
        yield Finding("stop", "instruments.microphones", f"{words} stands in the absorbing zone, where waves are damped: keep it between {-(UPSTREAM - ABSORB_UPSTREAM) * setup.scale:.3g} and "
                      f"{(DOWNSTREAM - ABSORB_DOWNSTREAM) * setup.scale:.3g} m along and within {(SIDEWAYS - ABSORB_SIDEWAYS) * setup.scale:.3g} m of the axis.")


class _Picture:
    """What a page or a file needs of the flow: its mesh."""

    def __init__(self, mesh):
        self.mesh, self.n_cells = mesh, mesh.n_cells


class NoiseExecution(Climb):
    """One run of a jet in time; see `Climb`. There is one level, and the march is in time."""

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
        if resume:
            self.history = list(resume.history)
            self.record = [list(row) for row in resume.time["entries"]]
            self.jet.u = resume.state.reshape(self.jet.u.shape).astype(np.float32)
            self.jet.mean = resume.time["before"].reshape(self.jet.u.shape).astype(np.float32)
            self.jet.time, self.jet.steps = resume.time["time"], resume.march["steps"]

    def __iter__(self):
        self._start_clock()
        jet, wanted = self.jet, self.sheet.flow.duration
        message = f"{jet.cells} cells, {int((wanted - jet.time) / jet.step)} steps of {jet.step * self.time_unit * 1e6:.3g} µs"
        while jet.time < wanted:
            for _ in range(BATCH // SAMPLE_EVERY):
                if not jet.advance(SAMPLE_EVERY):
                    raise RunFailed(self._blown_up())
                self.record.append([jet.time * self.time_unit, *(jet.pressure(*place) * self.unit for place in self.places.values())])
            channels = {channel_name(f"p_{name}"): self.record[-1][k + 1] for k, name in enumerate(self.places)}
            channels |= self.channels.compute(channels)
            yield self._progress(channels, message)
            message = ""
        self.result = self.conclude()

    def _progress(self, channels, message):
        jet = self.jet
        entry = {"step": len(self.history) + 1, "level": "fine", "residual": 0.0, "courant": 0.6, **channels, "time": jet.time * self.time_unit}
        self.history.append(entry)
        return Progress(entry["step"], "fine", jet.steps, 0.0, 0.6, channels, min(jet.time / self.sheet.flow.duration, 1.0), message)

    def _blown_up(self):
        bad = np.argwhere(~np.isfinite(self.jet.u[0]))
        where = f" near x = {self.jet.x[bad[0][1]] * self.setup.scale:.3g} m behind the exit, r = {self.jet.r[bad[0][0]] * self.setup.scale:.3g} m" if len(bad) else ""
        return f"The jet could not be followed beyond {self.jet.time:.0f} diameters over the speed of sound{where}. Take a lower Reynolds number (flow.noise_reynolds) or more cells per diameter."

    def checkpoint(self):
        return Checkpoint(write_toml(self.sheet), "fine", self.jet.u.reshape(4, -1).copy(), {"steps": self.jet.steps}, list(self.history), [], self._clock(),
                          {"time": self.jet.time, "entries": [list(row) for row in self.record], "state": np.zeros(1), "before": self.jet.mean.reshape(4, -1).copy()})

    def field(self):
        """(level, what has the mesh, state) of this moment."""
        if self._mesh is None:
            self._mesh, self._present = jet_mesh(self.jet, self.setup.contour.length / self.setup.scale)
        u = self.jet.u[:, self._present].astype(float)
        rho, vx, vr = u[0], u[1] / u[0], u[2] / u[0]
        p = 0.4 * (u[3] - 0.5 * rho * (vx**2 + vr**2))
        return "fine", _Picture(self._mesh), np.stack([p - 1 / 1.4, 1.4 * p / rho, vx, vr], axis=1)

    def rows(self):
        """The signals: {microphone: {"s": seconds, "pressure": Pa above ambient}}."""
        data = np.array(self.record, dtype=float).reshape(-1, 1 + len(self.places))
        return {name: {"s": data[:, 0], "pressure": data[:, k + 1]} for k, name in enumerate(self.places)}

    def _microphones(self):
        return {name: microphone_result(row["s"], row["pressure"], self.sheet.flow.discard * self.time_unit, SEGMENT * self.time_unit) for name, row in self.rows().items()}

    def conclude(self, stopped=False):
        """The result of what has been recorded so far, as plain values."""
        setup, sheet = self.setup, self.sheet
        found, derived = self._microphones(), setup.derived()
        first = next((m for m in found.values() if m), None)
        tone = first["tones"][0] if first and first["tones"] else None
        coefficients = {name: float(derived[name]) for name in ("mass_flow", "thrust", "exit_mach")} | {"exit_p": float(derived["exit_pressure"])}
        if first:
            coefficients |= {"tone": tone["frequency"] if tone else None, "tone_level": tone["level"] if tone else None, "sound_level": first["level"]}
            coefficients = {k: v for k, v in coefficients.items() if v is not None}
        coefficients |= self.channels.compute({**(self.history[-1] if self.history else {}), **coefficients})
        words = {"tone": f"Within ± half a line of the spectrum, {first['step']:.3g} Hz." if first else ""}
        trends = {n: {"values": [v], "order": None, "extrapolated": None, "error": 0.5 * first["step"] if n == "tone" else None, "behaviour": "one level",
                      "words": words.get(n, "From one-dimensional theory." if n in ("mass_flow", "thrust", "exit_mach", "exit_p") else "Of this record.")} for n, v in coefficients.items() if isinstance(v, float)}
        last = LevelResult("fine", self.jet.cells, self.jet.steps, 0.0, not stopped, round(self._clock(), 2), coefficients, {}, [], [], measure_quality(self.field()[1].mesh).as_dict())
        verdict = self._judge(found, tone, stopped)
        return {
            "format": 1, "space": "nozzle", "noise": {"microphones": found, "formula": screech_formula(setup), "formula_source": SCREECH_SOURCE, "rate": 1 / (SAMPLE_EVERY * self.jet.step * self.time_unit),
                                                      "discard": sheet.flow.discard * self.time_unit, "strouhal_unit": setup.scale / setup.air.speed_of_sound},
            "title": sheet.title, "coefficients": coefficients, "trends": trends, "forces": {}, "control_volume": None, "layer": [], "unsteady": None,
            "formulas": [f.name for f in sheet.instruments.formulas], "levels": [{k: v for k, v in vars(last).items() if k != "changes"}], "verdict": verdict.as_dict(), "shocks": [], "separations": [],
            "shock_cells": None, "theory": theory_result(setup), "probes": {}, "air": derived,
            "shape": setup.measures(), "y_plus": None, "cells": self.jet.cells, "steps": self.jet.steps, "seconds": round(self._clock(), 2),
            "cost_per_cell_step": self._clock() / max(self.jet.cells * self.jet.steps, 1)}

    def _judge(self, found, tone, stopped):
        doubts = formula_warnings([])
        first = next((m for m in found.values() if m), None)
        if first is None:
            return Verdict(False, "Too short for a spectrum: the record after the start-up holds less than one and a half segments. Follow it for longer.", doubts)
        span = f"Recorded for {first['seconds'] * 1e3:.3g} ms after the start-up, {first['segments']} segments"
        steady = first["change"] is not None and first["change"] < STEADY
        if tone:
            words = f"{span}: a tone at {tone['frequency']:.0f} Hz, {tone['level']:.1f} dB at the first microphone, standing {tone['prominence']:.0f} dB out of its surroundings"
            if first["change"] is not None:
                words += f"; its amplitude differs by {100 * first['change']:.1f} % between the two halves of the record"
        else:
            words = f"{span}: no tone stands out"
        if not steady and tone:
            doubts.append("The tone's amplitude still changes by more than 5 %: follow the jet for longer.")
        doubts += ["Compared so far at one jet only (fully expanded Mach 1.15): two tones compete there, 6 % below and 16 % above the screech formula, and which of them leads depends on the lip.",
                   "Axisymmetric flow: helical modes, which take over above a fully expanded Mach number of about 1.2 to 1.3, cannot occur, and broadband noise is not predicted.",
                   f"The viscosity is that of a Reynolds number of {self.sheet.flow.noise_reynolds:g}, far below the real one: the tone's frequency hardly depends on it, its level does."]
        return Verdict(not stopped and (steady or not tone), words + ".", doubts)


def microphone_result(seconds, pressure, discard, segment):
    """Level, tones and steadiness of a microphone's record after the start-up, or None where it is too short.

    Returns
    -------
    dict
        ``level`` (dB), ``tones`` (each ``frequency`` Hz, ``level`` dB, ``prominence`` dB, ``harmonic``), ``segments``, ``step`` (Hz), ``seconds``, ``change``: share by
        which the first tone's amplitude differs between both halves, or None.
    """
    keep = seconds > discard
    t, p = seconds[keep], pressure[keep]
    if len(t) < 64 or t[-1] - t[0] < 1.2 * segment:
        return None
    rate = (len(t) - 1) / (t[-1] - t[0])
    found = spectrum(p, rate, int(min(segment * rate, len(p))))
    tones = find_tones(found)
    change = None
    if tones:
        halves = [_amplitude(part, rate, tones[0].frequency) for part in np.array_split(p - p.mean(), 2)]
        change = float(abs(halves[1] - halves[0]) / max(np.mean(halves), 1e-30))
    return {"level": level(p.var()), "tones": [{"frequency": x.frequency, "level": level(x.rms**2), "prominence": x.prominence, "harmonic": x.harmonic} for x in tones], "segments": found.segments,
            "step": found.step, "seconds": float(t[-1] - t[0]), "change": change}


def _amplitude(values, rate, frequency):
    """Amplitude of the sine of a frequency that fits best."""
    angle = 2 * np.pi * frequency * np.arange(len(values)) / rate
    basis = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    found, *_ = np.linalg.lstsq(basis, values, rcond=None)
    return float(np.hypot(*found))


def jet_mesh(jet, shift):
    """The mesh of a `JetFlow` in exit diameters from the inlet, for pictures and files, and which of its cells are there (shape (nr, nx))."""
    x, r = jet.x_faces + shift, jet.r_faces
    number = np.arange(len(x) * len(r)).reshape(len(r), len(x))
    rows, columns = np.indices((len(r) - 1, len(x) - 1))
    present = (columns >= jet.at_exit) | (rows >= jet.at_outside)
    cells = np.stack([number[:-1, :-1], number[:-1, 1:], number[1:, 1:], number[1:, :-1]], axis=-1)[present]
    line = lambda nodes: np.stack([nodes[:-1], nodes[1:]], axis=1)
    edges = {"axis": line(number[0, jet.at_exit:]), "inlet": line(number[:jet.at_wall + 1, jet.at_exit]), "lip": line(number[jet.at_wall:jet.at_outside + 1, jet.at_exit]),
             "outside": line(number[jet.at_outside, :jet.at_exit + 1]), "behind": line(number[jet.at_outside:, 0]), "surroundings": line(number[-1]), "downstream": line(number[:, -1])}
    points = np.stack(np.meshgrid(x, r), axis=-1).reshape(-1, 2)
    used, new = np.unique(cells, return_inverse=True)
    back = np.full(number.size, -1, dtype=np.int64)
    back[used] = np.arange(len(used))
    mesh = mesh_from_cells(points[used], new.reshape(cells.shape), {name: back[pairs] for name, pairs in edges.items()}, ("lip", "outside"), {"topology": "jet"})
    return revolve(mesh), present
