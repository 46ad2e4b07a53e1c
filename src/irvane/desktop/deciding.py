"""Deciding pair by pair: a strip under the panes asks which is better, blind if wished; then a tally, and one
winner."""

from __future__ import annotations

import time

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from irvane.core.judge.verdicts import ANSWERS, CRITERIA, Judgement, Pair, pairs_to_judge, tally
from irvane.desktop.bench.bench import FEWEST, Bench
from irvane.desktop.bench.panes import BESIDE
from irvane.desktop.session import Session


class DecideStrip(QWidget):
    """The question, the answers and how far it is; hidden while nothing is to be decided.

    Signals
    -------
    said(sentence), finished(judgements)
    """

    said = Signal(str)
    finished = Signal(object)

    def __init__(self, session: Session, bench: Bench, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.bench = session, bench
        self.pairs: list[Pair] = []
        self.place = 0
        self.judgements: list[Judgement] = []
        self.criterion = QComboBox()
        self.criterion.setAccessibleName("Criterion")
        self.criterion.setToolTip("What the two are judged by now.")
        self.criterion.addItems(CRITERIA)
        self.blind = QCheckBox("blind")
        self.blind.setToolTip("Hides what the panes are until you have answered.")
        self.blind.toggled.connect(self._show)
        self.words = QLabel()
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 3, 10, 3)
        row.addWidget(self.words)
        row.addWidget(QLabel("Better in"))
        row.addWidget(self.criterion)
        self.buttons: dict[str, QPushButton] = {}
        for number, answer in enumerate(ANSWERS, 1):
            button = QPushButton(answer)
            button.setToolTip(f"Ctrl+{number}")
            button.setShortcut(f"Ctrl+{number}")
            button.clicked.connect(lambda _checked=False, a=answer: self.answer(a))
            self.buttons[answer] = button
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(self.blind)
        back = QPushButton("Back")
        back.setToolTip("Takes the last answer back.")
        back.clicked.connect(self.back)
        leave = QPushButton("Tally")
        leave.setToolTip("Ends it here and shows how the proofs stand.")
        leave.clicked.connect(self.end)
        row.addWidget(back)
        row.addWidget(leave)
        self.hide()

    def begin(self, frames: list[int]) -> None:
        """Ask about all pairs of proofs of these frames."""
        proofs = {
            number: range(len(self.session.items[number].sidecar.proofs))
            for number in frames
            if len(self.session.items[number].sidecar.proofs) > 1
        }
        self.pairs = pairs_to_judge(proofs, int(time.time()))
        if not self.pairs:
            self.said.emit("There is nothing to decide: a frame needs at least two proofs (N makes another).")
            return
        self.place, self.judgements = 0, []
        while self.bench.count > FEWEST:
            self.bench.change_count(-1)
        self.bench.choose(0)
        self.bench.set_arrangement(BESIDE)
        self.show()
        self._show()

    def _show(self) -> None:
        """Put the pair in hand into the panes."""
        if self.isHidden() or self.place >= len(self.pairs):
            return
        pair = self.pairs[self.place]
        self.bench.hidden = self.blind.isChecked()
        for pane, proof in enumerate((pair.left, pair.right)):
            self.bench.show_item(pane, pair.frame, proof)
        self.words.setText(f"Pair {self.place + 1} of {len(self.pairs)}")
        self.bench.refresh()

    def answer(self, answer: str) -> None:
        """Note an answer and go on."""
        if self.isHidden():
            return
        pair = self.pairs[self.place]
        self.judgements.append(Judgement(pair, self.criterion.currentText(), answer))
        self.place += 1
        if self.place == len(self.pairs):
            self.end()
        else:
            self._show()

    def back(self) -> None:
        """Take the last answer back."""
        if self.judgements:
            self.judgements.pop()
            self.place -= 1
            self._show()

    def end(self) -> None:
        """Show the tally."""
        self.hide()
        self.bench.hidden = False
        self.bench.refresh()
        self.bench.chosen_changed.emit()
        self.finished.emit(self.judgements)


class TallyDialog(QDialog):
    """How the proofs stand; the winner can be kept and the others discarded.

    Signals
    -------
    kept(name, note) : the proof of this name wins on every frame that was judged.
    """

    kept = Signal(str, str)

    def __init__(self, judgements: list[Judgement], session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Tally")
        self.resize(560, 360)
        names = {
            (j.pair.frame, number): session.items[j.pair.frame].proof_name(number)
            for j in judgements
            for number in (j.pair.left, j.pair.right)
        }
        self.standings = tally(judgements, names)
        rows = [(criterion, one) for criterion, ones in self.standings.items() for one in ones]
        self.table = QTableWidget(len(rows), 6)
        self.table.setHorizontalHeaderLabels(["criterion", "proof", "points", "better", "equal", "worse"])
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        for place, (criterion, one) in enumerate(rows):
            cells = (
                criterion,
                one.name,
                f"{one.points:+d}".replace("-", "−"),
                one.better,
                one.equal,
                one.worse,
            )
            for column, cell in enumerate(cells):
                self.table.setItem(place, column, QTableWidgetItem(str(cell)))
        self.table.resizeColumnsToContents()
        self.winner = QComboBox()
        self.winner.setAccessibleName("Winner")
        first = next(iter(self.standings.values()), [])
        self.winner.addItems([one.name for one in first])
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        keep = buttons.addButton(
            "Keep the winner, discard the others …", QDialogButtonBox.ButtonRole.ActionRole
        )
        keep.setToolTip("On every frame that was judged, in one step that undo takes back. You can note why.")
        keep.clicked.connect(self._keep)
        keep.setEnabled(bool(first))
        buttons.rejected.connect(self.reject)
        row = QHBoxLayout()
        row.addWidget(QLabel("Winner"))
        row.addWidget(self.winner, 1)
        layout = QVBoxLayout(self)
        layout.addWidget(self.table, 1)
        layout.addLayout(row)
        layout.addWidget(buttons)

    def _keep(self) -> None:
        note, good = QInputDialog.getText(self, "Why this one?", "Note (it stays with the frame)")
        if good:
            self.kept.emit(self.winner.currentText(), note.strip())
            self.accept()
