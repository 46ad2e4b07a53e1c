"""Rows of the rail: frames and merges, and a heading before every bracket."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QAbstractListModel, QMimeData, QModelIndex, QObject, QSize, Qt, QUrl
from PySide6.QtGui import QImage

from irvane.core.files.frame_sets import BRACKET, BURST, FOCUS, LADDER, PANORAMA
from irvane.core.files.info import exposure_text
from irvane.desktop.bench.content import image_of
from irvane.desktop.item import Item
from irvane.desktop.plain import counted, tip
from irvane.desktop.rows import NOWHERE, Index
from irvane.desktop.session import Session

#: Frames that are dragged: their numbers.
FRAMES = "application/x-irvane-frames"
#: Scaled pictures that are kept.
_KEPT = 400


@dataclass(frozen=True)
class Row:
    """One row: an item, or the heading of a set (then `bracket` holds its item numbers).

    Attributes
    ----------
    kind : of a heading, of :mod:`irvane.core.files.frame_sets`.
    """

    item: int
    bracket: tuple[int, ...] = ()
    kind: str = BRACKET

    @property
    def is_heading(self) -> bool:
        return bool(self.bracket)

    @property
    def offers(self) -> str:
        """What a click on a heading does, in a word; empty where nothing."""
        return _OFFERS.get(self.kind, "")


#: What is said of it on hover.
_HELP = {
    BRACKET: "Click: HDR, scene-linear light of all stops. The menu Merge has exposure fusion and more.",
    LADDER: "Click: how far the camera can be pushed.",
    BURST: "Click: the mean of them, with less noise.",
    FOCUS: "Frames of one scene with the focus at different distances.",
    PANORAMA: "Click: stitch them; brackets among them are merged on the way.",
}
#: What is offered of each kind of set.
_OFFERS = {BRACKET: "merge", LADDER: "ladder", BURST: "mean", PANORAMA: "stitch"}


def bracket_words(items: list[Item]) -> str:
    """What a set is: ``5 frames, −2 … +2 EV``."""
    offsets = sorted(item.offset for item in items if item.offset is not None)
    if not offsets:
        return counted(len(items), "frame")
    return f"{counted(len(items), 'frame')}, {offsets[0]:+g} … {offsets[-1]:+g} EV".replace("-", "−")


def heading_words(row: Row, items: list[Item]) -> tuple[str, str]:
    """The two lines of a heading: ``Bracket of 5``, ``−2 … +2 EV``."""
    if row.kind == PANORAMA:
        positions = items[0].panorama if items else ()
        of = f"{len(positions[0])} each" if positions and len(positions[0]) > 1 else "overlapping"
        return f"Panorama: {len(positions)}", of
    words = bracket_words(items).partition(", ")[2]
    return f"{(row.kind or 'set').capitalize()} of {len(items)}", words or "equal exposure"


class RailModel(QAbstractListModel):
    """A list model over the session; pictures are scaled when a row is first painted."""

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.rows: list[Row] = []
        self._places: dict[int, list[int]] = {}
        self._thumbs: dict[int, tuple[object, QImage]] = {}
        session.rows_changed.connect(self.rebuild)
        session.item_changed.connect(self._changed)
        session.pictured.connect(self._changed)

    def rebuild(self) -> None:
        """Read the rows anew."""
        self.beginResetModel()
        self.rows = []
        placed: set[int] = set()
        begun: set[tuple[tuple[int, ...], ...]] = set()
        for number in self.session.order:
            item = self.session.items[number]
            if number in placed:
                continue
            if item.panorama and item.panorama not in begun:
                begun.add(item.panorama)
                members = tuple(n for position in item.panorama for n in position)
                self.rows.append(Row(number, members, PANORAMA))
            # a set stands together, under its heading, where the first of it stands
            own = [n for n in self.session.order if n in item.bracket] if item.bracket else [number]
            if item.bracket:
                self.rows.append(Row(number, item.bracket, item.set_kind or BRACKET))
            self.rows += [Row(n) for n in own]
            placed.update(own)
        self._places = {}
        for place, row in enumerate(self.rows):
            self._places.setdefault(row.item, []).append(place)
        self.endResetModel()

    def _changed(self, number: int) -> None:
        for place in self._places.get(number, ()):
            index = self.index(place)
            self.dataChanged.emit(index, index)

    def rowCount(self, parent: Index = NOWHERE) -> int:  # noqa: N802
        return 0 if parent.isValid() else len(self.rows)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        row = self.rows[index.row()]
        item = self.session.items.get(row.item)
        if item is None:
            return None
        if role == Qt.ItemDataRole.UserRole:
            return row
        if row.is_heading:
            members = [self.session.items[n] for n in row.bracket if n in self.session.items]
            words = ", ".join(heading_words(row, members))
            help = f"{words}. {_HELP.get(row.kind, '')}"
            return {Qt.ItemDataRole.DisplayRole: words, Qt.ItemDataRole.ToolTipRole: help}.get(
                Qt.ItemDataRole(role)
            )
        if role == Qt.ItemDataRole.DisplayRole:
            return item.source.name
        if role == Qt.ItemDataRole.ToolTipRole:
            words = f"{item.source.name}\n{exposure_text(item.info)}"
            return tip("\n".join(text for text in (words, item.problem, item.diagnosis) if text))
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        draggable = index.isValid() and not self.rows[index.row()].is_heading
        return super().flags(index) | (
            Qt.ItemFlag.ItemIsDragEnabled if draggable else Qt.ItemFlag.NoItemFlags
        )

    def mimeTypes(self) -> list[str]:  # noqa: N802
        return [FRAMES]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:  # noqa: N802
        numbers = [self.rows[index.row()].item for index in sorted(indexes, key=lambda one: one.row())]
        return frames_as_data(self.session, numbers)

    def thumb(self, item: Item, room: QSize) -> QImage | None:
        """The item's preview as large as the room (in device pixels) allows; kept, since scaling takes
        time."""
        if item.picture is None:
            return None
        kept = self._thumbs.get(item.number)
        if kept is None or kept[0] != (id(item.picture), room.width(), room.height()):
            picture = image_of(item.picture.small).scaled(
                room, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
            )
            kept = ((id(item.picture), room.width(), room.height()), picture)
            while len(self._thumbs) >= _KEPT:
                self._thumbs.pop(next(iter(self._thumbs)))
            self._thumbs[item.number] = kept
        return kept[1]

    def place_of(self, number: int) -> int:
        """Row of an item; −1 when there is none."""
        return self._places.get(number, [-1])[-1]  # a heading comes before its frame


def frames_as_data(session: Session, numbers: Sequence[int]) -> QMimeData:
    """Frames that are dragged: by their numbers for panes and sets here, as files for other programs."""
    data = QMimeData()
    data.setData(FRAMES, " ".join(map(str, numbers)).encode())
    paths = [path for n in numbers if n in session.items for path in session.items[n].source.paths]
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    return data


def frames_of(data: QMimeData) -> list[int]:
    """The numbers of frames that are dragged; none of anything else."""
    words = bytes(data.data(FRAMES).data()).decode("ascii", "ignore").split()
    return [int(word) for word in words if word.isdigit()]
