"""Checks: conditions that must hold before a pack goes out, as formulas or ready-made."""
