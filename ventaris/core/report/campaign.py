"""What stands in a campaign's report, and in that of one run."""
import math

from ..look.views import pictures_of
from ..sheet import differing_inputs
from ..study.aim import tell
from ..study.checks import examine
from ..study.comparison import difference_of, is_doubtful, offered_quantities, quantity_of
from ..study.kinds.registry import FAMILIES
from ..study.measured import series_of
from ..study.naming import channel_words
from ..units import fixed, fixed_error
from .document import Bullets, Document, Heading, Listing, Paragraph, Picture, Side, Table
from .figures import curves_chart, history_chart, outlines_chart, standing_chart
from .material import AUTHOR

# Operating points that fit beside each other in a table; quantities that are tabled in full.
POINTS_ACROSS, MOST_TABLES = 4, 4
MOST_CURVES = 4
# A space at which no line breaks.
NARROW = "\u00a0"
RANKS = {1: "first", 2: "second", 3: "third"}


def campaign_report(material):
    """The `Document` of a campaign."""
    told = tell(material.aim, material.space, _names(material.variants), _names(material.points),
                material.results())
    out = Document(material.name, "Report of a campaign", material.date)
    out.add(Paragraph(material.question, "lead") if material.question else None)
    _answer(out, material, told)
    _tables(out, material, told)
    _shapes(out, material)
    chosen = _chosen(material, told)
    _side_by_side(out, material, chosen)
    _views(out, material, chosen)
    _curves(out, material, chosen)
    for cell in chosen:
        _run(out, material, cell)
    _all_runs(out, material)
    _limits(out, material, list(material.cells.values()))
    _author(out, material, ("method", "remarks"))
    _repeat(out, material)
    return out


def run_report(material, cell):
    """The `Document` of one run of the campaign."""
    variant, point = _names(material.variants)[cell.variant], _names(material.points)[cell.point]
    out = Document(f"{variant} at {point}", f"Report of a run of “{material.name}”", material.date)
    out.add(Paragraph(material.question, "lead") if material.question else None)
    _run(out, material, cell, whole=True)
    _curves(out, material, [cell])
    _limits(out, material, [cell])
    _author(out, material, tuple(AUTHOR))
    out.add(Heading("To repeat it"), _made_with(material), Listing(cell.text, "The run sheet"))
    return out


def _names(rows):
    return {row["id"]: row["name"] for row in rows}


def value_words(value, error, decimals):
    """A value with its error bar in one line."""
    bar = fixed_error(error, decimals).replace(" ", NARROW)
    return "–" if value is None else f"{fixed(value, decimals)} {bar}".strip()


def difference_words(difference, decimals):
    """A `Difference` in one line; nothing where there is none."""
    if difference is None:
        return ""
    share = difference.share
    return (
        f"{'+' if difference.value > 0 else ''}{fixed(difference.value, decimals)}" +
        (f" ({'+' if share > 0 else ''}{fixed(share, 1)} %)"
         if share is not None and abs(share) < 1000 else "") +
        (f" {fixed_error(difference.bar, decimals)}".replace("± ", "±" + NARROW) if difference.bar else "") +
        ("" if difference.clear else ", not resolved"))


def _answer(out, material, told):
    """What the campaign was after, how the variants stand, and what the author says of it."""
    out.add(Heading("Answer"))
    _author(out, material, ("answer", ), headed=False)
    if told is None:
        out.add(Paragraph("No run has settled yet: there is nothing to rank.", "note"))
        return
    aim = told.aim[0].upper() + told.aim[1:]
    out.add(Paragraph(f"{'Aim' if told.own else 'Usual aim'}: {aim}."))
    if len(material.variants) > 1:
        out.add(Paragraph(told.words, "lead"))
    found, names = told.standing, told.names
    if found.areas:
        out.add(
            Paragraph(
                f"The variants have reference areas of their own ({found.areas[0]:.4g} to "
                f"{found.areas[1]:.4g} "
                "m²), so they are ranked by the force instead of the coefficient.", "pale"))
    rows = []
    for place in found.places:
        rank = ("" if place.rank is None else
                "draw with the first" if place.draw else RANKS.get(place.rank, f"no. {place.rank}"))
        said = [
            f"{channel_words(b.condition.expression)} {fixed(b.value, 4)}, wanted {b.condition.kind} "
            f"{b.condition.bound:g} at {told.points[b.point]}" for b in place.breaks
        ]
        said += ["not run at " + ", ".join(told.points[p] for p in place.missing)] if place.missing else []
        if place.deviation:
            said.append(f"{difference_words(place.deviation, found.decimals)} from the reference")
        rows.append((names[place.variant], rank, value_words(place.value, place.error, found.decimals),
                     difference_words(place.behind, found.decimals), "; ".join(said)))
    head = ("Variant", "Place", found.label, "Behind the first", "Remarks")
    used = [k for k in range(5) if k in (0, 2) or any(row[k] for row in rows)]
    out.add(
        Table(
            tuple(head[k] for k in used), tuple(tuple(row[k] for k in used) for row in rows), 0, frozenset(),
            "Means over the operating points that count, ± error bars from the grid trend. A lead "
            "smaller than the error bar of the difference is a draw."))
    reference = (found.aim.references or {}).get((None, None))
    values = [{told.points[p]: v for p, v in place.values.items()} for place in found.places]
    if any(values):
        leader = found.leader
        out.add(
            Picture(
                standing_chart([names[p.variant] for p in found.places], values, found.label, reference,
                               names[leader.variant] if leader and len(found.places) > 1 else None),
                f"{found.label} with error bars" + ("; broken line: the reference" if reference else "") +
                ("; ★ the first" if leader and len(found.places) > 1 else "")))


def _author(out, material, keys, headed=True):
    for key in keys:
        if material.words.get(key, "").strip():
            out.add(Heading(AUTHOR[key]) if headed else None, Paragraph(material.words[key].strip(), "note"))


def _tables(out, material, told):
    """Every cell's numbers: of what is ranked by, and of the kind's headlines."""
    results, space = material.results(), material.space
    if not results:
        return
    offered = offered_quantities(space, list(results.values()))
    keys = [told.standing.key] + [key for key, *_ in FAMILIES[space].quantities.headlines]
    shown = [
        key for key in dict.fromkeys(keys) if any(
            quantity_of(r, key)[0] is not None for r in results.values())
    ]
    out.add(Heading("All variants at all operating points"))
    base = material.variants[0]["id"]
    for key in shown[:MOST_TABLES]:
        label, decimals = ((told.standing.label, told.standing.decimals) if key == told.standing.key else
                           (offered[key][0], offered[key][2]) if key in offered else (channel_words(key), 4))
        out.add(Heading(label, 2))
        across = math.ceil(len(material.points) / math.ceil(len(material.points) / POINTS_ACROSS))
        for start in range(0, len(material.points), across):
            part = material.points[start:start + across]
            rows = []
            for variant in material.variants:
                row = [variant["name"]]
                for point in part:
                    result = results.get((variant["id"], point["id"]))
                    text = value_words(*quantity_of(result, key), decimals)
                    change = difference_of(result, results.get(
                        (base, point["id"])), key) if variant["id"] != base else None
                    row.append(text + (f" [{difference_words(change, decimals)}]" if change else ""))
                rows.append(tuple(row))
            out.add(Table(("Variant", *(p["name"] for p in part)), tuple(rows)))
    out.add(
        Paragraph(
            f"In brackets: the difference from {material.variants[0]['name']} at the same operating "
            "point, with its own error bar. Only settled runs are shown.", "pale"))


def _shapes(out, material):
    """Variants and operating points: what they are, and what tells them apart."""
    portrait = FAMILIES[material.space].portrait
    if not material.variants:
        return
    out.add(Heading("Variants and operating points"))
    drawn = outlines_chart([(v["name"], portrait.outline(v["shape"])) for v in material.variants])
    out.add(Picture(drawn, "Outlines of the variants") if drawn else None)
    out.add(
        Table(("Variant", "Shape"),
              tuple((v["name"] + (" (baseline)" if k == 0 else ""), portrait.words(v["shape"]))
                    for k, v in enumerate(material.variants)), 1))
    rows = []
    for point in material.points:
        cell = next((c for (_, p), c in material.cells.items() if p == point["id"]), None)
        setup = examine(cell.sheet)[0] if cell else None
        rows.append((point["name"], portrait.point_words(setup, point["air"])))
    out.add(Table(("Operating point", "Air"), tuple(rows), 1))
    base = material.variants[0]
    differing = []
    for variant in material.variants[1:]:
        pairs = [(material.cells.get((base["id"], p["id"])), material.cells.get((variant["id"], p["id"])))
                 for p in material.points]
        one, two = next(((a, b) for a, b in pairs if a and b), (None, None))
        if one:
            differing += [(variant["name"], label, str(was)[:60], str(now)[:60])
                          for _, label, was, now in differing_inputs(one.sheet, two.sheet)]
    if differing:
        out.add(Heading("Inputs that differ from the baseline", 2),
                Table(("Variant", "Input", base["name"], "here"), tuple(differing), 1))


def _chosen(material, told):
    """Cells that are shown in full: of the baseline and of the first, at the point that counts most."""
    if told is None:
        return []
    counted = told.standing.points
    point = max(counted, key=lambda p: counted[p])
    leader = told.standing.leader
    ids = [material.variants[0]["id"], *([leader.variant] if leader else [])]
    if len(dict.fromkeys(ids)) == 1:
        ids += [p.variant for p in told.standing.places if p.rank == 2]
    return [
        material.cells[v, point] for v in dict.fromkeys(ids)
        if (v, point) in material.cells and material.cells[v, point].result
    ]


def _side_by_side(out, material, chosen):
    names, places = _names(material.variants), _names(material.points)
    there = [(c, c.looks) for c in chosen if c.looks]
    if not there:
        return
    out.add(Heading("Flow and grid side by side" if len(there) > 1 else "Flow and grid"))
    for what in ("flow", "grid"):
        out.add(
            Side(
                tuple(
                    Picture(getattr(looks, what), f"{names[c.variant]} at {places[c.point]}: "
                            f"{getattr(looks, what + '_words')}") for c, looks in there)))


def _views(out, material, chosen):
    """The campaign's own views, of the same runs."""
    names, places, headed = _names(material.variants), _names(material.points), False
    fields = [(c, drawn) for c in chosen if (drawn := c.field()) is not None] if material.views else []
    for view in material.views:
        pictures = pictures_of(view, [drawn for _, drawn in fields])
        drawn = [(c, png) for (c, _), png in zip(fields, pictures) if png]
        if not drawn:
            continue
        out.add(None if headed else Heading("Views that were kept"))
        headed = True
        captions = [f"{view.name}, {names[c.variant]} at {places[c.point]}: {view.words()}" for c, _ in drawn]
        out.add(Side(tuple(Picture(png, words) for (_, png), words in zip(drawn, captions))))


def _curves(out, material, chosen):
    """Curves along walls and lines of the chosen runs with measured data laid over."""
    names = _names(material.variants)
    drawn = []
    for key, x_label, y_label, upside_down in FAMILIES[material.space].portrait.curves:
        curves = []
        for k, cell in enumerate(chosen):
            # One entry in the legend for each run.
            curves += [{"name": names[cell.variant] if n == 0 else None, "x": x, "y": y, "like": k}
                       for n, (x, y) in enumerate(cell.lines().get(key, ()))]
        if curves:
            channels = (key, ) if drawn else (key, "")
            curves += measured_curves(material.measured, len(chosen), channels)
        png = curves_chart(curves, x_label, y_label, upside_down)
        if png:
            drawn.append(Picture(png, y_label))
    if drawn:
        out.add(Heading("Curves"), *drawn[:MOST_CURVES])


def measured_curves(tables, start=0, channels=("", )):
    """Measured data of some channels as curves of a chart, with their uncertainties."""
    found = [one for table in tables for one in series_of(table) if one.channel in channels]
    return [{"name": one.name, "x": one.x, "y": one.y, "error": one.error, "measured": True,
             "like": start + k} for k, one in enumerate(found)]


def _run(out, material, cell, whole=False):
    """One run: verdict, numbers by level, how it settled."""
    names, places = _names(material.variants), _names(material.points)
    out.add(Heading("The run" if whole else f"{names[cell.variant]} at {places[cell.point]}"))
    if not cell.result:
        out.add(Paragraph(cell.error or f"This run is {cell.state} and has no result yet.", "note"))
        return
    verdict = cell.result["verdict"]
    out.add(Paragraph(verdict["words"]), Bullets(tuple(verdict["warnings"])) if verdict["warnings"] else None)
    out.add(_by_level(material.space, cell.result))
    numbers = FAMILIES[material.space].quantities
    chart = history_chart(cell.history(), {key: label for key, label, _ in numbers.headlines})
    out.add(
        Picture(chart, "How it settled; dotted: where the climb went to the next level") if chart else None)
    if whole and cell.looks:
        out.add(Picture(cell.looks.flow, cell.looks.flow_words),
                Picture(cell.looks.grid, cell.looks.grid_words))


def _by_level(space, result):
    levels = result["levels"]
    rows = []
    for name, label, decimals in FAMILIES[space].quantities.by_level:
        trend = result["trends"].get(name)
        if trend is None or name not in result["coefficients"]:
            continue
        rows.append((label, *(fixed(level["coefficients"].get(name), decimals) for level in levels),
                     fixed(trend.get("extrapolated"),
                           decimals), fixed_error(trend["error"], decimals).replace(" ",
                                                                                    NARROW), trend["words"]))
    rows.append(("cells", *(f"{level['cells']:,}".replace(",", NARROW) for level in levels), "", "", ""))
    rows.append(
        ("steps", *(str(level["steps"]) for level in levels), "", "", f"{result['seconds']:.0f} s in all"))
    return Table(("", *(level["level"] for level in levels), "extrapolated", "error bar", "trend"),
                 tuple(rows),
                 len(levels) + 3, frozenset(range(1,
                                                  len(levels) + 3)))


def _all_runs(out, material):
    """Every run in a line."""
    names, places = _names(material.variants), _names(material.points)
    rows = []
    for cell in material.cells.values():
        r = cell.result
        state = "settled, wide bar" if r and is_doubtful(r) else cell.state
        words = r["verdict"]["words"] if r else cell.error
        rows.append((f"{names[cell.variant]} at {places[cell.point]}", state,
                     f"{r['cells']:,}".replace(",", NARROW) if r else "",
                     f"{r['seconds']:.0f} s" if r else "", words))
    if rows:
        out.add(Heading("All runs"),
                Table(("Run", "State", "Cells", "Time", "Verdict"), tuple(rows), 4, frozenset((2, 3))))


def _limits(out, material, cells):
    """What is to be said against the numbers: warnings of the runs, and what the preflight found unusual."""
    names, places = _names(material.variants), _names(material.points)
    said = {}
    for cell in cells:
        where = f"{names[cell.variant]} at {places[cell.point]}"
        found = list(cell.result["verdict"]["warnings"]) if cell.result else []
        found += [f.message for f in examine(cell.sheet)[1] if f.grade == "warn"]
        for words in dict.fromkeys(found):
            said.setdefault(words, []).append(where)
    out.add(Heading("Limits that apply"))
    if not said:
        out.add(
            Paragraph("Neither the preflight nor the verdicts warn of anything. Error bars hold what the "
                      "grid does; they do not hold what the flow model leaves out."))
        return
    everywhere = len(cells)
    out.add(
        Bullets(
            tuple(words + ("" if len(where) == everywhere else f" ({', '.join(where[:4])}"
                           f"{f' and {len(where) - 4} more' if len(where) > 4 else ''})")
                  for words, where in said.items())))
    out.add(
        Paragraph("Error bars hold what the grid does; they do not hold what the flow model leaves out.",
                  "pale"))


def _made_with(material):
    return Paragraph(f"Ventaris {material.version} on {material.machine}. The same sheet run with the same "
                     "version gives the same numbers.")


def _repeat(out, material):
    """All that is needed to run it again."""
    names, places = _names(material.variants), _names(material.points)
    out.add(Heading("To repeat it"), _made_with(material))
    total = sum(c.result["seconds"] for c in material.cells.values() if c.result)
    out.add(
        Paragraph(f"{len(material.cells)} runs, {total / 60:.1f} minutes of computing in all. The sheet of "
                  "one cell is below; the others differ from it by the inputs listed above. The campaign's "
                  "archive holds all of them."))
    first = next((c for c in material.cells.values() if c.variant == material.variants[0]["id"]), None)
    if first:
        out.add(Listing(first.text, f"Run sheet: {names[first.variant]} at {places[first.point]}"))
