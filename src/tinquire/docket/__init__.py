"""The docket: its schema, its loading, and messages that point at the line. Knows not how outputs are made."""

from tinquire.cells.periods import Period, parse_period
from tinquire.docket.job import Docket
from tinquire.docket.load import load_docket

__all__ = ["Docket", "Period", "load_docket", "parse_period"]
