"""A tree evaluated for all of its cells at once: operands, operators, references, order, recurrences."""
