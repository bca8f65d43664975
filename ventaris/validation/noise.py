"""Cases of the jet in time: its tones, its grid and its room, the chain from microphone to spectrum, waves
that leave, waves that are known."""
import functools

import numpy as np

from ..core.sheet import read_sheet
from ..core.sound.far_field import extrapolate, valid_angles
from ..core.sound.jet import JetFlow
from ..core.sound.spectra import find_tones, level, spectrum
from ..core.study.execute import execute
from ..core.study.kinds.jet.ready import screech_formula
from ..core.study.kinds.jet.run import JetRecorder
from .case import Case, Check

AMBIENT, DIAMETER = 101325.0, 0.06
FORMULA = "f = u_c / (L (1 + u_c/a)), u_c = 0.7 u_j, L = 1.306 sqrt(Mj² - 1) D_j (Powell 1953; Prandtl 1904)"


def jet_sheet(mach, cells):
    """A convergent nozzle whose jet expands to a Mach number, as cold as makes its total temperature the
    ambient one; microphone at the exit, two diameters out."""
    return read_sheet({
        "format": 1, "space": "nozzle", "shape": {
            "kind": "conical", "inlet_radius": 0.05, "throat_radius": 0.5 * DIAMETER, "diverge_length": 0.0,
            "lip": 0.25 * DIAMETER
        }, "domain": {"kind": "open air"}, "air": {
            "state": "pressure and temperature", "pressure": AMBIENT, "temperature": 288.15,
            "total_temperature": 288.15, "total_pressure": AMBIENT * (1 + 0.2 * mach**2)**3.5
        }, "instruments": {"microphones": [{"name": "near", "x": 0.0, "r": 2 * DIAMETER}]},
        "flow": {"model": "noise", "cells_per_diameter": cells, "frames": 0}
    })


@functools.lru_cache(maxsize=1)
def followed(mach, cells, room=1.0):
    """A finished run of that jet, in air that reaches `room` times as far as usual; the last one is kept."""
    run = execute(jet_sheet(mach, cells))
    if room != 1.0:
        old = run.jet
        run.jet = JetFlow(1.0,
                          float(old.jet[3, 0]) * 1.4, 1 / 1.2, mach, 1 / (1 + 0.2 * mach**2), 0.25, cells,
                          room=room)
        run.jet.let_in(*old.jet)
        run.places = {name: run.jet.place(0.0, 2.0) for name in run.places}
        run.recorder = JetRecorder(run.jet, run.sheet.flow, run.setup.stream.column_scale)
    for _ in run:
        pass
    return run


def tone_of(run):
    """(frequency in Hz, what the result says of the microphone)."""
    found = run.result["noise"]["microphones"]["near"]
    return (found["tones"][0]["frequency"] if found and found["tones"] else np.nan), found


def jet_tones():
    checks, curves, seconds, cells = [], [], 0.0, 0
    for mach in (1.10, 1.20, 1.15):
        run = followed(mach, 24)
        tone, found = tone_of(run)
        formula, measured = screech_formula(run.setup), run.result["noise"]["measured_formula"]
        name = f"Mj {mach:.2f}"
        checks += [
            Check(f"{name}: tone over the formula's", tone / formula, 0.9, 1.1, FORMULA),
            Check(f"{name}: tone over the formula's with the cell length and wave speed of this jet",
                  tone / measured["frequency"] if measured else np.nan, 0.96, 1.04,
                  "the same, both lengths measured in the run"),
            Check(f"{name}: change of its amplitude between the halves of the record", found["change"], 0,
                  0.05, "a tone that has built up stays"),
            Check(f"{name}: prominence, dB", found["tones"][0]["prominence"], 20, 90, "a tone, not a hump")
        ]
        seconds, cells = seconds + run.result["seconds"], run.jet.cells
        row = run.rows()["near"]
        keep = row["s"] > run.result["noise"]["discard"]
        rate = (keep.sum() - 1) / np.ptp(row["s"][keep])
        s = spectrum(row["pressure"][keep], rate, int(60 * run.time_unit * rate))
        shown = (s.frequency > 0) & (s.frequency < 3e4)
        curves.append(
            (f"computed, {name}", s.frequency[shown], [level(d) for d in s.density[shown]], "computed"))
    return Case(
        "noise-tones", "Tones of under-expanded jets",
        f"{cells} cells, 24 per diameter; lip 0.25 D, boundary layer at the exit 0.1 D, Reynolds number 2 "
        "500, 180 D/a followed of which 80 to 90 are left out",
        checks, seconds, curves, ("frequency, Hz", "dB per Hz at x = 0, r = 2 D"))


def jet_grid():
    """The same tone on a coarser grid, and in more room."""
    # The fine one first: it is the last of `jet_tones`.
    runs = [followed(1.15, *which) for which in ((24, ), (16, ), (16, 1.3))]
    fine, coarse, wide = (tone_of(run)[0] for run in runs)
    checks = [
        Check("tone with 24 cells per diameter over that with 16", fine / coarse, 0.97, 1.03,
              "less than 3 % asked for"),
        Check("tone in 1.3 times the room over the usual", wide / coarse, 0.98, 1.02,
              "less than 2 % asked for")
    ]
    return Case(
        "noise-grid", "Tone of the jet at Mj 1.15: grid and room",
        "16 and 24 cells per diameter; 26 D downstream, 9.1 D upstream, 10.4 D aside instead of 20, 7, 8",
        checks, sum(run.result["seconds"] for run in runs))


def chain():
    """A sine of known frequency and strength in noise; the energy of a record and of its spectrum."""
    rate, tone, rng = 40e3, 2513.7, np.random.default_rng(3)
    t = np.arange(0, 0.5, 1 / rate)
    signal = 20 * np.sin(2 * np.pi * tone * t) + 10 * rng.normal(size=len(t))
    found = spectrum(signal, rate, 2048)
    first = find_tones(found)[0]
    noise = rng.normal(size=4096)
    whole = spectrum(noise, 1.0, len(noise))
    window = np.hanning(len(noise) + 1)[:-1]
    part = (noise - noise.mean()) * window
    checks = [
        Check("frequency off, in lines of the spectrum",
              abs(first.frequency - tone) / found.step, 0, 0.5, "the sine that was put in"),
        Check("level off, dB", abs(level(first.rms**2) - level(200.0)), 0, 0.3, "the sine that was put in"),
        Check("energy of the spectrum over that of the windowed record, less 1",
              abs(whole.mean_square * (window**2).sum() / (part**2).sum() - 1), 0, 1e-10,
              "Parseval's theorem")
    ]
    return Case("noise-chain", "Microphone and spectrum",
                "20 Pa in 10 Pa of white noise, 20 000 samples, segments of 2 048", checks)


def returned_pulse():
    """Share of a round pulse's amplitude that comes back from the borders, and the number of cells."""
    flow = JetFlow(1.0, 1.0, 1 / 1.2, 1.0, 1 / 1.2, cells=8)
    # Without the nozzle, which would reflect by itself.
    flow.at_wall = flow.at_outside = 0
    flow.let_in(*np.zeros((4, 0)))
    x, r = np.meshgrid(flow.x, flow.r)
    shape = 0.01 * np.exp(-np.log(2) * ((x - 4)**2 + r**2) / 0.8**2)
    flow.u[0], flow.u[1:3], flow.u[3] = 1 + 1.4 * shape, 0, (1 / 1.4 + shape) / 0.4
    flow.mean[0], flow.mean[1:3], flow.mean[3] = 1, 0, 1 / 1.4 / 0.4
    row, column = flow.place(4.0, 2.0)
    passed, came_back = [], []
    while flow.time < 16:
        flow.advance(2)
        (passed if flow.time < 5 else came_back).append(abs(flow.pressure(row, column)))
    return max(came_back[len(came_back) // 5:]) / max(passed), flow.cells


def pulse():
    """A round pulse runs outwards; what comes back is the fault of the borders."""
    share, cells = returned_pulse()
    return Case(
        "noise-pulse", "A pulse that leaves", f"{cells} cells, 8 per diameter",
        [Check("comes back with a share of its amplitude", share, 0, 0.01, "less than 1 % asked for")])


def far_field():
    """Sources of known strength on the axis, carried to the far field."""
    x, radius, rate, tone = np.linspace(-2.9, 11.5, 140), 2.5, 8.0, 0.6
    checks, curves = [], []
    for at in (1.0, 3.0, 5.0):
        t = np.arange(0, 100, 1 / rate)[:, None]
        distance = np.hypot(x - at, radius)
        low, high = valid_angles(x, radius, (at, at))
        angles = np.arange(np.ceil(low), high, 1.0)
        found = extrapolate(x, radius,
                            np.cos(2 * np.pi * tone * (t - distance)) / distance, rate, angles,
                            int(60 * rate))
        off = 10 * np.log10(found.mean_square(tone - 0.1, tone + 0.1) / 0.5)
        inside = (angles > low + 7) & (angles < high - 7)
        checks.append(
            Check(f"source at x = {at:g} D: largest difference 7° inside the valid angles, dB",
                  float(np.abs(off[inside]).max()), 0, 1.25,
                  "exact: the source's own strength over the distance"))
        curves.append((f"computed, x = {at:g} D", angles, off, "computed"))
    return Case("noise-far-field", "Far field of a known source",
                "cylinder of radius 2.5 D from -2.9 to 11.5 D, frequency 0.6 a/D", checks, 0.0, curves,
                ("angle from downstream, °", "level off, dB"))


CASES = {
    "noise-chain": chain, "noise-pulse": pulse, "noise-far-field": far_field, "noise-tones": jet_tones,
    "noise-grid": jet_grid
}
