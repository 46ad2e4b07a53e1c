"""Settings and sidecars: every value survives, nothing damaged is lost."""

from __future__ import annotations

import json
import os
import stat
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irvane.core.declaring import Cropping, Name, Trail
from irvane.core.errors import ReadError, SettingError, WriteError
from irvane.core.files.aside import set_aside
from irvane.core.files.proofs import Proof, Sidecar
from irvane.core.files.sidecar import load_sidecar, save_sidecar, sidecar_path
from irvane.core.settings import (
    STATIONS,
    VERSION,
    Choice,
    Number,
    Points,
    Settings,
    bare,
    copied_settings,
    default,
    differences,
    names,
    older_methods,
    renewed,
    spec,
    value_text,
)
from irvane.core.store.atomic import atomic_file

PATHS = [path for station in STATIONS for path in names(station)]


@pytest.mark.parametrize("path", PATHS)
def test_every_setting_states_what_it_is(path: str) -> None:
    declared = spec(path)
    assert declared.label
    assert declared.help.endswith(".") or isinstance(declared, Choice)
    if isinstance(declared, Number):
        assert declared.unit
        assert declared.low <= declared.neutral <= declared.high
        assert declared.automatic == (default(path) is None)


@given(st.data())
def test_settings_survive_json(data: st.DataObject) -> None:
    settings = Settings()
    for path in data.draw(st.lists(st.sampled_from(PATHS), max_size=8)):
        declared = spec(path)
        if isinstance(declared, Choice):
            value = data.draw(st.sampled_from([key for key, _ in declared.options]))
        elif isinstance(declared, Points):
            inside = st.floats(declared.low, declared.high, allow_nan=False)
            places = sorted(data.draw(st.lists(inside, max_size=declared.most, unique=True)))
            count = len(places)
            values = sorted(data.draw(st.lists(inside, min_size=count, max_size=count)))
            value = list(zip(places, values, strict=True))
        elif isinstance(declared, Name):
            value = data.draw(st.sampled_from([*(key for key, _ in declared.words), "Some lens 35 mm f/2"]))
        elif isinstance(declared, Trail):
            far = st.floats(1, 25, allow_nan=False)
            value = [
                (0.0, 0.0),
                *data.draw(st.lists(st.tuples(far, far), min_size=1, max_size=declared.most - 1)),
            ]
        elif isinstance(declared, Cropping):
            value = data.draw(st.just(()) | st.tuples(*(st.floats(1, 99, allow_nan=False) for _ in range(4))))
        else:
            value = data.draw(st.floats(declared.low, declared.high, allow_nan=False))
        settings = settings.with_value(path, value)
    assert Settings.from_dict(json.loads(json.dumps(settings.as_dict()))) == settings


def test_frozen_names_of_the_command_line() -> None:
    for path in ("light.exposure", "colour.temperature", "colour.tint", "noise.amount"):
        assert path in PATHS
    exposure = spec("light.exposure")
    assert isinstance(exposure, Number)
    assert (exposure.low, exposure.high, exposure.unit) == (-10, 10, "EV")
    assert spec("colour.temperature").unit == "K"  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("path", "value"),
    [("light.exposure", 11), ("light.exposure", "x"), ("light.exposure", float("nan")), ("light.exposure", None),
     ("light.nothing", 1), ("nowhere.exposure", 1), ("sensor.demosaic", "best")],
)  # fmt: skip
def test_what_does_not_fit_is_refused_with_a_sentence(path: str, value: object) -> None:
    with pytest.raises(SettingError, match=r"[a-z]"):
        Settings().with_value(path, value)


def test_text_values_have_sign_and_unit() -> None:
    assert value_text("light.exposure", 1.7) == "+1.70 EV"
    assert value_text("light.exposure", -0.5) == "−0.50 EV"
    assert value_text("colour.temperature", 4500) == "4500 K"
    assert value_text("noise.amount", None) == "automatic"


def test_differences_and_bare() -> None:
    assert differences(Settings(), Settings()) == []
    assert differences(Settings(), Settings().with_value("light.shadows", 1)) == ["light.shadows"]
    assert bare().noise.amount == 0
    assert bare().sensor.defects == "off"


def test_settings_of_the_first_form_keep_the_methods_they_were_made_with() -> None:
    old = {"version": 1, "light": {"exposure": 1.5}, "noise": {"amount": None}}
    found = Settings.from_dict(old)
    assert found.light.exposure == 1.5
    assert found.sensor.banding_by == "lines@1" and "sensor.banding_by" in older_methods(found)
    again = Settings.from_dict(json.loads(json.dumps(found.as_dict())))
    assert again == found, "the present form says the same"
    assert older_methods(renewed(found)) == [] and renewed(found).light.exposure == 1.5


def test_settings_written_by_hand_take_the_newest_methods() -> None:
    by_group = Settings.from_dict({"light": {"exposure": 1}})
    assert by_group == Settings.from_dict({"values": {"light.exposure": 1}})
    assert older_methods(by_group) == []


def test_a_method_that_is_not_known_is_said() -> None:
    with pytest.raises(SettingError, match="lines@99"):
        Settings.from_dict({"version": 2, "values": {"sensor.banding_by": "lines@99"}})


def test_handing_on_leaves_the_methods() -> None:
    old = Settings().with_values({"sensor.banding_by": "lines@1", "sensor.banding": "both"})
    taken = copied_settings(old, Settings(), ("sensor",))
    assert taken.sensor.banding == "both" and older_methods(taken) == []


def test_names_of_groups_are_no_keys() -> None:
    groups = {spec(path).group for path in PATHS}  # type: ignore[union-attr]
    assert len({group.key for group in groups}) == len(groups)


def test_newer_settings_are_refused() -> None:
    with pytest.raises(SettingError, match="version"):
        Settings.from_dict({"version": VERSION + 1})


def test_sidecar_round_trip_and_names(tmp_path: Path) -> None:
    frame = tmp_path / "a.dng"
    sidecar = Sidecar((Proof("One"), Proof("Zwei ü", Settings().with_value("light.exposure", -3))), 1)
    made = save_sidecar(sidecar, frame, "key", base=sidecar)
    path = made.path
    assert path == tmp_path / "a.dng.irvane.json"
    assert load_sidecar(frame, "key") == sidecar == made.sidecar
    assert sidecar_path(tmp_path / "a.jpg") != path, "raw and JPEG of one name do not collide"
    assert load_sidecar(tmp_path / "other.dng", "other") is None
    assert [p.name for p in tmp_path.iterdir()] == [path.name], "no temporary file is left"


@pytest.mark.parametrize(
    "text", ["", "{", "[]", '{"format": "irvane-proofs", "version": 1, "proofs": []}', "\x00\x01"]
)
def test_damaged_sidecars_are_said_and_kept(tmp_path: Path, text: str) -> None:
    frame = tmp_path / "a.dng"
    path = sidecar_path(frame)
    path.write_text(text, "utf-8")
    with pytest.raises(ReadError):
        load_sidecar(frame, "k")
    kept = set_aside(path)
    assert kept.read_text("utf-8") == text
    path.write_text(text, "utf-8")
    assert set_aside(path) != kept


def test_newer_sidecar_is_said(tmp_path: Path) -> None:
    sidecar_path(tmp_path / "a.dng").write_text('{"format": "irvane-proofs", "version": 99}', "utf-8")
    with pytest.raises(ReadError, match="newer"):
        load_sidecar(tmp_path / "a.dng", "k")


def test_read_only_folders_fall_back_to_the_users_data(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    frame = tmp_path / "a.dng"
    real = os.access
    monkeypatch.setattr(
        os, "access", lambda p, mode, **k: False if Path(p) == tmp_path else real(p, mode, **k)
    )
    path = save_sidecar(Sidecar(), frame, "abc123").path
    assert path.parent != tmp_path
    assert load_sidecar(frame, "abc123") == Sidecar()


def test_an_unwritable_folder_is_said(tmp_path: Path) -> None:
    folder = tmp_path / "gone"
    with pytest.raises(WriteError, match="does not exist"), atomic_file(folder / "x.json"):
        pass


def test_files_get_ordinary_permissions(tmp_path: Path) -> None:
    path = save_sidecar(Sidecar(), tmp_path / "a.dng", "k").path
    umask = os.umask(0)
    os.umask(umask)
    assert stat.S_IMODE(path.stat().st_mode) == 0o666 & ~umask
