"""Sources: workbooks and delimited text into tables. Knows nothing of dockets."""

from tinquire.sources.gathering import Gathered, SourceSpec, gather

__all__ = ["Gathered", "SourceSpec", "gather"]
