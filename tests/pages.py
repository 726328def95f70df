"""What a page says, however its source is laid out."""

import re
from typing import Any


def said(page: Any) -> str:
    """A response's text, or markup, with every run of white space as one space."""
    text = page.content.decode() if hasattr(page, "content") else str(page)
    return re.sub(r"\s+", " ", text)
