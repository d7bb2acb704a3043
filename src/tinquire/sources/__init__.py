"""Sources: workbooks and delimited text into tables. Knows nothing of dockets."""

from tinquire.sources.databases.pushdown import RemoteGroups, RemoteRows
from tinquire.sources.load import gather
from tinquire.sources.spec import FileRead, SourceRead, SourceSpec

__all__ = ["FileRead", "RemoteGroups", "RemoteRows", "SourceRead", "SourceSpec", "gather"]
