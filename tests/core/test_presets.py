"""Presets: what is saved comes back, foreign files are refused with a sentence, only their stations change."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from irvane.core.errors import ReadError, WriteError
from irvane.core.files.presets import ENDING, SHIPPED, list_presets, read_preset, save_preset, set_aside
from irvane.core.settings import Settings, differences

SETTINGS = Settings().with_value("light.exposure", 1.5).with_value("noise.texture", 30)


def test_a_preset_comes_back_and_changes_its_stations_only(tmp_path: Path) -> None:
    saved = save_preset(tmp_path / "own", "Très / nice", SETTINGS, ("light",))
    assert saved.path is not None and "/" not in saved.path.name.removesuffix(ENDING).replace("-", "")
    (found,) = [p for p in list_presets(tmp_path / "own")[0] if p.path]
    assert found.name == "Très / nice" and found.stations == ("light",)
    base = Settings().with_value("noise.texture", 5)
    assert differences(base, found.applied(base)) == ["light.exposure"]
    with pytest.raises(WriteError, match="exists already"):
        save_preset(tmp_path / "own", "Très / nice", SETTINGS.with_value("light.exposure", 2), ("light",))
    assert [p.settings.light.exposure for p in list_presets(tmp_path / "own")[0] if p.path] == [1.5]
    for _ in range(2):
        aside = set_aside(found)
        assert aside.exists() and not [p for p in list_presets(tmp_path / "own")[0] if p.path]
        found = save_preset(tmp_path / "own", "Très / nice", SETTINGS, ("light",))
    assert len(list((tmp_path / "own" / "removed").iterdir())) == 2


def test_shipped_presets_do_something_and_have_their_own_names() -> None:
    assert len({p.name for p in SHIPPED}) == len(SHIPPED) >= 4
    for preset in SHIPPED:
        assert differences(Settings(), preset.applied(Settings()))


@pytest.mark.parametrize(
    ("text", "word"),
    [
        ("{", "not a preset"),
        ("[]", "not a preset"),
        ('{"format": "other"}', "not a preset"),
        ('{"format": "irvane-preset", "version": 99}', "newer"),
        ('{"format": "irvane-preset", "version": 1, "stations": []}', "no station"),
        (
            json.dumps({"format": "irvane-preset", "version": 1, "stations": ["light"],
                        "settings": {"light": {"exposure": 99}}}),
            "outside",
        ),
    ],
)  # fmt: skip
def test_foreign_files_are_refused_and_the_rest_is_listed(tmp_path: Path, text: str, word: str) -> None:
    path = tmp_path / f"bad{ENDING}"
    path.write_text(text)
    with pytest.raises(ReadError, match=word):
        read_preset(path)
    save_preset(tmp_path, "good", SETTINGS, ("light",))
    presets, problems = list_presets(tmp_path)
    assert [p.name for p in presets if p.path] == ["good"] and len(problems) == 1


def test_what_cannot_be_saved_says_why(tmp_path: Path) -> None:
    with pytest.raises(WriteError, match="name"):
        save_preset(tmp_path, "  ", SETTINGS, ("light",))
    blocked = tmp_path / "file"
    blocked.write_text("")
    with pytest.raises(WriteError, match="folder"):
        save_preset(blocked / "x", "a", SETTINGS, ("light",))
    with pytest.raises(ReadError, match="not there"):
        read_preset(tmp_path / "none.preset.json")
