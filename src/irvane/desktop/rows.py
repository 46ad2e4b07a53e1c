"""Rows of controls under the bench."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget


def two_rows(strip: QWidget) -> tuple[QHBoxLayout, QHBoxLayout]:
    """Lay a strip out in two rows."""
    rows = QVBoxLayout(strip)
    rows.setContentsMargins(8, 4, 8, 4)
    rows.setSpacing(4)
    first, second = QHBoxLayout(), QHBoxLayout()
    for row in (first, second):
        row.setSpacing(6)
        rows.addLayout(row)
    return first, second
