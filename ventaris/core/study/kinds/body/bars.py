"""Error bars of a body's numbers."""
import math

from ....grids.bodies import LADDER
from ...trend import change_of, hold_unrest, level_trends

# A level's number had come to rest when it last moved by less than this share.
AT_REST = 0.05
# The least error bar of the drag with wall layers: somewhat more of it than was seen to be false on wings.
LEAST_OF_DRAG = 0.125


def error_bars(setup, levels, moved, spread, has_shocks):
    """Trends over the levels whose forces, or their means, had come to rest, with what else is known of their
    errors.

    Parameters
    ----------
    setup : BodySetup
    levels : list of LevelResult
    moved : dict of str to float
        By how much means still moved on the last level.
    spread : float
        Half of what readings of the lost drag behind a wing differ by.
    has_shocks : bool
        Whether air moves beyond the speed of sound anywhere.

    Returns
    -------
    dict of str to Trend, set of str
        And the names of those whose bar is that of an error which like variants share.
    """
    found = level_trends(levels, lambda f, name: change_of(f, name) < AT_REST, spatial=True, ratio=LADDER)
    hold_unrest(found, moved, "Means over both halves of the latest steps")
    split, shared = setup.splits_drag and "drag_lost" in found, set()
    false = split and setup.sheet.flow.model == "inviscid" and not has_shocks
    for name in ("drag", "drag_pressure") if setup.is_layered or false else ():
        trend = found.get(name)
        if trend is None or trend.error is None:
            continue
        # Without friction or shocks what the air has lost is all false.
        least = abs(found["drag_lost"].values[-1]) if false else LEAST_OF_DRAG * abs(trend.values[-1])
        if trend.error < least:
            trend.error = least
            trend.words += (" Never less than what the air has lost to the cells." if false else
                            " Never less than an eighth, for the false drag that wall layers leave.")
            shared.add(name)
    for name in ("drag_lost", "drag_induced") if split else ():
        if found[name].error is not None:
            found[name].error = math.hypot(found[name].error, spread)
            found[name].words += (" Read in several places and two ways behind the wing it differs by "
                                  f"± {spread:.2g}.")
    return found, shared
