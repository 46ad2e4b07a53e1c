"""Buttons that look like words until the pointer is over them."""

from __future__ import annotations

from PySide6.QtWidgets import QPushButton, QWidget


def set_state(widget: QWidget, state: str) -> None:
    """How a widget is coloured: a rule of the style sheet by its property *state*. (A style sheet of its own
    would colour its hover text as well.)"""
    if (widget.property("state") or "") != state:
        widget.setProperty("state", state)
        widget.style().unpolish(widget)
        widget.style().polish(widget)


def flat_button(words: str, tip: str, checkable: bool = False) -> QPushButton:
    """A flat button with its help."""
    button = QPushButton(words)
    button.setProperty("flat", True)
    button.setCheckable(checkable)
    button.setToolTip(tip)
    button.setAccessibleDescription(tip)
    return button
