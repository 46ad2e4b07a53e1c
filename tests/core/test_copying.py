"""Copying a card: verified, renamed, resumed, nothing lost."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irvane.core.errors import Cancelled, ReadError, SettingError
from irvane.core.fault_report import fault_report, without_telling
from irvane.core.finish import copying
from irvane.core.finish.copying import (
    COPIED,
    FAILED,
    THERE,
    copy_all,
    copy_file,
    find_pictures,
    plan_copy,
    told,
)


@pytest.fixture
def card(demo: Path, tmp_path: Path) -> Path:
    folder = tmp_path / "card" / "DCIM" / "100AAA"
    folder.mkdir(parents=True)
    for name in ("bench-iso6400", "test-card"):
        shutil.copy(demo / f"{name}.dng", folder / f"{name.upper()}.DNG")
    (folder / "TEST-CARD.JPG").write_bytes(b"not really")
    (folder / "TEST-CARD.DNG.xmp").write_text("<x/>")
    (folder / "CLIP.MOV").write_bytes(b"film")
    (folder / "lone.wav").write_bytes(b"sound")
    return tmp_path / "card"


def test_a_card_is_copied_renamed_and_verified(card: Path, tmp_path: Path) -> None:
    found, others = find_pictures(card)
    assert [p.name for p in found] == [
        "BENCH-ISO6400.DNG",
        "TEST-CARD.DNG",
        "TEST-CARD.JPG",
        "TEST-CARD.DNG.xmp",
    ]
    assert others == 2, "the film, and a note that belongs to nothing"
    plan = plan_copy(found, tmp_path / "out", "{date}/{camera}-{n:3}")
    names = [str(one.target.relative_to(tmp_path / "out")) for one in plan]
    assert len({name.rpartition("/")[2].partition(".")[0] for name in names[1:]}) == 1, "one shot, one name"
    assert names[1].endswith("-002.DNG") and names[3].endswith("-002.DNG.xmp") and names[0].startswith("20")
    before = {p: p.read_bytes() for p in card.rglob("*") if p.is_file()}
    made = list(copy_all(plan))
    assert {one.state for one in made} == {COPIED} and "4 copied and verified" in told(made, others)
    for one in made:
        assert one.target.read_bytes() == one.source.read_bytes()
        assert abs(one.target.stat().st_mtime - one.source.stat().st_mtime) < 1
    assert {p: p.read_bytes() for p in card.rglob("*") if p.is_file()} == before
    assert {one.state for one in copy_all(plan)} == {THERE}, "again: nothing is written twice"
    empty = card / "DCIM" / "100AAA" / "EMPTY.DNG"
    empty.write_bytes(b"")
    (one,) = copy_all(plan_copy([empty], tmp_path / "out", "{name}"))
    assert one.state == FAILED and "0 bytes" in one.reason and not one.target.exists()


def test_an_interrupted_copy_goes_on_and_leaves_nothing_half(card: Path, tmp_path: Path) -> None:
    plan = plan_copy(find_pictures(card)[0], tmp_path / "out")
    asked = 0

    def stop(_share: float) -> bool:
        nonlocal asked
        asked += 1
        return asked < 4

    with pytest.raises(Cancelled):
        list(copy_all(plan, stop))
    there = [p for p in (tmp_path / "out").rglob("*") if p.is_file()]
    assert all(p in [one.target for one in plan] for p in there), "no unfinished file"
    states = [one.state for one in copy_all(plan)]
    assert states.count(THERE) == len(there) and FAILED not in states


def test_what_goes_wrong_is_told_and_the_rest_goes_on(
    card: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    out = tmp_path / "out"
    plan = plan_copy(find_pictures(card)[0], out)
    out.mkdir()
    plan[0].target.write_bytes(b"mine")
    plan[1].source.unlink()
    made = list(copy_all(plan))
    assert [one.state for one in made] == [FAILED, FAILED, COPIED, COPIED]
    assert plan[0].target.read_bytes() == b"mine" and "was left as" in made[0].reason
    real = copying._checksum
    monkeypatch.setattr(copying, "_checksum", lambda path, p=None: real(path)[::-1])
    shutil.rmtree(out)
    failed = copy_file(plan[2])
    assert failed.state == FAILED and "read back" in failed.reason and not plan[2].target.exists()
    with pytest.raises(ReadError):
        find_pictures(tmp_path / "none")
    with pytest.raises(SettingError):
        plan_copy([plan[2].source], out, "{place}")


@given(st.text("/abc.é\\:*", min_size=1, max_size=20))
def test_names_never_leave_the_folder(pattern: str) -> None:
    try:
        plan = plan_copy([Path("/card/a.dng"), Path("/card/b.dng")], Path("/to"), pattern)
    except SettingError:
        return
    assert len({one.target for one in plan}) == 2
    assert all(
        os.path.normpath(one.target).startswith("/to/") and ".." not in one.target.parts for one in plan
    )


def test_a_report_of_a_fault_tells_nothing_of_the_user(tmp_path: Path) -> None:
    log = tmp_path / "irvane.log"
    log.write_text(
        'ERROR unexpected fault\n  File "/home/ines/prog/irvane/core/line/view.py", line 12, in show\n'
        "ReadError: /home/ines/Bilder/Hochzeit Aru/DSC_1234.NEF: cut off; serial 30455512, at 48.20849, 16.37208\n"
        "WriteError: '/media/My Disk/out one.tif' is full\n"
    )
    report = fault_report(log)
    for telling in ("ines", "Hochzeit", "DSC_1234", "30455512", "48.20849", "My Disk", "out one"):
        assert telling not in report, telling
    assert "view.py" in report and "line 12" in report and "Irvane" in report and "numpy" in report
    assert "empty" in fault_report(tmp_path / "none.log")
    assert without_telling("σ 2.98 %, 3.5 s") == "σ 2.98 %, 3.5 s"
