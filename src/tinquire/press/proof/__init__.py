"""The proof of a run: what was read, checked and made, beside the period before, to be looked at before it is sent."""
