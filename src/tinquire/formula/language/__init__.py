"""The text of formulas: tokens, tree, writing, and references that follow changes."""
