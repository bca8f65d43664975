"""Settings of one variant, one operating point or one cell that differ from those that a campaign shares.

They are kept as {place: {path: value}}, with places "variant 3", "point 5" and "cell 3 5", and paths
"grid.level". The more special one wins: a cell before its operating point, that before its variant.
"""
import copy

SCOPES = {
    "campaign": "every run", "variant": "this variant", "point": "this operating point", "cell":
    "this cell only"
}


def place_of(scope, variant, point):
    """The place that a scope means for a cell."""
    return {"variant": f"variant {variant}", "point": f"point {point}", "cell":
            f"cell {variant} {point}"}[scope]


def covering(exceptions, variant, point):
    """(scope, settings) of those that a cell has, the most general first."""
    found = ((scope, exceptions.get(place_of(scope, variant, point)))
             for scope in ("variant", "point", "cell"))
    return [(scope, settings) for scope, settings in found if settings]


def applied(setup, exceptions, variant, point):
    """The sections that a campaign shares, as they are in one cell."""
    if not exceptions:
        return setup
    out = copy.deepcopy(setup)
    for _, settings in covering(exceptions, variant, point):
        for path, value in settings.items():
            section, name = path.split(".")
            out.setdefault(section, {})[name] = copy.deepcopy(value)
    return out


def changed(setup, exceptions, variant, point, after, scope):
    """What a campaign keeps once a cell's shared sections have become others.

    Parameters
    ----------
    setup, exceptions : dict
        As they are kept.
    variant, point : int
    after : dict of dict
        The cell's sections as they shall be.
    scope : str
        Of `SCOPES`: whom a change is meant for. A change for every run goes into the exception that covers
        the cell where there is one: what is seen is what is changed.

    Returns
    -------
    setup, exceptions : dict
        New ones; an exception that says what holds without it is gone.
    """
    setup, exceptions = copy.deepcopy(setup), copy.deepcopy(exceptions)
    before = applied(setup, exceptions, variant, point)
    for section, fields in after.items():
        for name, value in fields.items():
            if value == before.get(section, {}).get(name):
                continue
            path, kept = f"{section}.{name}", covering(exceptions, variant, point)
            own = next((s for s, settings in reversed(kept) if path in settings), None)
            where = own if scope == "campaign" and own else scope
            if where == "campaign":
                setup.setdefault(section, {})[name] = value
            else:
                exceptions.setdefault(place_of(where, variant, point), {})[path] = value
    return setup, _needed(setup, exceptions)


def without(exceptions, variant, point, path):
    """Exceptions without those that cover a field of a cell."""
    places = {place_of(scope, variant, point) for scope, _ in covering(exceptions, variant, point)}
    left = {
        place: {p: v
                for p, v in settings.items() if place not in places or p != path}
        for place, settings in exceptions.items()
    }
    return {place: settings for place, settings in left.items() if settings}


def renamed(exceptions, variants, points):
    """Exceptions with other names for variants and points; those of neither are left out."""
    out = {}
    for place, settings in exceptions.items():
        scope, *ids = place.split()
        maps = {"variant": (variants, ), "point": (points, ), "cell": (variants, points)}.get(scope, ())
        if maps and len(ids) == len(maps) and all(i.isdigit() and int(i) in m for i, m in zip(ids, maps)):
            out[" ".join([scope, *(str(m[int(i)]) for i, m in zip(ids, maps))])] = settings
    return out


def _needed(setup, exceptions):
    """Without exceptions of variants and points that say what the campaign says; a cell's may stand against
    one of those."""
    out = {}
    for place, settings in exceptions.items():
        special = place.startswith("cell")
        kept = {}
        for path, value in settings.items():
            section, name = path.split(".")
            general = setup.get(section, {}).get(name)
            if special:
                _, variant, point = place.split()
                rest = {p: s for p, s in exceptions.items() if p != place}
                general = applied(setup, rest, variant, point).get(section, {}).get(name)
            if value != general:
                kept[path] = value
        if kept:
            out[place] = kept
    return out
