"""Slots, the markers of templates, names and mails: their syntax and filling. Knows not where they stand."""
