"""What a report is made from, gathered from the laboratory; and the words its author adds."""
import functools
import json
import os
import platform
from datetime import date

from .. import __version__
from ..core.report.material import AUTHOR, LONGEST_WORDS, Cell, Material, plane_looks, space_looks
from ..core.sheet import SheetError, read_toml
from ..core.study.kinds.registry import kind_of
from . import campaigns, runs
from .database import transaction
from .drawn import drawn_field
from .fields import frames_head, unpack_rows, unpack_taps
from .measured import measured_of
from .views import views_of


def words_of(found):
    """The author's words of a campaign: {key: text}."""
    return json.loads(found["words"]) if found["words"] else {}


def save_words(database, campaign_id, words):
    """Keep the author's words; raises SheetError where they are too long."""
    clean = {key: str(words.get(key, "")).strip() for key in AUTHOR}
    for key, text in clean.items():
        if len(text) > LONGEST_WORDS:
            raise SheetError([(key, f"{AUTHOR[key]}: {len(text)} characters; at most {LONGEST_WORDS}.")])
    kept = {key: text for key, text in clean.items() if text}
    with transaction(database):
        database.execute("UPDATE campaign SET words = ? WHERE id = ?",
                         (json.dumps(kept) if kept else "", campaign_id))


def material_of(database, campaign_id):
    """`Material` of a campaign: its newest run of every cell, fields and histories read when asked for."""
    campaign = campaigns.campaign(database, campaign_id)
    variants, points = campaigns.variants(database, campaign_id), campaigns.points(database, campaign_id)
    latest = runs.latest_runs(database, campaign_id)
    cells = {(v["id"], p["id"]): cell_of(database, run)
             for v in variants
             for p in points if (run := latest.get((v["id"], p["id"])))}
    return Material(campaign["name"], campaign["question"], campaign["space"],
                    campaigns.aim_of(campaign), variants, points, cells, measured_of(database, campaign_id),
                    words_of(campaign), views_of(campaign), __version__, machine_words(),
                    date.today().isoformat())


def cell_of(database, run):
    """`Cell` of a stored run."""
    drawn = functools.cache(lambda: _drawn(database, run))
    return Cell(run["id"], run["variant_id"], run["point_id"], run["state"], run["error"], run["created"],
                read_toml(run["sheet"]), run["sheet"], run["result"],
                lambda: runs.history(database, run["id"]), lambda: _looks(drawn()),
                lambda: _lines(database, run), drawn)


def machine_words():
    """The machine in a few words, without its name."""
    return (f"{platform.system()} {platform.machine()}, {os.cpu_count()} cores, "
            f"Python {platform.python_version()}")


def _looks(drawn):
    if drawn is None:
        return None
    return space_looks(*drawn) if isinstance(drawn, tuple) else plane_looks(drawn)


def _drawn(database, run):
    """A run's stored field made ready to be drawn, or None."""
    data = runs.kept_array(database, run["id"], "field")
    if not data:
        return None
    sheet, frames = read_toml(run["sheet"]), runs.kept_array(database, run["id"], "frames")
    return drawn_field(sheet, data, frames_head(frames)[1] if frames else None)


def _lines(database, run):
    data = runs.kept_array(database, run["id"], "taps")
    if not data:
        return {}
    if kind_of(read_toml(run["sheet"])).reads_lines:
        return {
            f"{name}:{column}": [(columns["s"], values)]
            for name, columns in unpack_rows(data).items()
            for column, values in columns.items() if column != "s"
        }
    taps = unpack_taps(data)
    return {
        key: [(taps.x[k], getattr(taps, key)[k]) for k in map(taps.side, taps.sides)]
        for key in ("cp", "cf", "mach")
    }
