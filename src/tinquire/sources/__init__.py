"""Sources: workbooks and delimited text into tables. Knows nothing of dockets."""

from tinquire.sources.databases.pushdown import RemoteGroups, RemoteRows
from tinquire.sources.load import gather
from tinquire.sources.spec import FileRead, Gathered, SourceSpec

__all__ = ["FileRead", "Gathered", "RemoteGroups", "RemoteRows", "SourceSpec", "gather"]
