"""Searching frames by what is typed."""

from __future__ import annotations

from datetime import datetime

import pytest

from irvane.core.files.info import FrameInfo
from irvane.core.files.searching import Searched, wanted

INFO = FrameInfo(
    "Nord", "Nord 5", "Summer 35 mm f/2", 1 / 250, 2.8, 51200, 35, datetime(2026, 11, 5, 14), size=24_300_000
)
ONE = Searched("bench-7.dng", INFO, "keep", 3)


@pytest.mark.parametrize(
    "text",
    [
        "", "iso 51200", "ISO51200", "51200", "iso >3200", "iso 25600-102400", "f/2.8", "f 2.8", "35 mm", "35mm",
        "focal 35", "1/250", "1/250 s", "date 2026-11", "2026-11-05", "date 2026", "lens summer", "camera nord",
        "camera: 5", "name bench", "bench dng", "stars 3", "3 stars", "stars >=2", "kept", "mb > 20", "size 20-30",
        "iso 51200 f/2.8 kept bench",
    ],
)  # fmt: skip
def test_what_fits_is_found(text: str) -> None:
    assert wanted(text)(ONE)


@pytest.mark.parametrize(
    "text",
    ["iso 5120", "iso <3200", "f/4", "50 mm", "1/60", "date 2025", "2026-12", "lens winter", "camera summer",
     "stars 4", "rejected", "mb > 30", "iso 51200 f/4", "shelf"],
)  # fmt: skip
def test_what_does_not_is_not(text: str) -> None:
    assert not wanted(text)(ONE)
    assert not wanted("iso 100")(Searched("x.jpg", FrameInfo()))
