"""Buttons that look like words until the pointer is over them."""

from __future__ import annotations

from PySide6.QtWidgets import QPushButton


def flat_button(words: str, tip: str, checkable: bool = False) -> QPushButton:
    """A flat button with its help."""
    button = QPushButton(words)
    button.setProperty("flat", True)
    button.setCheckable(checkable)
    button.setToolTip(tip)
    button.setAccessibleDescription(tip)
    return button
