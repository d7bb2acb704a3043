"""One module for each command, with `EXAMPLE`, `add_arguments` and `run`."""
