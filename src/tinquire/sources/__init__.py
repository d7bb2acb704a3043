"""Sources: workbooks and delimited text into tables. Knows nothing of dockets."""

from tinquire.sources.gathering import gather
from tinquire.sources.spec import FileRead, Gathered, SourceSpec
from tinquire.sources.staying import StayingGroups, StayingRows

__all__ = ["FileRead", "Gathered", "SourceSpec", "StayingGroups", "StayingRows", "gather"]
