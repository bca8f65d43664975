"""A whole campaign as one archive: a ZIP of JSON, TOML and compressed arrays."""
import io
import json
import zipfile
from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import Field, ValidationError

from ..core.display import Display
from ..core.look.saved_view import MOST_VIEWS, ViewError
from ..core.look.views import view_of
from ..core.shapes.library import key_of
from ..core.sheet import SHEETS, SheetError, default_setup, differing_inputs, read_section, read_toml
from ..core.sheet.exceptions import applied, renamed
from ..core.study.aim import Aim
from ..core.study.channels import names_in
from ..core.study.kinds.registry import FAMILIES
from ..core.study.result import check_result, check_text, check_values
from . import campaigns, runs, searches
from .array_check import check_array, check_surface
from .database import StoreError, transaction
from .measured import add_measured, measured_of
from .reports import save_words, words_of
from .searches import ArchivePart
from .surfaces import keep_surface, sources_of, surface_bytes
from .views import save_views, views_of

FORMAT = 1
MOST_BYTES = 600_000_000
# Of one document, and of parts in all.
MOST_DOCUMENT, MOST_PARTS = 60_000_000, 20_000
ARRAYS = ("field", "taps", "picture", "frames", "checkpoint")


class ArchiveError(ValueError):
    """The archive cannot be read; the message says why."""


def export_campaign(database, campaign_id, checkpoints=False):
    """A campaign with its variants, operating points, measured data, the newest run of every cell, and the
    results of its searches.

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
            archive.writestr(zipfile.ZipInfo(name, (2000, 1, 1, 0, 0, 0)),
                             value if isinstance(value, (str, bytes)) else json.dumps(value, indent=1),
                             zipfile.ZIP_DEFLATED)

        variants_, points_ = campaigns.variants(database,
                                                campaign_id), campaigns.points(database, campaign_id)
        own = [{row["id"]: number for number, row in enumerate(rows)} for rows in (variants_, points_)]
        aim = campaigns.aim_of(head)
        picked = lambda rows, *names: [{name: row[name] for name in names} for row in rows]
        put(
            "campaign.json", {
                "format": FORMAT, "space": head["space"], "name": head["name"], "question": head["question"],
                "setup": head["setup"], "aim": aim.renamed(*own).as_dict() if aim else None,
                "words": words_of(head), "display": head["display"],
                "views": [view.as_dict() for view in views_of(head)],
                "exceptions": renamed(campaigns.exceptions_of(head), *own),
                "variants": picked(variants_, "name", "shape", "baseline"),
                "points": picked(points_, "name", "air"),
                "measured": picked(measured_of(database, campaign_id), "name", "columns", "about")
            })
        carried = [
            searches.packed(database, found, [v["id"] for v in variants_], [p["id"] for p in points_])
            for found in reversed(searches.searches_of(database, campaign_id))
        ]
        if any(carried):
            put("searches.json", [found for found in carried if found])
        for key in sorted({k for v in variants_ for k in sources_of(v["shape"])}):
            put(f"surfaces/{key}.npz", surface_bytes(database, key) or b"")
        latest = runs.latest_runs(database, campaign_id)
        for i, variant in enumerate(variants_):
            for j, point in enumerate(points_):
                run = latest.get((variant["id"], point["id"]))
                if run is not None and run["state"] in runs.ENDED:
                    _put_run(database, put, run, i, j, ARRAYS if checkpoints else ARRAYS[:-1])
    return out.getvalue()


def _put_run(database, put, run, variant, point, arrays):
    """A run's part of an archive."""
    folder = f"runs/{variant}-{point}/"
    put(
        folder + "run.json", {
            "variant": variant, "point": point, "state": run["state"], "error": run["error"],
            "result": run["result"], "created": run["created"], "history": runs.history(database, run["id"])
        })
    put(folder + "sheet.toml", run["sheet"])
    for kind in arrays:
        data = runs.kept_array(database, run["id"], kind)
        if data:
            put(f"{folder}{kind}.npz", data)


Name = Annotated[str, Field(max_length=200)]
Moment = Annotated[str, Field(max_length=40, pattern=r"^[0-9T:.Z -]*$")]


class VariantPart(ArchivePart):
    name: Name
    shape: dict
    baseline: int | bool = 0


class PointPart(ArchivePart):
    name: Name
    air: dict


class MeasuredPart(ArchivePart):
    name: Name
    columns: dict[Name, list[float | None]] = Field(max_length=200)
    about: dict[Name, Annotated[list[str | float], Field(min_length=3, max_length=3)]] = Field(
        default_factory=dict, max_length=200)


class ConditionPart(ArchivePart):
    expression: str = Field(max_length=400)
    kind: Literal["at least", "at most"]
    bound: float
    point: int | None = Field(None, ge=0)


class AimPart(ArchivePart):
    quantity: str = Field(max_length=400)
    sense: Literal["smallest", "largest", "nearest"]
    conditions: list[ConditionPart] = Field(default_factory=list, max_length=20)
    weights: list[Annotated[list[float],
                            Field(min_length=2, max_length=2)]] = Field(default_factory=list, max_length=2000)
    references: list[Annotated[list[float | None],
                               Field(min_length=4, max_length=4)]] = Field(default_factory=list,
                                                                           max_length=100_000)


class CampaignPart(ArchivePart):
    """campaign.json"""

    format: int
    space: str = "section"
    name: Name
    question: str = Field("", max_length=4000)
    setup: dict
    aim: AimPart | None = None
    exceptions: dict[Name, dict[Name, object]] = Field(default_factory=dict, max_length=100_000)
    display: str = Field("", max_length=50_000)
    views: list[dict] = Field(default_factory=list, max_length=MOST_VIEWS)
    words: dict[Name, Annotated[str, Field(max_length=8000)]] = Field(default_factory=dict, max_length=8)
    variants: list[VariantPart] = Field(max_length=2000)
    points: list[PointPart] = Field(max_length=2000)
    measured: list[MeasuredPart] = Field(default_factory=list, max_length=1000)


class RunPart(ArchivePart):
    """run.json"""

    variant: int = Field(ge=0)
    point: int = Field(ge=0)
    state: str
    error: str = Field(max_length=4000)
    result: dict | None
    created: Moment
    history: list[dict] = Field(max_length=200_000)


@dataclass
class _Contents:
    """An archive that was looked over: nothing in it is taken on trust any more."""

    head: CampaignPart
    setup: dict
    runs: list
    searches: list
    surfaces: dict


def read_archive(data, arrays=True):
    """Look an archive over, part by part, against the declarations that write it; stores nothing.

    Parameters
    ----------
    data : bytes
    arrays : bool
        Unpack and check fields and surfaces too; costs time and memory, and is done in a child process for
        uploads.

    Raises
    ------
    ArchiveError
        With the part that is wrong, and why.
    """
    at = ["the archive"]
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            return _read(archive, arrays, at)
    except ArchiveError:
        raise
    except MemoryError:
        raise ArchiveError(
            f"{at[0]} unpacks to more than the memory allowed. Export the campaign again.") from None
    except (KeyError, zipfile.BadZipFile) as error:
        raise ArchiveError(
            f"This is not a campaign archive of Ventaris, or it is damaged ({at[0]}: {str(error)[:120]}). "
            "Export it again.") from None
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(part) for part in first["loc"])[:80]
        raise ArchiveError(
            f"{at[0]}: {place}: {first['msg'][:160]}. The archive is damaged; export the campaign again."
        ) from None
    except SheetError as error:
        raise ArchiveError(f"{at[0]}: {error.problems[0][1][:300]}") from None
    except Exception as error:  # noqa: BLE001 - whatever a crafted file makes the readers raise is damage
        raise ArchiveError(
            f"{at[0]} is damaged ({type(error).__name__}: {str(error)[:160]}). Export the campaign again."
        ) from None


def _read(archive, arrays, at):
    listed = archive.infolist()
    names = {item.filename for item in listed}
    if len(listed) > MOST_PARTS or len(names) != len(listed):
        raise ArchiveError(
            f"The archive has {len(listed)} parts, or two of one name. Export the campaign again.")
    if sum(item.file_size for item in listed) > MOST_BYTES:
        raise ArchiveError(f"The archive unpacks to more than {MOST_BYTES / 1e6:.0f} MB.")
    heavy = next(
        (item
         for item in listed if item.filename.endswith((".json", ".toml")) and item.file_size > MOST_DOCUMENT),
        None)
    if heavy:
        raise ArchiveError(
            f"{heavy.filename[:80]} has {heavy.file_size / 1e6:.0f} MB; at most {MOST_DOCUMENT / 1e6:.0f}. "
            "Export the campaign again.")
    at[0] = "campaign.json"
    head = CampaignPart.model_validate(_document(archive, "campaign.json"))
    if head.format != FORMAT:
        raise ArchiveError(
            f"The archive has format {head.format}; this program reads format {FORMAT}. Update Ventaris, or "
            "export the campaign again.")
    setup = _check_head(head)
    found = []
    for name in sorted(n for n in names if n.endswith("/run.json")):
        at[0] = name[:80]
        found.append(_read_run(archive, names, name, head, arrays, at))
    at[0] = "searches.json"
    carried = _document(archive, "searches.json") if "searches.json" in names else []
    if not isinstance(carried, list) or len(carried) > 1000:
        raise ArchiveError("searches.json is not a list of searches. Export the campaign again.")
    carried = [searches.checked(one, len(head.variants), len(head.points), head.space) for one in carried]
    surfaces = {}
    for name in sorted(n for n in names if n.startswith("surfaces/")):
        at[0] = name[:80]
        packed = archive.read(name)
        if key_of(packed) != name.removeprefix("surfaces/").removesuffix(".npz"):
            raise ArchiveError(
                f"{name[:80]} is not the surface that the archive says it is. Export the campaign again.")
        if arrays:
            check_surface(packed)
        surfaces[name] = packed
    return _Contents(head, setup, found, carried, surfaces)


def _document(archive, name):
    value = json.loads(archive.read(name).decode("utf-8"))
    check_values(value, name)
    return value


def _check_head(head):
    """The campaign's own fields by the declarations of its sheet; returns the setup, whole and clean."""
    if head.space not in SHEETS:
        raise ArchiveError(f"campaign.json: space = {head.space[:40]}: accepted: {', '.join(SHEETS)}.")
    check_text(head.question)
    for text in head.words.values():
        check_text(text)
    head.name = campaigns.checked_name(head.name, "campaign")
    for variant in head.variants:
        variant.shape = read_section("shape", variant.shape, head.space).model_dump()
        variant.name = campaigns.checked_name(variant.name, "variant")
    for point in head.points:
        point.air = read_section("air", point.air, head.space).model_dump()
        point.name = campaigns.checked_name(point.name, "operating point")
    for table in head.measured:
        table.name = campaigns.checked_name(table.name, "measured data")
        if any(not (isinstance(role, str) and isinstance(factor, (int, float)) and isinstance(channel, str))
               for role, factor, channel in table.about.values()):
            raise ArchiveError(f"measured data “{table.name}”: what its columns are is damaged.")
        if len({len(column) for column in table.columns.values()}) != 1 or len(table.columns) < 2:
            raise ArchiveError(
                f"measured data “{table.name}”: the columns are not of one length. Export the campaign again."
            )
    for view in head.views:
        try:
            view_of(view)
        except ViewError as error:
            raise ArchiveError(f"views: {error}") from None
    if head.aim:
        _check_aim(head)
    if head.exceptions:
        _check_exceptions(head)
    unknown = set(head.setup) - set(default_setup(head.space))
    if unknown:
        raise ArchiveError(
            f"campaign.json: setup: {', '.join(sorted(unknown))[:80]} is no section of a run sheet. Export "
            "the campaign again.")
    return {name: read_section(name, values, head.space).model_dump() for name, values in head.setup.items()}


def _check_exceptions(head):
    """That settings of single cells belong to cells that the archive has, and are what a sheet accepts."""
    numbers = [{k: k for k in range(len(rows))} for rows in (head.variants, head.points)]
    if set(renamed(head.exceptions, *numbers)) != set(head.exceptions):
        raise ArchiveError("exceptions: some belong to no cell. Export the campaign again.")
    shared = default_setup(head.space)
    for place, settings in head.exceptions.items():
        for path in settings:
            section, _, name = path.partition(".")
            if name not in shared.get(section, {}):
                raise ArchiveError(
                    f"exceptions: {path[:60]} is no setting that runs share. Export the campaign again.")
        for name, values in applied({**shared, **head.setup}, {"cell 0 0": settings}, 0, 0).items():
            read_section(name, values, head.space)


def _check_aim(head):
    """That an aim speaks of what the archive has, and can be read."""
    variants, points = (set(range(len(rows))) | {None} for rows in (head.variants, head.points))
    for point in [w[0] for w in head.aim.weights] + [c.point for c in head.aim.conditions]:
        if point not in points:
            raise ArchiveError(f"aim: there is no operating point {point}. Export the campaign again.")
    if any(v not in variants or p not in points or value is None for v, p, value, _ in head.aim.references):
        raise ArchiveError("aim: a reference belongs to no cell. Export the campaign again.")
    expressions = (head.aim.quantity, *(c.expression for c in head.aim.conditions))
    for expression in expressions:
        check_text(expression)
    Aim.from_dict(head.aim.model_dump()).check(set().union(*map(names_in, expressions)))


def _read_run(archive, names, name, head, arrays, at):
    folder = name[:-len("run.json")]
    run = RunPart.model_validate(_document(archive, name))
    if run.variant >= len(head.variants) or run.point >= len(head.points):
        raise ArchiveError(
            f"{name[:80]}: belongs to variant {run.variant} at operating point {run.point}, which the "
            "archive does not have. Export the campaign again.")
    check_run(run.state, run.result, name)
    sheet = archive.read(folder + "sheet.toml").decode("utf-8")
    space = read_toml(sheet).space
    if space != head.space:
        raise ArchiveError(
            f"{name[:80]}: its sheet is of another kind than the campaign. Export the campaign again.")
    if run.result is not None:
        check_result(run.result, FAMILIES[space].result)
    steps = [entry.get("step") for entry in run.history]
    if not all(isinstance(step, int) and not isinstance(step, bool)
               for step in steps) or any(b <= a for a, b in zip(steps, steps[1:])):
        raise ArchiveError(
            f"{name[:80]}: steps of its history are missing or out of order. Export the campaign again.")
    kept = {}
    for kind in ARRAYS:
        if f"{folder}{kind}.npz" in names:
            at[0] = f"{folder}{kind}.npz"[:80]
            kept[kind] = archive.read(f"{folder}{kind}.npz")
            if arrays:
                check_array(kind, kept[kind], space)
    return {**run.model_dump(), "sheet": sheet, "arrays": kept}


def check_run(state, result, name):
    """That a run has ended, and has a result where its state says so."""
    if state not in runs.ENDED:
        raise ArchiveError(f"{name[:80]}: state {state[:20]} is not that of an ended run.")
    if state == "settled" and not result:
        raise ArchiveError(f"{name[:80]}: a settled run without a result. Export the campaign again.")


def import_campaign(database, data, arrays=True):
    """Read an archive; returns the new campaign's id.

    Parameters
    ----------
    arrays : bool
        See `read_archive`; False where they were looked over already.

    Raises
    ------
    ArchiveError
        Nothing is stored then.
    """
    contents = read_archive(data, arrays)
    try:
        with transaction(database):
            return _store(database, contents)
    except StoreError:
        raise
    except (ValueError, TypeError, KeyError, OverflowError) as error:
        raise ArchiveError(
            f"The archive could not be stored ({type(error).__name__}: {str(error)[:160]}). Export the "
            "campaign again.") from None


def _made_from(run, campaign, variant, point):
    """The present revisions where a run's sheet is that of its cell, else nothing."""
    try:
        same = not differing_inputs(read_toml(run["sheet"]), campaigns.compose_sheet(
            campaign, variant, point))
    except SheetError:
        same = False
    return runs.revisions(campaign, variant, point) if same else ""


def _store(database, contents):
    head = contents.head
    for name, packed in contents.surfaces.items():
        keep_surface(database, name.split("/")[1].removesuffix(".npz"), packed)
    campaign_id = campaigns.add_campaign(database, head.name, head.question, contents.setup, head.space)
    variant_ids = [campaigns.add_variant(database, campaign_id, v.name, v.shape) for v in head.variants]
    for variant, variant_id in zip(head.variants, variant_ids):
        if variant.baseline:
            campaigns.make_baseline(database, variant_id)
    point_ids = [campaigns.add_point(database, campaign_id, p.name, p.air) for p in head.points]
    if head.exceptions:
        campaign = campaigns.campaign(database, campaign_id)
        campaigns.save_setup(database, campaign_id, campaign["revision"], campaign["setup"],
                             renamed(head.exceptions, dict(enumerate(variant_ids)),
                                     dict(enumerate(point_ids))), noted=False)
    if head.words:
        save_words(database, campaign_id, head.words)
    if head.views:
        save_views(database, campaign_id, [view_of(one) for one in head.views])
    if head.display:
        campaigns.save_display(database, campaign_id, Display.from_text(head.display))
    if head.aim:
        aim = Aim.from_dict(head.aim.model_dump())
        campaigns.save_aim(database, campaign_id,
                           aim.renamed(dict(enumerate(variant_ids)), dict(enumerate(point_ids))))
    for table in head.measured:
        add_measured(database, campaign_id, table.name, table.columns, table.about)
    campaign = campaigns.campaign(database, campaign_id)
    variants_ = {v["id"]: v for v in campaigns.variants(database, campaign_id)}
    points_ = {p["id"]: p for p in campaigns.points(database, campaign_id)}
    for run in contents.runs:
        cell = variants_[variant_ids[run["variant"]]], points_[point_ids[run["point"]]]
        run_id = database.execute(
            "INSERT INTO run (campaign_id, variant_id, point_id, sheet, state, error, result, created, "
            "finished, made_from) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
            (campaign_id, variant_ids[run["variant"]], point_ids[run["point"]], run["sheet"], run["state"],
             run["error"], json.dumps(run["result"]) if run["result"] else None, run["created"],
             run["created"], _made_from(run, campaign, *cell))).lastrowid
        database.executemany("INSERT INTO history (run_id, step, entry) VALUES (?, ?, ?)",
                             [(run_id, e["step"], json.dumps(e)) for e in run["history"]])
        for kind, blob in run["arrays"].items():
            runs.keep_array(database, run_id, kind, blob)
    for found in contents.searches:
        searches.unpack(database, campaign_id, found, variant_ids, point_ids)
    return campaign_id
