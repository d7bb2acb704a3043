"""Sheets laid out for reading: as an HTML page for now, the seed of the page layout to come."""

from tinquire.pages.comparison import comparison_page
from tinquire.pages.html import html_page

__all__ = ["comparison_page", "html_page"]
