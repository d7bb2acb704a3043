"""Sheets laid out for reading: as an HTML page for now, the seed of the page layout to come."""

from tinquire.pages.html import html_page

__all__ = ["html_page"]
