"""Items, proofs, undo and the rail, without a window."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QSize, Qt
from pytestqt.qtbot import QtBot

from irvane.core.errors import SettingError
from irvane.core.files.frame_sets import BRACKET, FrameSet
from irvane.core.files.thumbnails import Preview
from irvane.core.line.source import FileSource
from irvane.core.settings import Settings
from irvane.desktop.item import BARE
from irvane.desktop.rail.model import RailModel, bracket_words

from .conftest import session_of

# the session


def test_files_are_opened_once(qtbot: QtBot) -> None:
    session = session_of()
    assert len(session.add_files([Path("/nowhere/1.dng"), Path("/nowhere/9.dng")])) == 2
    assert len(session.items) == 4
    again = session.add(FileSource(Path("/nowhere/2.dng")))
    assert again is session.items[2]


def test_moving_one_slider_is_one_step_of_undo(qtbot: QtBot) -> None:
    session = session_of()
    for k in range(10):
        session.edit(0, 0, {"light.exposure": k / 10})
    session.edit(0, 0, {"light.shadows": 1.0})
    assert session.undo.count() == 2
    session.undo.undo()
    assert session.items[0].settings(0).light.shadows == 0
    session.undo.undo()
    assert session.items[0].settings(0) == Settings()
    session.undo.redo()
    assert session.items[0].settings(0).light.exposure == 0.9


def test_changes_of_different_frames_do_not_merge(qtbot: QtBot) -> None:
    session = session_of()
    session.edit(0, 0, {"light.exposure": 1})
    session.edit(1, 0, {"light.exposure": 2})
    assert session.undo.count() == 2
    session.undo.undo()
    assert session.items[0].settings(0).light.exposure == 1
    assert session.items[1].settings(0).light.exposure == 0


def test_what_does_not_fit_changes_nothing(qtbot: QtBot) -> None:
    session = session_of()
    with pytest.raises(SettingError):
        session.edit(0, 0, {"light.exposure": 99})
    session.edit(0, BARE, {"light.exposure": 1})
    session.items[1].ready = False
    session.edit(1, 0, {"light.exposure": 1})
    assert session.undo.count() == 0


def test_proof_names_stay_distinct_and_the_last_proof_stays(qtbot: QtBot) -> None:
    session = session_of()
    session.new_proof(0, 0)
    session.new_proof(0, 1)
    names = [p.name for p in session.items[0].sidecar.proofs]
    assert len(set(names)) == 3
    session.remove_proof(0, 1)
    session.new_proof(0, 0)
    assert len({p.name for p in session.items[0].sidecar.proofs}) == 3
    for _ in range(5):
        session.remove_proof(0, 0)
    assert len(session.items[0].sidecar.proofs) == 1
    session.rename_proof(0, 0, "   ")
    assert session.items[0].proof_name(0).strip()
    session.rename_proof(0, 0, "x" * 300)
    assert len(session.items[0].proof_name(0)) <= 60
    assert session.items[0].proof_name(BARE) == "bare"
    fresh = session.new_proof(0, BARE)
    assert session.items[0].settings(fresh).noise.amount == 0


def test_brackets_are_noted_and_forgotten_with_a_closed_member(qtbot: QtBot) -> None:
    session = session_of()
    session.group([0, 1, 2], [FrameSet(BRACKET, (0, 1, 2), (-2.0, 0.0, 2.0))])
    assert [session.items[k].offset for k in range(3)] == [-2, 0, 2]
    assert bracket_words(list(session.items.values())) == "3 frames, −2 … +2 EV"
    session.remove(1)
    assert session.items[0].bracket == ()
    assert session.order == [0, 2]


# rail


def test_a_long_rail_is_virtual_and_has_headings(qtbot: QtBot) -> None:
    session = session_of(5000)
    model = RailModel(session)
    model.rebuild()
    assert model.rowCount() == 5000
    session.group(list(range(5000)), [FrameSet(BRACKET, (7, 8, 9), (-1.0, 0.0, 1.0))])
    assert model.rowCount() == 5001
    row = model.place_of(7)
    heading = model.index(row - 1)
    assert model.data(heading, Qt.ItemDataRole.UserRole).is_heading
    assert "Bracket of 3" in str(model.data(heading))
    assert "HDR" in str(model.data(heading, Qt.ItemDataRole.ToolTipRole))
    assert model.place_of(99_999) == -1
    item = session.items[7]
    assert model.thumb(item, QSize(100, 68)) is None
    item.preview = Preview.of(np.zeros((400, 600, 3), np.uint8), (4000, 6000))
    picture = model.thumb(item, QSize(100, 68))
    assert picture is not None
    assert picture.width() == 100
    assert picture.height() in (66, 67)
    assert model.thumb(item, QSize(100, 68)) is picture, "scaled once"


def test_previews_have_a_small_form() -> None:
    preview = Preview.of(np.zeros((400, 600, 3), np.uint8), (4000, 6000))
    assert preview.small.shape == (200, 300, 3)
    tiny = Preview.of(np.zeros((20, 30, 3), np.uint8), (20, 30))
    assert tiny.small.shape == (10, 15, 3)
