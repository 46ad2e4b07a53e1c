"""Sidecars: merged proof by proof, found again by content, never replaced unread."""

from __future__ import annotations

import errno
import json
import os
import subprocess
import sys
from dataclasses import replace
from pathlib import Path
from xml.etree import ElementTree

import pytest
import shots

from irvane.cli import main
from irvane.core.errors import ReadError, WriteError
from irvane.core.files.collecting import collect
from irvane.core.files.identity import content_hash
from irvane.core.files.proofs import Proof, Sidecar, gone_over, merged
from irvane.core.files.sidecar import (
    NewerSidecarError,
    load_sidecar,
    save_sidecar,
    set_aside,
    sidecar_path,
    stranger,
)
from irvane.core.settings import Settings
from irvane.core.store import atomic


@pytest.fixture(autouse=True)
def _own_data_folder(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path_factory.mktemp("data")))


BRIGHT = Settings().with_value("light.exposure", 1)
DARK = Settings().with_value("light.exposure", -1)


def _edited(sidecar: Sidecar, settings: Settings, place: int = 0) -> Sidecar:
    proofs = list(sidecar.proofs)
    proofs[place] = replace(proofs[place], settings=settings)
    return replace(sidecar, proofs=tuple(proofs))


def test_two_windows_on_one_frame_lose_nothing(tmp_path: Path) -> None:
    frame = tmp_path / "a.dng"
    one = two = save_sidecar(Sidecar((Proof("A"), Proof("B"))), frame, "k").sidecar
    first = save_sidecar(_edited(one, BRIGHT, 0), frame, "k", base=one)
    second = save_sidecar(_edited(two, DARK, 1), frame, "k", base=two)
    assert not second.sentences
    there = load_sidecar(frame, "k")
    assert there is not None
    assert [p.settings for p in there.proofs] == [BRIGHT, DARK]
    assert [p.revision for p in there.proofs] == [2, 2]
    assert first.sidecar.proofs[0] == there.proofs[0]


def test_a_proof_changed_by_both_is_kept_twice_and_said(tmp_path: Path) -> None:
    frame = tmp_path / "a.dng"
    begun = save_sidecar(Sidecar(), frame, "k").sidecar
    save_sidecar(_edited(begun, BRIGHT), frame, "k", base=begun)
    made = save_sidecar(_edited(begun, DARK), frame, "k", base=begun)
    assert "yours goes on as “Proof 1, variant 2”" in made.sentences[0]
    assert [p.settings for p in made.sidecar.proofs] == [DARK, BRIGHT]
    assert made.sidecar.proofs[1].id == begun.proofs[0].id, "theirs stays what it is"
    assert made.renamed == {begun.proofs[0].id: made.sidecar.proofs[0].id}
    assert load_sidecar(frame, "k") == made.sidecar


def test_edits_by_turns_do_not_pile_up(tmp_path: Path) -> None:
    """Once parted, each window goes on with its own: two windows, two proofs, however often they save."""
    frame = tmp_path / "a.dng"
    one = two = save_sidecar(Sidecar(), frame, "k").sidecar
    for k in range(1, 6):
        value = Settings().with_value("light.exposure", k / 10)
        one = save_sidecar(_edited(one, value, one.current), frame, "k", base=one).sidecar
        value = Settings().with_value("light.contrast", k)
        two = save_sidecar(_edited(two, value, two.current), frame, "k", base=two).sidecar
    assert [(p.name, p.settings.light.exposure, p.settings.light.contrast) for p in two.proofs] == [
        ("Proof 1, variant 2", 0, 5), ("Proof 1", 0.5, 0),
    ]  # fmt: skip


def test_what_was_not_said_to_be_removed_stays(tmp_path: Path) -> None:
    frame = tmp_path / "a.dng"
    base = save_sidecar(Sidecar((Proof("A"), Proof("B"), Proof("C"))), frame, "k").sidecar
    fewer = replace(base, proofs=base.proofs[:1])
    assert len(save_sidecar(fewer, frame, "k", base=base).sidecar.proofs) == 3, "a copy that misses some"
    save_sidecar(_edited(base, BRIGHT, 2), frame, "k", base=base)
    removed = {p.id: p.name for p in base.proofs[1:]}
    made = save_sidecar(fewer, frame, "k", base=base, removed=removed)
    assert [p.name for p in made.sidecar.proofs] == ["A", "C"], "C was changed meanwhile"
    assert "“C” was removed here and changed elsewhere" in made.sentences[0]


_WRITER = """
import sys
from dataclasses import replace
from pathlib import Path
from irvane.core.files.proofs import Sidecar
from irvane.core.files.sidecar import load_sidecar, save_sidecar
frame, path, count = Path(sys.argv[1]), sys.argv[2], int(sys.argv[3])
now = load_sidecar(frame, "k")
print("ready", flush=True)
sys.stdin.readline()
for k in range(1, count + 1):
    proofs = list(now.proofs)
    proofs[now.current] = replace(proofs[now.current], settings=proofs[now.current].settings.with_value(path, k / 10))
    now = save_sidecar(replace(now, proofs=tuple(proofs)), frame, "k", base=now).sidecar
"""


def test_three_programs_at_once_lose_nothing(tmp_path: Path) -> None:
    frame = tmp_path / "a.dng"
    save_sidecar(Sidecar(), frame, "k")
    paths = "light.exposure", "light.black", "light.shadows"
    command = [sys.executable, "-c", _WRITER, str(frame)]
    writers = [
        subprocess.Popen([*command, path, "12"], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
        for path in paths
    ]
    for writer in writers:
        assert writer.stdout is not None and writer.stdout.readline() == "ready\n"
    for writer in writers:
        assert writer.stdin is not None
        writer.stdin.write("go\n")
        writer.stdin.flush()
    assert [writer.wait(60) for writer in writers] == [0, 0, 0]
    found = load_sidecar(frame, "k")
    assert found is not None
    for (
        path
    ) in paths:  # each one's last value stands in a proof; others may have begun with it before they parted
        assert any(p.settings.get(path) == 1.2 for p in found.proofs)
    assert len(found.proofs) <= 3


def test_a_step_back_leaves_what_came_from_elsewhere() -> None:
    here = Sidecar((Proof("A", BRIGHT),))
    before = _edited(here, Settings())
    now = _edited(here, BRIGHT.with_value("light.contrast", 20))
    assert gone_over(here, before, now).proofs[0].settings == Settings().with_value("light.contrast", 20)
    added = replace(now, proofs=(*now.proofs, Proof("theirs")))
    assert [p.name for p in gone_over(here, before, added).proofs] == ["A", "theirs"]
    more = replace(here, proofs=(*here.proofs, Proof("B")))
    assert [p.name for p in gone_over(here, more, added).proofs] == ["A", "B", "theirs"]
    assert [p.name for p in gone_over(more, here, replace(more, mark="keep")).proofs] == ["A"]


def test_frames_opened_twice_before_the_first_edit(tmp_path: Path) -> None:
    frame = tmp_path / "a.dng"
    save_sidecar(_edited(Sidecar(), BRIGHT), frame, "k")
    made = save_sidecar(_edited(Sidecar(), DARK), frame, "k")
    assert {p.settings for p in made.sidecar.proofs} == {BRIGHT, DARK}


def test_the_newest_of_both_places_counts(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A card that was written to, then locked: edits go to the data folder and are there at the next start."""
    frame = tmp_path / "a.dng"
    begun = save_sidecar(Sidecar(), frame, "k").sidecar
    real = os.access
    monkeypatch.setattr(os, "access", lambda p, mode, **k: Path(p) != tmp_path and real(p, mode, **k))
    made = save_sidecar(_edited(begun, BRIGHT), frame, "k", base=begun)
    assert made.path.parent != tmp_path
    assert load_sidecar(frame, "k") == made.sidecar
    monkeypatch.undo()
    back = save_sidecar(_edited(made.sidecar, DARK), frame, "k", base=made.sidecar)
    assert back.path.parent == tmp_path and load_sidecar(frame, "k") == back.sidecar


def test_another_picture_of_the_name_takes_nothing_over(tmp_path: Path) -> None:
    frame = tmp_path / "a.dng"
    old = save_sidecar(_edited(Sidecar(), BRIGHT), frame, "0123456789abcdef").sidecar
    assert load_sidecar(frame, "other") is None
    assert stranger(frame, "other") == sidecar_path(frame)
    made = save_sidecar(_edited(Sidecar(), DARK), frame, "other")
    assert "another picture" in made.sentences[0]
    assert load_sidecar(frame, "0123456789abcdef") == old, "kept, and found again by its content"


def test_a_renamed_or_moved_frame_finds_its_proofs(tmp_path: Path) -> None:
    made = save_sidecar(_edited(Sidecar(), BRIGHT), tmp_path / "a.dng", "k").sidecar
    assert load_sidecar(tmp_path / "renamed.dng", "k") == made
    (tmp_path / "new").mkdir()
    assert load_sidecar(tmp_path / "new" / "a.dng", "k") == made
    assert load_sidecar(tmp_path / "new" / "b.dng", "another") is None
    (tmp_path / "a.dng").write_bytes(b"still there")
    assert load_sidecar(tmp_path / "new" / "a.dng", "k") is None, "a copy begins anew"


def test_merges_with_one_first_member_each_have_their_own(tmp_path: Path) -> None:
    first = tmp_path / "a.dng"
    three = save_sidecar(
        replace(_edited(Sidecar(), BRIGHT), members=("a", "b", "c")), first, "3" * 32, merge=True
    )
    assert load_sidecar(first, "2" * 32, merge=True) is None
    two = save_sidecar(_edited(Sidecar(), DARK), first, "2" * 32, merge=True)
    assert load_sidecar(first, "3" * 32, merge=True) == three.sidecar
    assert load_sidecar(first, "2" * 32, merge=True) == two.sidecar


def test_sidecars_of_the_first_form_are_read(tmp_path: Path) -> None:
    frame = tmp_path / "a.dng"
    old = {
        "format": "irvane-proofs", "version": 1, "content": "k", "current": 1,
        "proofs": [{"name": "A", "settings": {"version": 1, "light": {"exposure": 1}}},
                   {"name": "B", "settings": {"version": 1}, "note": "why"}],
    }  # fmt: skip
    sidecar_path(frame).write_text(json.dumps(old), "utf-8")
    found = load_sidecar(frame, "k")
    assert found is not None and found.current == 1
    assert [p.name for p in found.proofs] == ["A", "B"] and found.proofs[1].note == "why"
    assert found.proofs[0].settings.light.exposure == 1
    assert found.proofs[0].settings.sensor.banding_by == "lines@1", "its look stays"
    again = load_sidecar(frame, "k")
    assert again == found, "identities are the same at every reading"


def test_a_newer_sidecar_is_never_replaced(tmp_path: Path) -> None:
    path = sidecar_path(tmp_path / "a.dng")
    path.write_text('{"format": "irvane-proofs", "version": 99, "program": "9.1"}', "utf-8")
    for work in (
        lambda: load_sidecar(tmp_path / "a.dng", "k"),
        lambda: save_sidecar(Sidecar(), tmp_path / "a.dng", "k"),
    ):
        with pytest.raises(NewerSidecarError, match=r"9\.1"):
            work()
    assert "99" in path.read_text("utf-8")


@pytest.mark.parametrize(
    "text", ["{broken", "[" * 100_000, '{"format": "irvane-proofs", "version": 2, "proofs": 3}']
)
def test_saving_over_a_damaged_one_puts_it_aside(tmp_path: Path, text: str) -> None:
    path = sidecar_path(tmp_path / "a.dng")
    path.write_text(text, "utf-8")
    with pytest.raises(ReadError, match="damaged"):
        load_sidecar(tmp_path / "a.dng", "k")
    made = save_sidecar(Sidecar(), tmp_path / "a.dng", "k")
    assert "kept as" in made.sentences[0]
    assert (tmp_path / "a.dng.irvane.json.damaged").read_text("utf-8") == text


def test_names_that_are_no_text(tmp_path: Path) -> None:
    frame = Path(os.fsdecode(bytes(tmp_path) + b"/b\xe4.dng"))
    made = save_sidecar(_edited(Sidecar(), BRIGHT), frame, "k")
    assert load_sidecar(frame, "k") == made.sidecar
    assert set_aside(made.path).exists()


@pytest.mark.parametrize("number", [errno.EINVAL, errno.EPERM, errno.EOPNOTSUPP])
def test_files_appear_where_there_are_no_hard_links(
    number: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """exFAT and FAT have none, and some file systems cannot rename unless the name is taken either."""

    def cannot(*_given: object, **_named: object) -> None:
        raise OSError(number, "not supported")

    for name in ("first", "second"):
        path = tmp_path / f"{name}.txt"
        monkeypatch.setattr(os, "link", cannot)
        if name == "second":
            monkeypatch.setattr(atomic, "_rename_unless_taken", cannot)
        with atomic.atomic_file(path, overwrite=False) as temporary:
            temporary.write_text("whole", "utf-8")
        assert path.read_text("utf-8") == "whole"
        with (
            pytest.raises(WriteError, match="exists already"),
            atomic.atomic_file(path, overwrite=False) as temporary,
        ):
            temporary.write_text("other", "utf-8")
        assert path.read_text("utf-8") == "whole"
    assert sorted(p.name for p in tmp_path.iterdir()) == ["first.txt", "second.txt"]


def test_what_an_interrupted_write_left_goes_after_a_day(tmp_path: Path) -> None:
    old, new, other = (tmp_path / n for n in (".irvane-old.tif", ".irvane-new.tif", "mine.tif"))
    for path in (old, new, other):
        path.write_bytes(b"x")
    for path in (old, other):
        os.utime(path, (1, 1))
    collect([tmp_path])
    assert not old.exists() and new.exists() and other.exists()


def test_a_name_too_long_for_a_sidecar_has_it_in_the_data_folder(tmp_path: Path) -> None:
    frame = tmp_path / ("n" * 245 + ".dng")
    made = save_sidecar(_edited(Sidecar(), BRIGHT), frame, "k")
    assert made.path.parent != tmp_path and load_sidecar(frame, "k") == made.sidecar


_PACKET = """<?xpacket begin="" id="W5M0MpCehiHzreSzNTczkc9d"?><x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF
 xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about=""
 xmlns:xmp="http://ns.adobe.com/xap/1.0/" xmlns:dc="http://purl.org/dc/elements/1.1/"
 xmlns:own="http://example.org/own/1.0/" xmp:Rating="2" own:Depth="7"><dc:subject><rdf:Bag><rdf:li>glass</rdf:li>
 <rdf:li>oven</rdf:li></rdf:Bag></dc:subject><own:Steps><rdf:Seq><rdf:li own:step="a" own:n="1"/></rdf:Seq></own:Steps>
 </rdf:Description></rdf:RDF></x:xmpmeta><?xpacket end="w"?>"""


def _xmp(path: Path) -> dict[str, str]:
    """Another reader: attributes and texts of the packet, by Python's own XML parser."""
    told = {}
    for element in ElementTree.parse(path).iter():
        told.update(element.attrib)
        if (element.text or "").strip():
            told[element.text.strip()] = element.tag
    return told


def test_marks_and_stars_are_kept_and_given_to_other_programs(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    rating = "{http://ns.adobe.com/xap/1.0/}Rating"  # ISO 16684-1: −1 is rejected, 1 to 5 are stars
    frame = tmp_path / "a.dng"
    shots.dng(frame, shots.photograph()[:60, :80])
    before = frame.read_bytes()
    assert main(["mark", str(frame), "--keep", "--stars", "4", "--xmp"]) == 0
    found = load_sidecar(frame, content_hash(frame))
    assert found is not None and (found.mark, found.stars) == ("keep", 4)
    assert [_xmp(tmp_path / name)[rating] for name in ("a.xmp", "a.dng.xmp")] == ["4", "4"]
    (tmp_path / "a.dng.xmp").unlink()
    (tmp_path / "a.xmp").write_text(_PACKET)
    assert main(["mark", str(frame), "--reject", "--xmp"]) == 0
    told = _xmp(tmp_path / "a.xmp")
    assert told[rating] == "-1" and not (tmp_path / "a.dng.xmp").exists()
    assert {
        "{http://example.org/own/1.0/}Depth",
        "{http://example.org/own/1.0/}step",
        "glass",
        "oven",
    } <= set(told)
    (tmp_path / "a.xmp").write_text("<?xpacket?> no packet <rdf:Description")
    assert main(["mark", str(frame), "--xmp"]) == 1
    assert "left as it is" in capsys.readouterr().err and "no packet" in (tmp_path / "a.xmp").read_text()
    assert frame.read_bytes() == before
    other = replace(found, mark="reject", stars=1)
    both = merged(found, replace(found, stars=5), other).sidecar
    assert (both.mark, both.stars) == ("reject", 5), "of two windows each keeps what it alone changed"
