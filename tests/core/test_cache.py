"""Results on disk: found again, bounded, and never a reason to fail."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

import numpy as np
import pytest

from irvane.core.line import executor
from irvane.core.line.engine import Engine
from irvane.core.line.results import denoised_key
from irvane.core.line.source import FileSource
from irvane.core.line.tasks import FULL, Request
from irvane.core.noise.denoise import Removal
from irvane.core.sensor import defects, refine, unclip
from irvane.core.settings import Settings
from irvane.core.store import cache as module
from irvane.core.store.cache import ResultCache


def _array(value: int, size: int = 1000) -> np.ndarray:
    return np.full((size,), value, np.int16)


def test_what_was_put_is_found_by_its_key_alone(tmp_path: Path) -> None:
    cache = ResultCache(tmp_path / "a" / "b")
    assert cache.get("one") is None
    assert cache.put("one", _array(1))
    assert cache.put("two", _array(2))
    np.testing.assert_array_equal(ResultCache(tmp_path / "a" / "b").get("one"), _array(1))
    assert cache.get("three") is None
    cache.clear()
    assert cache.get("one") is None


def test_the_least_recently_used_go_first(tmp_path: Path) -> None:
    cache = ResultCache(tmp_path, limit=7000)  # three arrays of 2 kB and their headers
    for k in range(3):
        cache.put(str(k), _array(k))
        os.utime(cache._path(str(k)), (1000 + k, 1000 + k))
    assert cache.get("0") is not None  # used: now the youngest
    cache.put("3", _array(3))
    assert cache.get("1") is None
    assert [cache.get(k) is not None for k in ("0", "2", "3")] == [True, True, True]
    total = sum(p.stat().st_size for p in tmp_path.iterdir())
    assert total <= 7000


def test_what_is_larger_than_the_limit_is_not_kept(tmp_path: Path) -> None:
    cache = ResultCache(tmp_path, limit=500)
    assert not cache.put("big", _array(1))
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("damage", [b"", b"no array", b"\x93NUMPY\x01\x00garbage"])
def test_damaged_results_are_dropped(tmp_path: Path, damage: bytes) -> None:
    cache = ResultCache(tmp_path)
    cache.put("one", _array(1))
    path = cache._path("one")
    path.write_bytes(damage)
    assert cache.get("one") is None
    assert not path.exists()


def test_a_cut_off_result_is_dropped(tmp_path: Path) -> None:
    cache = ResultCache(tmp_path)
    cache.put("one", _array(1))
    path = cache._path("one")
    path.write_bytes(path.read_bytes()[:-100])
    assert cache.get("one") is None


def test_a_full_disk_or_an_impossible_folder_is_no_error(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "file").write_text("x")
    assert not ResultCache(tmp_path / "file" / "inside").put("one", _array(1))
    usage = shutil.disk_usage(tmp_path)
    monkeypatch.setattr(module.shutil, "disk_usage", lambda _path: usage._replace(free=100))
    assert not ResultCache(tmp_path).put("one", _array(1))


def test_the_engine_computes_a_denoised_picture_once(
    frames: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    calls: list[float] = []
    real = executor.denoise_whole

    def counted(developed, sensor, removal, progress):
        calls.append(removal)
        return real(developed, sensor, removal, progress)

    monkeypatch.setattr(executor, "denoise_whole", counted)
    source = FileSource(next(frames.glob("bench*.dng")))
    settings = Settings().with_value("noise.amount", 100)
    pictures = []
    paces = []
    for _ in range(2):  # two starts of the program
        engine = Engine(cache=ResultCache(tmp_path / "results"))
        pictures.append(engine.complete(source, Request(settings)).developed.denoised)
        paces.append(engine.paces.values)
    assert calls == [Removal(1.0)]
    assert paces[0]["best"] > 0 and "best" not in paces[1], "what was kept tells nothing of the time"
    np.testing.assert_array_equal(pictures[0].codes, pictures[1].codes)
    assert [level.shape for level in pictures[0]._levels] == [level.shape for level in pictures[1]._levels]
    stronger = Request(settings.with_value("noise.amount", 150))
    Engine(cache=ResultCache(tmp_path / "results")).complete(source, stronger)
    assert calls == [Removal(1.0), Removal(1.5)], "another strength is another result"


def test_keys_differ_by_everything_that_matters(frames: Path) -> None:
    source = FileSource(next(frames.glob("bench*.dng")))
    settings = Settings()
    developed = Engine().make(source, FULL, settings).developed
    base = denoised_key("content", developed, settings.sensor, Removal(1.0))
    other = settings.with_value("sensor.defects", "off").sensor
    keys = {
        denoised_key(content, developed, sensor, removal)
        for content, sensor, removal in (
            ("content", settings.sensor, Removal(1.0)),
            ("other", settings.sensor, Removal(1.0)),
            ("content", other, Removal(1.0)),
            ("content", settings.sensor, Removal(1.2)),
            ("content", settings.sensor, Removal(1.0, "fast")),
        )
    }
    assert base in keys and len(keys) == 5
    assert base == denoised_key("content", developed, Settings().sensor, Removal(1.0))


@pytest.mark.parametrize(
    ("module_of", "name"),
    [(unclip, "NAME"), (defects, "fingerprint"), (refine, "fingerprint")],
    ids=["raised", "defects", "refined"],
)
def test_keys_hold_the_version_of_every_step_before(
    frames: Path, monkeypatch: pytest.MonkeyPatch, module_of: object, name: str
) -> None:
    source = FileSource(next(frames.glob("bench*.dng")))
    settings = Settings()
    developed = Engine().make(source, FULL, settings).developed
    before = denoised_key("content", developed, settings.sensor, Removal(1.0))
    monkeypatch.setattr(module_of, name, "next@1" if name == "NAME" else lambda *_, **__: "another")
    assert denoised_key("content", developed, settings.sensor, Removal(1.0)) != before
