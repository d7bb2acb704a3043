"""Delimited text (RFC 4180 and its common variants): encoding, separator and decimal mark found and stated."""
