"""A whole campaign as one archive: a ZIP of JSON, TOML and compressed arrays."""
import io
import json
import zipfile

from ..core.sheet import SheetError, read_section, read_toml
from ..core.shapes.library import MARK
from . import campaigns, runs, searches
from .database import transaction
from .measured import add_measured, measured_of
from .surfaces import keep_surface, sources_of, surface_bytes

FORMAT = 1
MOST_BYTES = 600_000_000
ARRAYS = ("field", "taps", "picture", "frames", "checkpoint")


class ArchiveError(ValueError):
    """The archive cannot be read; the message says why."""


def export_campaign(database, campaign_id, checkpoints=False):
    """A campaign with its variants, operating points, measured data, the newest run of every cell, and the results of its searches.

    Parameters
    ----------
    checkpoints : bool
        Whether runs can be run further after the import; costs about as much again.

    Returns
    -------
    bytes
    """
    head = campaigns.campaign(database, campaign_id)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        def put(name, value):
            archive.writestr(zipfile.ZipInfo(name, (2000, 1, 1, 0, 0, 0)), value if isinstance(value, (str, bytes)) else json.dumps(value, indent=1))
        variants_, points_ = campaigns.variants(database, campaign_id), campaigns.points(database, campaign_id)
        put("campaign.json", {
            "format": FORMAT, "space": head["space"], "name": head["name"], "question": head["question"], "setup": head["setup"],
            "variants": [{k: v[k] for k in ("name", "shape", "baseline")} for v in variants_],
            "points": [{k: p[k] for k in ("name", "air")} for p in points_],
            "measured": [{k: m[k] for k in ("name", "columns")} for m in measured_of(database, campaign_id)]})
        carried = [searches.packed(database, found, [v["id"] for v in variants_], [p["id"] for p in points_]) for found in reversed(searches.searches_of(database, campaign_id))]
        if any(carried):
            put("searches.json", [found for found in carried if found])
        for key in sorted({k for v in variants_ for k in sources_of(v["shape"])}):
            put(f"surfaces/{key}.npz", surface_bytes(database, key) or b"")
        latest = runs.latest_runs(database, campaign_id)
        for i, variant in enumerate(variants_):
            for j, point in enumerate(points_):
                run = latest.get((variant["id"], point["id"]))
                if run is None or run["state"] not in runs.ENDED:
                    continue
                folder = f"runs/{i}-{j}/"
                put(folder + "run.json", {"variant": i, "point": j, "state": run["state"], "error": run["error"], "result": run["result"],
                                          "created": run["created"], "history": runs.history(database, run["id"])})
                put(folder + "sheet.toml", run["sheet"])
                for kind in ARRAYS if checkpoints else ARRAYS[:-1]:
                    data = runs.kept_array(database, run["id"], kind)
                    if data:
                        put(f"{folder}{kind}.npz", data)
    return out.getvalue()


def import_campaign(database, data):
    """Read an archive; returns the new campaign's id.

    Raises
    ------
    ArchiveError
        Nothing is stored then.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if sum(item.file_size for item in archive.infolist()) > MOST_BYTES:
                raise ArchiveError(f"The archive unpacks to more than {MOST_BYTES / 1e6:.0f} MB.")
            head = json.loads(archive.read("campaign.json"))
            if head.get("format") != FORMAT:
                raise ArchiveError(f"The archive has format {head.get('format')}; this program reads format {FORMAT}.")
            stored = [_read_run(archive, name) for name in archive.namelist() if name.endswith("/run.json")]
            checked = _check(head)
            checked["searches"] = [searches.checked(found) for found in json.loads(archive.read("searches.json"))] if "searches.json" in archive.namelist() else []
            surfaces = {name: archive.read(name) for name in archive.namelist() if name.startswith("surfaces/")}
    except (zipfile.BadZipFile, KeyError, ValueError, TypeError, AttributeError, EOFError) as error:
        if isinstance(error, (ArchiveError, SheetError)):
            raise ArchiveError(str(error)) from None
        raise ArchiveError(f"This is not a campaign archive of Ventaris, or it is damaged ({type(error).__name__}). "
                           "Export it again.") from None
    for name, packed in surfaces.items():
        if keep_surface(database, name.split("/")[1].removesuffix(".npz"), packed) != MARK + name.split("/")[1].removesuffix(".npz"):
            raise ArchiveError(f"{name} is not the surface that the archive says it is. Export the campaign again.")
    return _store(database, checked, stored)


def _check(head):
    space = head.setdefault("space", "section")
    for variant in head["variants"]:
        variant["shape"] = read_section("shape", variant["shape"], space).model_dump()
        variant["name"] = campaigns.checked_name(variant["name"], "variant")
    for point in head["points"]:
        point["air"] = read_section("air", point["air"], space).model_dump()
        point["name"] = campaigns.checked_name(point["name"], "operating point")
    campaigns.checked_name(head["name"], "campaign")
    return head


def _read_run(archive, name):
    folder = name[: -len("run.json")]
    run = json.loads(archive.read(name))
    run["sheet"] = archive.read(folder + "sheet.toml").decode()
    read_toml(run["sheet"])
    if run["state"] not in runs.ENDED:
        raise ArchiveError(f"{name}: state {run['state']} is not that of an ended run.")
    run["arrays"] = {kind: archive.read(f"{folder}{kind}.npz") for kind in ARRAYS if f"{folder}{kind}.npz" in archive.namelist()}
    return run


def _store(database, head, stored):
    campaign_id = campaigns.add_campaign(database, head["name"], head.get("question", ""), head["setup"], head["space"])
    variant_ids = [campaigns.add_variant(database, campaign_id, v["name"], v["shape"]) for v in head["variants"]]
    for variant, variant_id in zip(head["variants"], variant_ids):
        if variant.get("baseline"):
            campaigns.make_baseline(database, variant_id)
    point_ids = [campaigns.add_point(database, campaign_id, p["name"], p["air"]) for p in head["points"]]
    for table in head.get("measured", []):
        add_measured(database, campaign_id, table["name"], table["columns"])
    for run in stored:
        with transaction(database):
            run_id = database.execute(
                "INSERT INTO run (campaign_id, variant_id, point_id, sheet, state, error, result, created, finished) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
                (campaign_id, variant_ids[run["variant"]], point_ids[run["point"]], run["sheet"], run["state"], run["error"],
                 json.dumps(run["result"]) if run["result"] else None, run["created"], run["created"])).lastrowid
            database.executemany("INSERT INTO history (run_id, step, entry) VALUES (?, ?, ?)",
                                 [(run_id, e["step"], json.dumps(e)) for e in run["history"]])
        for kind, blob in run["arrays"].items():
            runs.keep_array(database, run_id, kind, blob)
    for found in head["searches"]:
        searches.unpack(database, campaign_id, found, variant_ids, point_ids)
    return campaign_id
