"""From what was done by hand once, in two states of a workbook, to amendments that do it elsewhere."""
