"""What a file says of its shot, in the window: the card, and the lenses that it may have been taken with."""

from __future__ import annotations

import shutil
from pathlib import Path

import exiv2
import pytest
from PySide6.QtWidgets import QApplication

from irvane.core.files.info import changed_metadata

from .conftest import Driver


@pytest.fixture
def nameless(frames: Path, tmp_path: Path) -> Path:
    """A frame whose lens is told by numbers alone, as many bodies do."""
    path = tmp_path / "numbers.dng"
    shutil.copy(frames / "test-card.dng", path)
    with changed_metadata(path) as image:
        data = image.exifData()
        data["Exif.Image.Make"], data["Exif.Image.Model"] = "NIKON CORPORATION", "NIKON D90"
        data["Exif.Photo.LensModel"] = "18.0-70.0 mm f/3.5-4.5"
        data["Exif.Photo.FocalLength"] = exiv2.URationalValue((35, 1))
    return path


def _open(driver: Driver, path: Path) -> None:
    window = driver.window
    window.opening.open([path])
    driver.until(lambda: any(item.source.name == path.name for item in window.session.items.values()))
    driver.choose(path.name)
    driver.settled()


def test_a_lens_that_is_likely_is_one_click_away_and_kept(driver: Driver, nameless: Path) -> None:
    window = driver.window
    _open(driver, nameless)
    window.band.toggle("lens")
    driver.settled()
    button = window.shelf.likely
    assert button.isVisible() and 1 <= len(button.names) <= 3
    name = button.names[0]
    button.menu().actions()[0].trigger()
    driver.until(lambda: driver.settings().lens.profile == name)
    driver.settled()
    assert not button.isVisible()
    window.session.undo.undo()
    driver.settled()
    assert driver.settings().lens.profile == "auto" and button.isVisible()


def test_the_card_says_it_with_its_tags(driver: Driver, nameless: Path) -> None:
    window = driver.window
    _open(driver, nameless)
    window.surface.commands.by_name["shot"].trigger()
    card = QApplication.activePopupWidget()
    assert card is not None
    told = "\n".join(card.texts)
    assert "lens: 18.0-70.0 mm f/3.5-4.5  (Photo.LensModel)" in told and "NIKON D90" in told
    card.close()
