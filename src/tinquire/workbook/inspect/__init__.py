"""What is in a workbook, why, and what looks wrong: summaries, traces, audits, comparisons, conformance."""
