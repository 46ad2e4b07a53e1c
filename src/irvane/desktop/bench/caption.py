"""The strip under a pane: what it is, how it differs, how it lies."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QMouseEvent, QResizeEvent
from PySide6.QtWidgets import (
    QApplication,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QWidget,
)

from irvane.core.files.info import exposure_text
from irvane.core.judge.alignment import Between
from irvane.core.settings import Settings, bare, copied_settings, differences, full_label, value_text
from irvane.desktop.bench.card import Card
from irvane.desktop.bench.content import Content
from irvane.desktop.bench.elided import BETWEEN, Elided
from irvane.desktop.item import BARE, Item
from irvane.desktop.plain import on_button, tip
from irvane.desktop.view_request import Owner

#: Room that a shortened name keeps, in pixels.
_LEAST_NAME = 64
_SHOWN_DIFFERENCES = 3
#: Share of the frame from which on it counts as seen as a whole.
_WHOLE = 0.9995
_SAME = "same settings"
#: What tells most about a picture is named first.
_TELLING = ("light", "colour", "acutance", "noise", "lens", "sensor")


def difference_text(own: Settings, other: Settings, shown: int = _SHOWN_DIFFERENCES) -> str:
    """How a proof differs from its neighbour: ``Exposure +1.70 EV, Shadows +2.0 EV and 2 more``; `shown`: how
    many settings are named."""
    found = [p for p in differences(own, other) if not p.startswith("finish.")]
    paths = sorted(found, key=lambda p: _TELLING.index(p.partition(".")[0]))
    acting, others = ([one for one in settings.regions if one.acts] for settings in (own, other))
    if not paths and acting == others:
        return _SAME
    parts = [f"{full_label(p)} {value_text(p, own.get(p))}" for p in paths[:shown]]
    more = len(paths) - len(parts)
    if acting != others:  # a region without changes is none yet
        count = len(acting)
        parts.append("no regions" if not count else f"{count} region{'' if count == 1 else 's'}")
    if not parts:
        return f"{more} setting{'' if more == 1 else 's'}"
    return ", ".join(parts) + (f" and {more} more" if more else "")


class Caption(QWidget):
    """What a pane is and how it differs; and beneath, in grey, exposure, alignment, what was made equal.

    Signals
    -------
    proof_menu : the proof's name was clicked. dragged(place) : the caption was dragged to a place on the
        screen.
    pressed : the mouse was pressed on it. menu_wanted(place) : the right button.
    """

    proof_menu = Signal()
    dragged = Signal(QPoint)
    pressed = Signal()
    menu_wanted = Signal(QPoint)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Caption of the pane")
        self._mark = QLabel()
        self._held: QPoint | None = None
        #: What its texts are of: the item, and the owner of its figures.
        self.of: tuple[Item | None, Owner | None] = (None, None)
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self._name = Elided(ends=True)
        bold = self._name.font()
        bold.setBold(True)
        self._name.setFont(bold)
        self.proof = QPushButton()
        self.proof.setProperty("flat", True)
        self.proof.setToolTip("The proof shown in this pane. Click to choose another, or to add one.")
        self.proof.setAccessibleName("Proof")
        self.proof.setCursor(Qt.CursorShape.PointingHandCursor)
        self.proof.clicked.connect(self.proof_menu)
        self._difference = QLabel()
        self._difference.setTextFormat(Qt.TextFormat.PlainText)
        self._difference.setMinimumWidth(0)
        self._difference.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        #: From the most words on the differences to the fewest.
        self._forms: list[str] = [""]
        self._more = Elided("muted")
        top = self._top = QHBoxLayout()
        top.setSpacing(6)
        top.addWidget(self._mark)
        top.addWidget(self._name, 1)
        top.addWidget(self.proof)
        top.addWidget(self._difference)
        layout = self._layout = QGridLayout(self)
        layout.setContentsMargins(10, 3, 10, 3)
        layout.setVerticalSpacing(1)
        layout.addLayout(top, 0, 0)
        layout.addWidget(self._more, 1, 0)
        self._exposure, self._lies = "", ""
        self.card: Card | None = None

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self._held = event.position().toPoint()
            self.pressed.emit()
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        held, self._held = self._held, None
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        far = QApplication.startDragDistance()
        place = event.position().toPoint()
        if held is not None and (place - held).manhattanLength() >= far:
            self.dragged.emit(event.globalPosition().toPoint())
        elif held is not None and self._more.geometry().contains(place):
            self.show_card()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:  # noqa: N802
        self.menu_wanted.emit(event.globalPos())

    def show_card(self) -> None:
        """All of it, on a card."""
        if self.of[0] is None:
            return
        name, exposure, difference, lies = self.full_texts()
        paragraphs = [text for text in (exposure, difference, *lies.split(BETWEEN)) if text]
        self.card = Card(f"{self._mark.text()} {name}", paragraphs, self.window())
        self.card.show_at(self.mapToGlobal(QPoint(0, 0)))

    def set_low(self, on: bool) -> None:
        """With less height, in a low window: how it lies is told on the card alone."""
        self._more.setVisible(not on)
        self._layout.setContentsMargins(10, 0 if on else 3, 10, 0 if on else 3)

    def show_content(
        self,
        letter: str,
        content: Content,
        item: Item | None,
        other: Settings | None,
        bare_beside: bool = False,
        hidden: bool = False,
        narrow: bool = False,
        beside: str = "",
    ) -> None:
        """Show what a pane is; `other` are the settings of the pane that it is held against; `beside` its
        letter. `bare_beside`: that is a bare frame, or of another kind: an untouched proof is taken instead.

        `hidden`: say nothing but the letter (a blind judgement). `narrow`: no room for exposure data.
        """
        self.of = item, content.whole_of or (content.probe_of or (None,))[0]
        self._mark.setText(letter if item is not None else "")
        if item is None or hidden:
            self.proof.hide()
            self._name.set_full("hidden until you have decided" if item is not None else "")
            self._tell([""], "", "", narrow)
            return
        self._name.set_full(item.source.name)
        self.proof.show()
        self.proof.setText(f"{on_button(item.proof_name(content.proof))} ▾")
        kind = "merge" if item.is_merge else item.path.suffix.lstrip(".").upper()
        own = item.settings(content.proof)
        if content.without:
            own = copied_settings(bare(), own, (content.without,))
        forms = [""]
        if content.without:
            forms = [f"without the station {content.without.capitalize()}"]
        elif content.proof == BARE and other is not None:
            forms = ["no automatic, no settings"]
        elif bare_beside and not content.finished:
            told = [difference_text(own, Settings(), count) for count in range(_SHOWN_DIFFERENCES, -1, -1)]
            forms = [text.replace(_SAME, "untouched: automatic only") for text in told]
        elif content.finished and own == Settings():
            forms = ["as it was written"]
        elif other is not None:
            told = [difference_text(own, other, count) for count in range(_SHOWN_DIFFERENCES, -1, -1)]
            forms = [text.replace(_SAME, f"{_SAME} as {beside}") if beside else text for text in told]
        self._tell(forms, f"{kind} · {exposure_text(item.info)}", lying_words(content), narrow)

    def _tell(self, forms: list[str], exposure: str, lies: str, narrow: bool) -> None:
        self._forms, self._exposure, self._lies = forms, exposure, lies
        parts = [lies] if narrow else [lies, exposure]
        self._more.set_full(BETWEEN.join(part for part in parts if part))
        self._difference.setToolTip(tip(forms[0]))
        self._fit()

    def _fit(self) -> None:
        """As many differences as there is room for: the name is shortened first, they are never cut."""
        metrics, spacing = self._difference.fontMetrics(), self._top.spacing()
        taken = sum(w.sizeHint().width() + spacing for w in (self._mark, self.proof) if not w.isHidden())
        room = self.width() - 20 - taken - spacing - _LEAST_NAME
        fits = [text for text in self._forms if metrics.horizontalAdvance(text) <= room]
        self._difference.setText(fits[0] if fits else self._forms[-1])

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        super().resizeEvent(event)
        self._fit()

    def full_texts(self) -> list[str]:
        """All it says in full: name, exposure, differences, how it lies."""
        return [self._name.text_in_full(), self._exposure, self._forms[0], self._lies]


def lying_words(content: Content) -> str:
    """How a pane's picture lies and what was made equal: notes, alignment, field of view, matching."""
    parts = [note.rstrip(".") for note in content.notes]
    of_frames = not isinstance(content.mapping, Between) or content.mapping.frames is not None
    if content.mapping is not None and of_frames:
        m = content.mapping
        off = "" if m.residual is None else f", residual {m.residual:.1f} px"
        told = f"aligned: {m.rotation:+.2f}°, ×{m.scale:.3f}, field {m.common * 100:.0f} %{off}"
        parts.append(told.replace("-", "−"))
    if content.kept < _WHOLE:
        parts.append(f"field of view {content.kept * 100:.1f} %")
    if content.match.words():
        parts.append(content.match.words())
    return BETWEEN.join(parts)
