"""The kinds of output, in the order in which they are made: each may attach or show what comes before it.

A new kind is one module that ends with its `OutputKind`, and one line here; its part of the docket is a model in
`tinquire.docket.schema`.
"""

from __future__ import annotations

from tinquire.press.outputs.letters import LETTERS
from tinquire.press.outputs.mails import MAILS
from tinquire.press.outputs.output import OutputKind
from tinquire.press.outputs.prints import PRINTS
from tinquire.press.outputs.workbooks import WORKBOOKS

__all__ = ["OUTPUTS"]

OUTPUTS: tuple[OutputKind, ...] = (WORKBOOKS, LETTERS, PRINTS, MAILS)
