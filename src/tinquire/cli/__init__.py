"""The command line: one module for each command. Alone in talking to the terminal."""

from tinquire.cli.main import main

__all__ = ["main"]
