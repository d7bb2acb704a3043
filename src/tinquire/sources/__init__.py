"""Sources: workbooks and delimited text into tables. Knows nothing of dockets."""

from tinquire.sources.databases.pushdown import StayingGroups, StayingRows
from tinquire.sources.load import gather
from tinquire.sources.spec import FileRead, Gathered, SourceSpec

__all__ = ["FileRead", "Gathered", "SourceSpec", "StayingGroups", "StayingRows", "gather"]
