"""Post: messages in standard form, and their delivery. Knows nothing of dockets."""

from tinquire.post.delivery import MailServer, deliver
from tinquire.post.message import Attachment, Mail, mail_bytes

__all__ = ["Attachment", "Mail", "MailServer", "deliver", "mail_bytes"]
