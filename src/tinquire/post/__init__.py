"""Post: messages in standard form, and their delivery. Knows nothing of dockets."""

from tinquire.post.delivery import MailServer, deliver
from tinquire.post.message import Attachment, Letter, built

__all__ = ["Attachment", "Letter", "MailServer", "built", "deliver"]
