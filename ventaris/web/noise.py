"""The noise screen: what the microphones recorded, live, its spectra and tones, and measured data laid
over."""
import numpy as np
from flask import Blueprint, abort, g, jsonify, render_template, request

from ..core.sheet import read_toml
from ..core.sound.spectra import level, spectrum
from ..core.study.kinds.jet.ready import SEGMENT, screech_formula
from ..core.study.kinds.jet.readings import microphone_result, start_up_of
from ..core.study.setup import prepare
from ..store import measured as tables, runs
from ..store.fields import unpack_rows
from .runs import run_or_404

pages = Blueprint("noise", __name__)
MOST_POINTS = 3000
# Decibels per hertz below the peak at which a spectrum is cut off on the chart.
DEPTH = 90.0


def _noise_run(run_id):
    run = run_or_404(run_id)
    sheet = read_toml(run["sheet"])
    if sheet.space != "nozzle" or sheet.flow.model != "noise":
        abort(
            404,
            "This run recorded no noise: choose “Jet in time: noise” as the flow model of a nozzle's sheet.")
    return run, sheet


@pages.get("/runs/<int:run_id>/noise")
def show(run_id):
    run, sheet = _noise_run(run_id)
    return render_template("noise.html", run=run, microphones=sheet.instruments.microphones,
                           measured=tables.measured_of(g.database,
                                                       run["campaign_id"]), far=_kept(run).get("far_field"),
                           exit=_kept(run).get("exit"), measured_formula=_kept(run).get("measured_formula"),
                           frames=runs.array_version(g.database, run_id, "frames") > 0)


def _kept(run):
    """What the result says of the noise; empty while there is none."""
    return (run["result"] or {}).get("noise") or {}


@pages.get("/runs/<int:run_id>/noise.json")
def data(run_id):
    """Signals (thinned out), spectra in decibels per hertz, tones and the formula's frequency."""
    run, sheet = _noise_run(run_id)
    version = runs.array_version(g.database, run_id, "taps")
    if not version:
        return jsonify(version=0, state=run["state"], microphones=[])
    setup = prepare(sheet)
    unit = setup.scale / setup.air.speed_of_sound
    rows = unpack_rows(runs.kept_array(g.database, run_id, "taps"))
    discard = start_up_of(rows, sheet.flow.discard * unit, SEGMENT * unit)
    microphones = [_microphone(name, row, discard, SEGMENT * unit) for name, row in rows.items()]
    wanted = request.args.getlist("table", type=int)
    laid = [{"name": t["name"], "columns": t["columns"]}
            for t in tables.measured_of(g.database, run["campaign_id"]) if t["id"] in wanted]
    return jsonify(version=version, state=run["state"], microphones=microphones,
                   formula=screech_formula(setup), discard=discard, wanted=sheet.flow.duration * unit,
                   measured=laid, far=_kept(run).get("far_field"))


def _microphone(name, row, discard, segment):
    t, p = row["s"], row["pressure"]
    out = {"name": name, "t": [], "p": [], "f": [], "density": [], "found": None}
    if len(t) < 2:
        return out
    thin = -(-len(t) // MOST_POINTS)
    out |= {
        "t": t[::thin].tolist(), "p": p[::thin].tolist(), "found": microphone_result(t, p, discard, segment)
    }
    keep = t > discard
    # While the start-up lasts, the spectrum is that of what there is.
    used = p[keep] if keep.sum() > 400 else p[len(p) // 2:]
    rate = (len(t) - 1) / (t[-1] - t[0])
    length = int(min(segment * rate, len(used)))
    if length >= 64:
        found = spectrum(used, rate, length)
        decibels = np.array([level(d) for d in found.density])
        shown = (decibels > decibels.max() - DEPTH) & (found.frequency > 0)
        out |= {
            "f": found.frequency[shown].tolist(), "density": decibels[shown].round(2).tolist(),
            "segments": found.segments, "step": found.step, "early": bool(keep.sum() <= 400)
        }
    return out
