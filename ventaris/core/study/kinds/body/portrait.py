"""What bodies in space look like, and what tells them from their siblings."""
import functools
import json

from ....look.silhouette import side_view
from ....shapes.assembly import assemble
from ....shapes.coordinates import ShapeError
from ....sheet import read_section
from ..contract import Portrait
from ..forces import stream_words


@functools.lru_cache(maxsize=128)
def _side_view(text):
    try:
        return side_view(assemble(read_section("shape", json.loads(text), "body")).surface)
    except (ShapeError, ValueError):
        return None


def outline(shape):
    """The side view as a list of loops, or None when the body cannot be built."""
    return _side_view(json.dumps(shape, sort_keys=True))


def words(shape):
    """One line that tells a body from its siblings."""
    words = []
    for part in shape["parts"]:
        if part["used"] == "no":
            continue
        if part["kind"] == "surface":
            words.append(f"{part['name']} (imported)")
        elif part["kind"] == "wing":
            stations = [s for s in shape.get("stations", ()) if s["part"] in ("", part["name"])]
            if stations:
                rise = max(s["z"] for s in stations) - min(s["z"] for s in stations)
                words.append(f"{part['name']}: {len(stations)} sections, span {2 * stations[-1]['y']:.4g} m"
                             f"{f', {rise:.3g} m up' if rise > 0.02 * stations[-1]['y'] else ''}, "
                             f"{part['incidence']:g}°")
                continue
            more = "".join(f", {key} {part[key]:g}°" for key in ("sweep", "dihedral", "twist") if part[key])
            words.append(f"{part['name']}: span {part['span']:g} m, {part['incidence']:g}°{more}")
        else:
            words.append(f"{part['name']}: {part['length']:g} m long")
    for edit in shape["edits"]:
        words.append(
            f"{'stretched' if edit['kind'] == 'stretch' else 'tapered'} {edit['share']:+.3g} % from x = "
            f"{edit['start']:g} to {edit['end']:g} m")
    return ", ".join(words[:3] + ([f"{len(words) - 4} more parts"] if len(words) > 4 else words[3:3]) +
                     words[3:][-1:])


PORTRAIT = Portrait(outline, words, stream_words)
