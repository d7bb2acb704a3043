"""Charts: one description, living in workbooks and drawn as pictures."""

from tinquire.charts.chart import Chart, Series

__all__ = ["Chart", "Series"]
