"""The strip under a pane: what it is, how it differs, its measured figures."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import (
    QApplication,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QWidget,
)

from irvane.core.files.info import exposure_text
from irvane.core.judge.alignment import Between
from irvane.core.judge.gradient import GradientFigures
from irvane.core.judge.inside import RegionFigures
from irvane.core.judge.scene_place import ScenePlace, scene_place
from irvane.core.noise.dynamic_range import CONDITIONS
from irvane.core.settings import Settings, bare, copied_settings, differences, full_label, value_text
from irvane.desktop.bench.content import Content
from irvane.desktop.bench.elided import Elided
from irvane.desktop.item import BARE, Item
from irvane.desktop.plain import on_button, tip
from irvane.desktop.view_request import Owner

_SHOWN_DIFFERENCES = 3
#: Share of the frame from which on it counts as seen as a whole.
_WHOLE = 0.9995
_SAME = "same settings as its neighbour"
#: What tells most about a picture is named first.
_TELLING = ("light", "colour", "acutance", "noise", "lens", "sensor")

#: What the figures are, for the tool tip.
FIGURES_HELP = (
    "Read at full resolution after all stations, in scene-linear light, 1 = white. At the small square, "
    "where the "
    "scene is even (decided on the cleanest pane, for all): signal-to-noise ratio, σ of luminance and colour "
    "noise; brightness in stops around mid-grey. Around it: MTF50 of a slanted edge (ISO 12233), or how far "
    "edges are blurred (σ, pixels), or the steps of a gradient (encoded, of white), or the texture kept of "
    "pane A's, or what the noise looks like. Of the whole frame: share of pixels clipped on the sensor, and "
    "at "
    "white in the finished picture; in the shadows (3 to 7 stops below mid-grey) red and blue over green; "
    "dynamic range: stops of the sensor between clipping and the condition beside it, which the preferences "
    "choose."
)


def difference_text(own: Settings, other: Settings) -> str:
    """How a proof differs from its neighbour: ``Exposure +1.70 EV, Shadows +2.0 EV and 2 more``."""
    found = [p for p in differences(own, other) if not p.startswith("finish.")]
    paths = sorted(found, key=lambda p: _TELLING.index(p.partition(".")[0]))
    acting, others = ([one for one in settings.regions if one.acts] for settings in (own, other))
    if not paths and acting == others:
        return _SAME
    parts = [f"{full_label(p)} {value_text(p, own.get(p))}" for p in paths[:_SHOWN_DIFFERENCES]]
    more = len(paths) - len(parts)
    if acting != others:  # a region without changes is none yet
        count = len(acting)
        parts.append("no regions" if not count else f"{count} region{'' if count == 1 else 's'}")
    return ", ".join(parts) + (f" and {more} more" if more else "")


def share_text(share: float) -> str:
    """A share in per cent, precise where it is small."""
    if share == 0:
        return "none"
    return f"{share * 100:.2f} %" if share >= 0.0001 else "< 0.01 %"


def gradient_text(found: GradientFigures) -> str:
    """``gradient: 3 steps, largest 0.6 %``"""
    if found.steps == 0:
        return f"gradient without steps, even to {found.evenness * 100:.2f} %"
    steps = "1 step" if found.steps == 1 else f"{found.steps} steps, largest"
    return f"gradient: {steps} {found.largest * 100:.1f} %"


def figures_text(content: Content, scene: ScenePlace | None = None) -> str:
    """The measured figures in one line; `scene`: what the place supports, by all panes together."""
    parts = []
    if content.probe is not None:
        place, p = content.probe, content.probe.probe
        if isinstance(place, RegionFigures):
            parts.append(f"inside “{place.name}”")
        scene = scene or scene_place([place])
        if scene is None or not scene.even:
            parts.append("no light" if scene is None else scene.words)
        else:
            parts.append("SNR –" if p.snr_db is None else f"SNR {p.snr_db:.1f} dB")
            parts.append(f"σ {p.sigma_luminance * 100:.2f} %, colour {p.sigma_colour * 100:.2f} %")
            if content.offset:
                parts.append(f"σ {p.sigma_luminance * 2**content.offset * 100:.2f} % at equal brightness")
        if p.level_ev is not None:
            parts.append(f"{p.level_ev:+.1f} EV")
        if place.mtf50 is not None and scene is not None and scene.edge:
            over = (
                f", overshoot {place.overshoot * 100:.0f} %"
                if place.overshoot and place.overshoot > 0.02
                else ""
            )
            parts.append(f"MTF50 {place.mtf50:.2f} c/px{over}")
        elif place.blur is not None:
            parts.append(f"edges {place.blur:.1f} px")
            if place.kept is not None:
                parts.append(f"texture {place.kept * 100:.0f} %")
        elif place.gradient is not None:
            parts.append(gradient_text(place.gradient))
        elif place.kept is not None:
            parts.append(f"texture {place.kept * 100:.0f} %")
        elif place.grain and scene is not None and scene.even:
            parts.append(place.grain)
    if content.whole is not None:
        parts.append(f"clipped {share_text(content.whole.sensor_clipped)}")
        parts.append(f"at white {share_text(content.whole.white)}")
        if content.whole.cast is not None:
            red, blue = content.whole.cast
            parts.append(f"shadows R {red:+.2f} B {blue:+.2f} EV")
    if content.range is not None:
        told = CONDITIONS[content.range_under].words
        parts.append(f"dynamic range {content.range:.1f} EV ({told})")
    return " · ".join(parts).replace("-", "−") if parts else "measuring …"


class Caption(QWidget):
    """Name and proof; exposure data and differences; two lines of figures.

    Signals
    -------
    proof_menu : the proof's name was clicked. dragged(place) : the caption was dragged to a place on the
        screen.
    pressed : the mouse was pressed on it.
    """

    proof_menu = Signal()
    dragged = Signal(QPoint)
    pressed = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Caption of the pane")
        self._mark = QLabel()
        self._held: QPoint | None = None
        #: What its texts are of: the item, and its figures' owner.
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
        self._exposure = Elided("muted")
        self._difference = Elided()
        self._figures = Elided(lines=2)
        top = QHBoxLayout()
        top.setSpacing(6)
        top.addWidget(self._mark)
        top.addWidget(self._name, 3)
        top.addWidget(self.proof)
        top.addWidget(self._exposure, 3)
        layout = self._layout = QGridLayout(self)
        layout.setContentsMargins(10, 3, 10, 5)
        layout.setVerticalSpacing(1)
        layout.addLayout(top, 0, 0)
        layout.addWidget(self._difference, 1, 0)
        layout.addWidget(self._figures, 2, 0)

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self._held = event.position().toPoint()
            self.pressed.emit()
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        held, self._held = self._held, None
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        far = QApplication.startDragDistance()
        if held is not None and (event.position().toPoint() - held).manhattanLength() >= far:
            self.dragged.emit(event.globalPosition().toPoint())

    def set_low(self, on: bool) -> None:
        """With less height, in a low window."""
        self._layout.setContentsMargins(10, 0 if on else 3, 10, 1 if on else 5)

    def show_content(
        self,
        letter: str,
        content: Content,
        item: Item | None,
        other: Settings | None,
        bare_beside: bool = False,
        hidden: bool = False,
        narrow: bool = False,
        scene: ScenePlace | None = None,
    ) -> None:
        """Show what a pane is; `other` are the settings of its neighbour, which may be a bare frame.

        `hidden`: say nothing but the letter (a blind judgement). `narrow`: no room for exposure data.
        """
        self.of = item, content.whole_of or (content.probe_of or (None,))[0]
        if item is None:
            self._mark.setText("")
            self.proof.hide()
            for label in (self._name, self._exposure, self._difference, self._figures):
                label.set_full("")
            return
        self._mark.setText(letter)
        if hidden:
            self.proof.hide()
            for label in (self._name, self._exposure, self._difference, self._figures):
                label.set_full("")
            self._name.set_full("hidden until you have decided")
            return
        self._name.set_full(item.source.name)
        self.proof.show()
        self.proof.setText(f"{on_button(item.proof_name(content.proof))} ▾")
        kind = "merge" if item.is_merge else item.path.suffix.lstrip(".").upper()
        self._exposure.set_full(f"{kind} · {exposure_text(item.info)}")
        self._exposure.setVisible(not narrow)
        own = item.settings(content.proof)
        if content.without:
            own = copied_settings(bare(), own, (content.without,))
        words = difference_text(own, other) if other is not None else ""
        if content.without:
            words = f"without the station {content.without.capitalize()}"
        elif content.proof == BARE and other is not None:
            words = "no automatic, no settings"
        elif bare_beside:
            words = difference_text(own, Settings()).replace(_SAME, "untouched: automatic only")
        if content.match.words():
            words = content.match.words() + (f" · {words}" if words else "")
        if content.kept < _WHOLE:
            words = f"field of view {content.kept * 100:.1f} %" + (f" · {words}" if words else "")
        of_frames = not isinstance(content.mapping, Between) or content.mapping.frames is not None
        if content.mapping is not None and of_frames:
            m = content.mapping
            off = "" if m.residual is None else f", residual {m.residual:.1f} px"
            told = f"aligned: {m.rotation:+.2f}°, ×{m.scale:.3f}, field {m.common * 100:.0f} %{off}".replace(
                "-", "−"
            )
            words = told + (f" · {words}" if words else "")
        if content.notes:
            words = " · ".join(note.rstrip(".") for note in content.notes) + (f" · {words}" if words else "")
        self._difference.set_full(words)
        self._figures.set_full("" if content.problem else figures_text(content, scene))
        self._figures.setToolTip(tip(f"{self._figures.text_in_full()}\n{FIGURES_HELP}"))

    def full_texts(self) -> list[str]:
        """All lines in full."""
        return [
            label.text_in_full() for label in (self._name, self._exposure, self._difference, self._figures)
        ]
