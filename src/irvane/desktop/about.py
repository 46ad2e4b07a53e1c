"""What Irvane is made of, and under which licences."""

from __future__ import annotations

import email.message
import importlib.metadata
from importlib.resources import files
from typing import cast

from PySide6.QtWidgets import QDialog, QDialogButtonBox, QPlainTextEdit, QVBoxLayout, QWidget

from irvane import __version__

_OWN = (
    "Irvane {version}\n\n"
    "Free software under the GNU General Public License, version 3 or later. No warranty.\n\n"
    "Weights of the networks and filters: trained by the project's own scripts (folder training) on "
    "photographs that are "
    "free to use and on pictures it draws itself; under the licence of the program.\n"
    "Lens data: the lensfun database, Creative Commons Attribution-ShareAlike 3.0, through lensfunpy.\n"
    "Fonts: B612 and B612 Mono, SIL Open Font License 1.1 (below).\n"
    "Demo pictures: drawn by the program itself.\n\n"
    "Packages that it uses:\n"
)


def licence_of(name: str) -> str:
    """What a package says of its licence, in a word or two."""
    data = cast(email.message.Message, importlib.metadata.metadata(name))
    told = data.get("License-Expression") or ""
    classed = [
        one.rpartition("::")[2].strip() for one in data.get_all("Classifier") or [] if "License ::" in one
    ]
    short = (data.get("License") or "").strip().partition("\n")[0]
    return told or ", ".join(classed) or short[:80] or "see its own files"


def about_text() -> str:
    """Everything as plain text."""
    lines = []
    for wanted in importlib.metadata.requires("irvane") or []:
        if "extra ==" in wanted:
            continue
        name = next(
            part
            for part in wanted.replace("[", " ").replace("=", " ").replace(">", " ").replace("<", " ").split()
        )
        try:
            lines.append(f"  {name} {importlib.metadata.version(name)}: {licence_of(name)}")
        except importlib.metadata.PackageNotFoundError:
            continue
    font = files("irvane.desktop").joinpath("fonts", "OFL.txt").read_text("utf-8")
    return "\n".join(
        [_OWN.format(version=__version__).rstrip("\n"), *sorted(lines, key=str.casefold), "", font]
    )


class AboutDialog(QDialog):
    """The text, to be read and copied."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("About Irvane")
        self.resize(640, 480)
        text = QPlainTextEdit(about_text())
        text.setReadOnly(True)
        text.setAccessibleName("Version and licences")
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addWidget(text, 1)
        layout.addWidget(buttons)
