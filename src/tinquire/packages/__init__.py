"""Packages of parts (ECMA-376 Part 2): the zip container, relations, content types, XML. Knows not what parts mean."""
