"""What a report is made of: blocks in their order, with no thought of the paper they come to stand on."""
from dataclasses import dataclass, field


@dataclass(frozen=True)
class Heading:
    """A heading of a level from 1 on."""

    text: str
    level: int = 1


@dataclass(frozen=True)
class Paragraph:
    """Running text; `tone` is "", "lead", "pale" or "note"."""

    text: str
    tone: str = ""


@dataclass(frozen=True)
class Bullets:
    """A list of lines."""

    items: tuple


@dataclass(frozen=True)
class Table:
    """A table of words and numbers.

    Attributes
    ----------
    head : tuple of str
    rows : tuple of tuple of str
    wide : int
        Column that takes the room that is left, -1 for none.
    numbers : frozenset of int
        Columns that are set to the right.
    caption : str
    """

    head: tuple
    rows: tuple
    wide: int = -1
    numbers: frozenset = frozenset()
    caption: str = ""


@dataclass(frozen=True)
class Picture:
    """A picture as PNG; `share` is its width over that of the page."""

    png: bytes
    caption: str
    share: float = 1.0


@dataclass(frozen=True)
class Side:
    """Pictures side by side."""

    pictures: tuple


@dataclass(frozen=True)
class Listing:
    """Text as it was typed, such as a run sheet."""

    text: str
    caption: str


@dataclass
class Document:
    """A report.

    Attributes
    ----------
    title, subtitle, date : str
    blocks : list
    """

    title: str
    subtitle: str
    date: str
    blocks: list = field(default_factory=list)

    def add(self, *blocks):
        """Append blocks; None is left out."""
        self.blocks += [b for b in blocks if b is not None]
