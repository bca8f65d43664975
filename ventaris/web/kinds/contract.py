"""What the pages need to know of a kind of campaign."""
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import NamedTuple


class RowList(NamedTuple):
    """A part of a section that comes in any number; the form shows it always or under a condition (as a
    field's `seen`, or in the words of a page)."""

    field: str
    heading: str
    noun: str
    hint: str
    condition: object = ""


@dataclass(frozen=True)
class Shown:
    """Numbers, words and curves of one family of campaigns.

    Attributes
    ----------
    rows : dict of str to tuple of RowList
        Of each section what comes in any number.
    histories, lines : dict
        Curves over the steps and along the shape: {key: label}.
    lines_heading, station : str
        What the curves along the shape are called, and what stands under them.
    first_line : str
        The curve that is shown where none is asked for.
    aim : tuple of (formula, "largest" or "smallest")
        What a search is usually after.
    axes : dict
        What a map is drawn over: {key: (label, factor)}.
    swept : dict
        What can be swept: {field of the air section: (label, unit)}.
    map_title : str
    files : tuple of str
        Files of a run beside its result, sheet and history.
    partial : str
        Template of the result beneath the table by level.
    point_air : callable
        point_air(form) gives what a form for a new operating point says of the air section.
    searched : tuple of str
        Quantities beyond the channels that a search may ask for.
    headings : dict
        Of sections that are called otherwise than usual.
    """

    rows: dict
    histories: dict
    lines: dict
    lines_heading: str
    first_line: str
    aim: tuple
    axes: dict
    swept: dict
    map_title: str
    files: tuple
    partial: str
    point_air: Callable
    station: str = "x in m"
    searched: tuple = ()
    headings: dict = field(default_factory=dict)
