"""Section coordinates from text: reading, checking, putting in order.

Accepted: two columns separated by blanks, tabs, commas or semicolons, with or
without a title line; one loop in either direction, starting at the trailing or
the leading edge; or two blocks, each from the leading to the trailing edge; or
several closed loops, each an element of an arrangement, parted by empty lines or
by lines with their names.
"""
import math
import re

import numpy as np
import shapely

MOST_POINTS = 20_000
FEWEST_POINTS = 8
SPLIT = re.compile(r"[\s,;]+")


class ShapeError(ValueError):
    """The outline cannot be used; the message says what is wrong, where, and how to mend it."""


def read_coordinates(text):
    """Parse and check coordinates.

    Parameters
    ----------
    text : str or bytes

    Returns
    -------
    loop : ndarray, shape (n, 2)
        From the trailing edge over the upper side to the leading edge and back,
        in the file's own unit.
    title : str

    Raises
    ------
    ShapeError
    """
    blocks, titles = _number_blocks(_as_text(text))
    return order_loop(_join_blocks(blocks)), titles.get(0, "")


def read_outlines(text):
    """Parse and check one outline or several.

    Parameters
    ----------
    text : str or bytes

    Returns
    -------
    list of (loop, title)
        Loops as `read_coordinates` gives them, all in the file's own axes.

    Raises
    ------
    ShapeError
    """
    blocks, titles = _number_blocks(_as_text(text))
    if len(blocks) < 2 or not all(_is_closed(block) for block in blocks):
        return [(order_loop(_join_blocks(blocks)), titles.get(0, ""))]
    out = []
    for k, block in enumerate(blocks):
        try:
            out.append((order_loop(block), titles.get(k, "")))
        except ShapeError as error:
            raise ShapeError(f"Outline {k + 1} of {len(blocks)}: {error}") from None
    return out


def _is_closed(points):
    """Whether a block of points is a loop that ends where it begins."""
    return len(points) >= FEWEST_POINTS and np.linalg.norm(points[0] -
                                                           points[-1]) < 1e-6 * np.ptp(points, axis=0).max()


def read_pairs(text):
    """The number pairs of a two-column text in their order, as list of (x, y); raises ShapeError."""
    blocks, _ = _number_blocks(_as_text(text))
    return [tuple(float(v) for v in pair) for block in blocks for pair in block]


def _as_text(text):
    if isinstance(text, str):
        return text
    if b"\0" in text[:4096]:
        raise ShapeError(
            "The file is binary, not text. Give two columns of numbers, x and y, as plain text or CSV.")
    for encoding in ("utf-8-sig", "latin-1"):
        try:
            return text.decode(encoding)
        except UnicodeDecodeError:
            continue
    raise ShapeError("The file is not readable as text. Give two columns of numbers, x and y.")


def _number_blocks(text):
    """Blocks of pairs, and {number of a block: the line of text before it}; text between blocks is taken
    where all before it are closed loops."""
    blocks, current, titles, numbers_seen = [], [], {}, False
    for line_number, line in enumerate(text.splitlines(), start=1):
        stripped = line.strip()
        if not stripped or stripped[0] in "#%!":
            if current:
                blocks.append(current)
                current = []
            continue
        fields = [f for f in SPLIT.split(stripped) if f]
        try:
            values = [float(f) for f in fields]
        except ValueError:
            before = [*blocks, current] if current else blocks
            if numbers_seen and all(_is_closed(np.array(b)) for b in before):
                blocks, current = list(before), []
            elif numbers_seen:
                raise ShapeError(
                    f"Line {line_number} holds “{stripped[:40]}”, not two numbers. Remove that line "
                    "or write x and y there.") from None
            titles.setdefault(len(blocks), stripped[:80])
            continue
        if len(values) < 2:
            raise ShapeError(f"Line {line_number} holds {len(values)} number, two are needed: x and y.")
        x, y = values[:2]
        if not (math.isfinite(x) and math.isfinite(y)):
            raise ShapeError(
                f"Line {line_number} holds “{stripped[:40]}”: a coordinate is not a finite number. "
                "Remove or mend that line.")
        numbers_seen = True
        current.append((x, y))
        if sum(map(len, blocks)) + len(current) > MOST_POINTS:
            raise ShapeError(
                f"More than {MOST_POINTS} points. A section needs a few hundred: thin the file out, "
                "keeping points close together near the leading and trailing edges.")
    if current:
        blocks.append(current)
    if not blocks:
        raise ShapeError("No numbers found. Give two columns, x and y, one point a line.")
    return [np.array(b) for b in blocks], titles


def _join_blocks(blocks):
    if len(blocks) > 1 and len(blocks[0]) == 1:
        # Some two-block files begin with the number of points on each side.
        counts = blocks[0][0]
        if np.all(counts == np.round(counts)) and counts.min() >= 3 and counts.sum() == sum(
                map(len, blocks[1:])):
            blocks = blocks[1:]
    if len(blocks) == 1:
        return blocks[0]
    if len(blocks) == 2 and min(map(len, blocks)) >= 3:
        first, second = blocks
        first = first if first[0, 0] < first[-1, 0] else first[::-1]
        second = second if second[0, 0] < second[-1, 0] else second[::-1]
        scale = np.ptp(np.concatenate(blocks)[:, 0])
        skip = 1 if np.linalg.norm(first[0] - second[0]) < 1e-6 * scale else 0
        return np.concatenate([first[::-1], second[skip:]])
    if any(len(b) < 3 for b in blocks) or len(blocks) > 2:
        return np.concatenate(blocks)
    return np.concatenate(blocks)


def order_loop(points):
    """Check a loop of points and bring it into the standard order.

    Parameters
    ----------
    points : array_like, shape (n, 2)

    Returns
    -------
    ndarray, shape (m, 2), see `read_coordinates`
    """
    points = np.asarray(points, dtype=float)
    if points.ndim != 2 or points.shape[1] != 2 or not np.isfinite(points).all():
        raise ShapeError("Coordinates must be pairs of finite numbers.")
    if len(points) > MOST_POINTS:
        raise ShapeError(f"{len(points)} points; {MOST_POINTS} are the most. Thin the outline out.")
    size = np.ptp(points, axis=0)
    scale = size.max()
    if scale <= 0:
        raise ShapeError("All points are the same.")
    step = np.linalg.norm(np.diff(points, axis=0), axis=1)
    points = points[np.concatenate([[True], step > 1e-9 * scale])]
    if len(points) < FEWEST_POINTS:
        raise ShapeError(f"Only {len(points)} different points; a section needs at least {FEWEST_POINTS}, "
                         "and 60 or more to be smooth.")
    closed = np.linalg.norm(points[0] - points[-1]) < 1e-6 * scale
    loop = points[:-1] if closed else points
    if not closed and _only_the_last_step_is_missing(points):
        closed = True
    _refuse_doubled(loop, scale)
    _refuse_crossing(loop)
    if not closed:
        gap = np.linalg.norm(points[0] - points[-1])
        at_tail = min(points[0, 0], points[-1, 0]) > points[:, 0].max() - 0.15 * size[0]
        if gap > 0.25 * scale or not at_tail:
            raise ShapeError(
                f"The outline is open: it starts at ({points[0, 0]:.4g}, {points[0, 1]:.4g}) and ends at "
                f"({points[-1, 0]:.4g}, {points[-1, 1]:.4g}). Both ends must meet, or stand at the "
                "trailing edge with a gap of less than a quarter of the chord.")
    area = 0.5 * np.sum(loop[:, 0] * np.roll(loop[:, 1], -1) - np.roll(loop[:, 0], -1) * loop[:, 1])
    if abs(area) < 1e-5 * scale**2:
        raise ShapeError("The outline encloses no area: both sides lie on each other.")
    if area < 0:
        loop = loop[::-1]
    return _start_at_trailing_edge(loop, closed)


def _only_the_last_step_is_missing(points):
    """Whether a list that begins away from the trailing edge merely does not repeat its first point."""
    step = np.linalg.norm(np.diff(points, axis=0), axis=1)
    gap = np.linalg.norm(points[0] - points[-1])
    size = np.ptp(points[:, 0])
    away = max(points[0, 0], points[-1, 0]) < points[:, 0].max() - 0.02 * size
    return away and gap < 3 * max(step[0], step[-1])


def _refuse_doubled(loop, scale):
    rounded = np.round(loop / (1e-9 * scale)).astype(np.int64)
    _, first, count = np.unique(rounded, axis=0, return_index=True, return_counts=True)
    if np.any(count > 1):
        x, y = loop[first[np.argmax(count)]]
        raise ShapeError(
            f"{int(np.sum(count > 1))} points stand in the outline twice, the first at ({x:.5g}, {y:.5g}). "
            "The outline passes the same place two times: remove the repeated stretch.")


def _refuse_crossing(loop):
    ring = shapely.Polygon(loop)
    if ring.is_valid:
        return
    reason = shapely.is_valid_reason(ring)
    where = re.search(r"\[([-+.eE\d]+) ([-+.eE\d]+)\]", reason)
    place = f" near x = {float(where[1]):.4g}, y = {float(where[2]):.4g}" if where else ""
    raise ShapeError(
        f"The outline crosses itself{place}. Points may be in the wrong order there: list them one "
        "after another around the section.")


def _start_at_trailing_edge(loop, closed):
    """Rotate a counter-clockwise loop so that it starts at the upper trailing edge."""
    if not closed:
        # The gap lies between the last and the first point.
        start = 0 if loop[0, 1] >= loop[-1, 1] else None
        return loop if start == 0 or loop[0, 0] > loop[:, 0].mean() else loop[::-1]
    turn = turning_angles(loop)
    length = np.ptp(loop[:, 0])
    rear = np.nonzero(loop[:, 0] > loop[:, 0].max() - 0.05 * length)[0]
    sharp = rear[np.degrees(turn[rear]) > 50]
    if len(sharp) >= 2 and np.degrees(turn[sharp]).max() < 130:
        # A blunt base drawn with its closing side: two corners, upper one first.
        top = sharp[np.argmax(loop[sharp, 1])]
        base = np.roll(loop, -top, axis=0)
        low = sharp[np.argmin(loop[sharp, 1])]
        keep = (low - top) % len(loop)
        if keep > len(loop) // 2:
            return base[:keep + 1]
    start = rear[np.argmax(turn[rear])] if len(sharp) else int(np.argmax(loop[:, 0]))
    rolled = np.roll(loop, -start, axis=0)
    return np.concatenate([rolled, rolled[:1]])


def turning_angles(loop):
    """Angle by which a closed loop turns at each point, radians, shape (n,)."""
    ahead = np.roll(loop, -1, axis=0) - loop
    behind = loop - np.roll(loop, 1, axis=0)
    cross = behind[:, 0] * ahead[:, 1] - behind[:, 1] * ahead[:, 0]
    return np.arctan2(cross, (ahead * behind).sum(axis=1))
