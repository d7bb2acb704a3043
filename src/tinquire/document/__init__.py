"""Letters: word-processing documents (ECMA-376 Part 1, WordprocessingML) read, filled, written."""

from tinquire.document.letter import Letter

__all__ = ["Letter"]
