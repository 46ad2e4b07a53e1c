"""The look: achromatic greys around the pictures, one accent (verdigris), the shipped font."""

from __future__ import annotations

from importlib.resources import files

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

ACCENT = QColor("#6cc4b0")
ACCENT_DEEP = QColor("#2e7d6d")
TEXT = QColor("#ececec")
MUTED = QColor("#c3c3c3")
PANEL = QColor("#474747")
WELL = QColor("#3a3a3a")
EDGE = QColor("#2e2e2e")
RAISED = QColor("#565656")
WARNING = QColor("#f0d9a8")

#: Greys that can surround the pictures, darkest first.
SURROUNDS = (QColor("#2a2a2a"), QColor("#5c5c5c"), QColor("#8a8a8a"))

_FONTS = ("B612-Regular.otf", "B612-Bold.otf", "B612Mono-Regular.otf")
FAMILY, MONO = "B612", "B612 Mono"

_SHEET = """
QWidget {{ color: {text}; font-family: "B612"; font-size: 12px; }}
QMainWindow, QDialog {{ background: {panel}; }}
QFrame#floating {{ background: {panel}; border: 1px solid {edge}; border-radius: 4px; }}
QToolTip {{ background: #f1f1ee; color: #222222; border: 1px solid {edge}; padding: 5px; }}
QPushButton {{ background: {raised}; border: 1px solid {edge}; border-radius: 3px; padding: 3px 10px; }}
QPushButton:hover {{ background: #626262; }}
QPushButton:pressed, QPushButton:checked {{ background: {accent_deep}; }}
QPushButton:disabled {{ color: #8d8d8d; }}
QPushButton:focus, QComboBox:focus, QLineEdit:focus {{ border: 1px solid {accent}; }}
QPushButton[flat="true"] {{ background: transparent; border: 1px solid transparent; padding: 1px 6px; }}
QPushButton[flat="true"]:hover {{ background: {raised}; }}
QPushButton[flat="true"]:checked {{ color: {accent}; }}
QPushButton[flat="true"]:focus {{ border: 1px solid {accent}; }}
QLineEdit {{ background: {well}; border: 1px solid {edge}; border-radius: 2px; padding: 1px 3px;
  selection-background-color: {accent_deep}; }}
QComboBox {{ background: {well}; border: 1px solid {edge}; border-radius: 2px; padding: 2px 6px; }}
QComboBox::drop-down {{ border: none; width: 16px; }}
QComboBox::down-arrow {{ image: url({arrow}); width: 10px; height: 10px; }}
QComboBox QAbstractItemView, QMenu {{ background: {well}; border: 1px solid {edge};
  selection-background-color: {accent_deep}; }}
QMenu::item {{ padding: 4px 22px 4px 14px; }}
QMenu::item:selected {{ background: {accent_deep}; }}
QMenu::item:disabled {{ color: #8d8d8d; background: transparent; }}
QMenu::separator {{ height: 1px; background: {raised}; margin: 3px 8px; }}
QMenuBar {{ background: {panel}; }}
QMenuBar::item {{ padding: 3px 9px; background: transparent; }}
QMenuBar::item:selected {{ background: {raised}; }}
QScrollBar:vertical {{ background: {panel}; width: 8px; }}
QScrollBar:horizontal {{ background: {panel}; height: 8px; }}
QScrollBar::handle {{ background: #707070; border-radius: 3px; min-height: 24px; min-width: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QProgressBar {{ background: {well}; border: 1px solid {edge}; border-radius: 2px; height: 8px; text-align:
center; }}
QProgressBar::chunk {{ background: {accent_deep}; }}
QTabWidget::pane {{ background: {panel}; border: none; border-top: 1px solid {edge}; }}
QTabWidget > QStackedWidget > QWidget {{ background: {panel}; }}
QTabBar::tab {{ background: transparent; padding: 5px 12px; border: none; color: {muted}; }}
QTabBar::tab:selected {{ color: {accent}; border-bottom: 2px solid {accent}; }}
QTabBar::tab:focus {{ color: {text}; }}
QHeaderView::section {{ background: {panel}; color: {muted}; border: none; border-bottom: 1px solid {edge};
  padding: 3px 4px; }}
QAbstractItemView::indicator, QCheckBox::indicator {{ width: 11px; height: 11px; border: 1px solid {muted};
background: {panel}; }}
QAbstractItemView::indicator:checked, QCheckBox::indicator:checked {{ background: {accent_deep}; image:
url({tick}); }}
QCheckBox::indicator:hover, QCheckBox::indicator:focus {{ border: 1px solid {accent}; }}
QCheckBox::indicator:disabled {{ border: 1px solid {raised}; }}
QLineEdit:disabled, QComboBox:disabled, QSpinBox:disabled, QCheckBox:disabled, QLabel:disabled {{ color:
#8d8d8d; }}
QLabel#muted {{ color: {muted}; }}
QLabel[state="differs"], QLabel[state="region"], QPushButton[state="differs"] {{ color: {accent}; }}
QLabel[state="region"] {{ text-decoration: underline; }}
QLabel[state="told"] {{ color: {text}; }}
QLabel#group {{ color: {muted}; font-size: 11px; }}
QLabel#warning {{ color: {warning}; }}
"""


def apply(app: QApplication) -> None:
    """Load the shipped fonts and set palette and style sheet."""
    folder = files("irvane.desktop").joinpath("fonts")
    for name in _FONTS:
        QFontDatabase.addApplicationFontFromData(folder.joinpath(name).read_bytes())
    font = QFont(FAMILY)
    font.setPixelSize(12)
    app.setStyle("Fusion")
    app.setFont(font)
    palette = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, PANEL),
        (QPalette.ColorRole.WindowText, TEXT),
        (QPalette.ColorRole.Base, WELL),
        (QPalette.ColorRole.AlternateBase, PANEL),
        (QPalette.ColorRole.Text, TEXT),
        (QPalette.ColorRole.Button, RAISED),
        (QPalette.ColorRole.ButtonText, TEXT),
        (QPalette.ColorRole.Highlight, ACCENT_DEEP),
        (QPalette.ColorRole.HighlightedText, TEXT),
        (QPalette.ColorRole.PlaceholderText, MUTED),
    ):
        palette.setColor(role, colour)
    app.setPalette(palette)
    names = {
        "text": TEXT, "panel": PANEL, "well": WELL, "edge": EDGE, "raised": RAISED, "accent": ACCENT,
        "accent_deep": ACCENT_DEEP, "muted": MUTED, "warning": WARNING,
    }  # fmt: skip
    icons = files("irvane.desktop").joinpath("icons")
    drawn = {name: str(icons.joinpath(f"{icon}.svg")) for name, icon in (("arrow", "open"), ("tick", "tick"))}
    app.setStyleSheet(_SHEET.format(**drawn, **{name: colour.name() for name, colour in names.items()}))


def font(size: int, bold: bool = False, mono: bool = False) -> QFont:
    """The shipped font at a size in pixels."""
    chosen = QFont(MONO if mono else FAMILY)
    chosen.setPixelSize(size)
    chosen.setBold(bold)
    return chosen
