"""How cells look: looks that build on one another, the house style, border and width arithmetic. Knows no files."""

from tinquire.looks.appearance import PLAIN, Appearance, Edge, Edges, Variation
from tinquire.looks.house import BorderRule, House, Look

__all__ = ["PLAIN", "Appearance", "BorderRule", "Edge", "Edges", "House", "Look", "Variation"]
