"""Pieces of a letter that stay whole on a page: lines of paragraphs, rows of tables. Each is laid out by itself, from
its upper left corner downwards, and put wherever there is room."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

from tinquire.pages.primitives import (
    Areas,
    Bookmark,
    Box,
    Chart,
    Gradient,
    Item,
    Lines,
    Link,
    Pattern,
    Picture,
    Role,
    Spot,
    Text,
    Window,
)  # fmt: skip

__all__ = ["Float", "Strip", "moved", "without_roles"]


@dataclass
class Strip:
    """A piece of a page: its height, what is drawn of it (heights count upwards from its upper left corner, so that all
    lies below 0), and how it holds together with others."""

    height: float
    items: list[Item] = field(default_factory=list)
    #: Stays on the page of the strip after it.
    keeps: bool = False
    #: Begins a page.
    begins: bool = False
    #: Room that is left out at the beginning of a page.
    gap: float = 0.0
    #: Rows that are put above it where it begins a page.
    heads: list[Strip] = field(default_factory=list)
    #: The title and level of a bookmark there.
    mark: tuple[str, int] | None = None
    #: Names that links within the letter lead to.
    anchors: list[str] = field(default_factory=list)
    #: Footnotes that stand at the foot of its page.
    notes: list[Strip] = field(default_factory=list)
    #: Drawings that stand at a place of their own on its page.
    floats: list[Float] = field(default_factory=list)
    #: What of it fits into a height, and the rest; None where nothing does.
    cut: Callable[[float], tuple[Strip, Strip] | None] | None = None
    #: Whether it is cut only where no page holds it whole.
    holds: bool = False


@dataclass(frozen=True)
class Float:
    """A drawing at a place of its own (20.4.2.10, 20.4.2.11): its size, its items from its lower left corner, and for
    across and down what it is placed by, and by how many points or how it is aligned."""

    width: float
    height: float
    items: tuple[Item, ...]
    across: tuple[str, float | str]
    down: tuple[str, float | str]


def moved(item: Item, dx: float, dy: float) -> Item:
    """An item elsewhere."""

    def there(box: Box) -> Box:
        return Box(box.x + dx, box.y + dy, box.width, box.height)

    match item:
        case Text():
            clip = None if item.clip is None else there(item.clip)
            return item._replace(x=item.x + dx, y=item.y + dy, clip=clip)
        case Areas():
            return Areas(item.colour, [there(box) for box in item.boxes])
        case Lines():
            return Lines(item.pen, [(a + dx, b + dy, c + dx, d + dy) for a, b, c, d in item.ends])
        case Picture() | Chart() | Link() | Pattern() | Gradient():
            return replace(item, box=there(item.box))
        case Window():
            x, y = item.origin
            return replace(item, clip=there(item.clip), origin=(x + dx, y + dy))
        case Bookmark():
            return replace(item, y=item.y + dy)
        case Spot():
            return item._replace(moves=(*item.moves, (dx, dy)))
        case _:
            return item


def without_roles(items: Sequence[Item]) -> list[Item]:
    """Items that are all of the role that is said before them."""
    return [item for item in items if not isinstance(item, Role)]
