"""The press: a run planned, made, recorded and sent. Knows the docket, not the terminal."""

from tinquire.press.run import Pack, make, publish
from tinquire.press.sending import outgoing, send

__all__ = ["Pack", "make", "outgoing", "publish", "send"]
