"""Rows of controls under the bench, and of lists."""

from __future__ import annotations

from typing import TypeAlias

from PySide6.QtCore import QModelIndex, QPersistentModelIndex
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

#: A place in a list, and none.
Index: TypeAlias = QModelIndex | QPersistentModelIndex
NOWHERE = QModelIndex()


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
