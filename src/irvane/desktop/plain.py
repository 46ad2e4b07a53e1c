"""Names and sentences as plain text, wherever Qt would read more into them."""

from __future__ import annotations

import html

from PySide6.QtGui import Qt

from irvane.core.errors import plain_text


def tip(text: str) -> str:
    """A text for a tool tip: signs that look like markup are shown as they are."""
    return f"<qt>{html.escape(text).replace(chr(10), '<br>')}</qt>" if Qt.mightBeRichText(text) else text


def on_button(text: str, longest: int = 28) -> str:
    """A name for a button or a menu: cut to a sane length; an ampersand is one."""
    return plain_text(text, longest).replace("&", "&&")


def counted(count: int, noun: str, several: str = "") -> str:
    """``1 frame``, ``2 frames``: a number and its noun."""
    return f"{count} {noun if count == 1 else several or noun + 's'}"
