"""Proofs of a source, and two changes of them made one."""

from __future__ import annotations

import uuid
from collections.abc import Container, Mapping
from dataclasses import dataclass, field, replace
from itertools import count

from irvane.core.settings import Settings, differences

#: Identity of the proof that every frame starts with, the same in every window.
FIRST = "first"
#: Marks of a frame.
KEEP, REJECT = "keep", "reject"
MOST_STARS = 5


def new_id() -> str:
    """An identity for another proof of a frame."""
    return uuid.uuid4().hex[:12]


@dataclass(frozen=True)
class Proof:
    """One development of a frame: a name, its settings, and a note on why it was kept.

    Attributes
    ----------
    id : identity among the proofs of its frame; it stays when the name changes.
    revision : how often it was saved changed.
    """

    name: str
    settings: Settings = field(default_factory=Settings)
    note: str = ""
    id: str = field(default_factory=new_id)
    revision: int = 0

    def same(self, other: Proof | None) -> bool:
        """Do both hold the same, whatever their revisions?"""
        return other is not None and replace(other, revision=self.revision) == self


@dataclass(frozen=True)
class Sidecar:
    """All proofs of a source and which one is current.

    Attributes
    ----------
    members : file names of a merge's frames; empty for a frame.
    mark : KEEP, REJECT or nothing. stars : 0 to 5.
    """

    proofs: tuple[Proof, ...] = (Proof("Proof 1", id=FIRST),)
    current: int = 0
    members: tuple[str, ...] = ()
    mark: str = ""
    stars: int = 0

    def proof(self, id: str) -> Proof | None:
        """The proof with an identity."""
        return next((proof for proof in self.proofs if proof.id == id), None)


@dataclass(frozen=True)
class Merge:
    """Both changes of a sidecar.

    Attributes
    ----------
    sidecar : what holds both.
    renamed : by its old identity, the new one of each of our proofs that was changed on both sides.
    kept : names of proofs that were removed here, and stay: they were changed there.
    """

    sidecar: Sidecar
    renamed: dict[str, str] = field(default_factory=dict)
    kept: tuple[str, ...] = ()


def with_identities(sidecar: Sidecar, renamed: Mapping[str, str]) -> Sidecar:
    """The same proofs under the identities that they have now; nothing changes where the new ones are there
    already."""
    mine = {proof.id for proof in sidecar.proofs}
    wanted = {old: new for old, new in renamed.items() if new not in mine}
    return replace(sidecar, proofs=tuple(replace(p, id=wanted.get(p.id, p.id)) for p in sidecar.proofs))


def merged(base: Sidecar, ours: Sidecar, theirs: Sidecar, removed: Container[str] = ()) -> Merge:
    """Our changes of a sidecar that was `base`, put into what is there now.

    Nothing of theirs is lost. A proof whose settings were changed on both sides stays as it is there, and
    ours goes on beside it as a variant, with an identity of its own: later changes of either touch the other
    no more.

    Parameters
    ----------
    removed : identities of the proofs that were removed here; no other one is.
    """
    kept: list[Proof] = []
    renamed: dict[str, str] = {}
    stay: list[str] = []
    order = [p.id for p in ours.proofs] + [p.id for p in theirs.proofs if ours.proof(p.id) is None]
    for id in order:
        old, mine, other = base.proof(id), ours.proof(id), theirs.proof(id)
        if mine is None:
            assert other is not None
            if id not in removed:
                kept.append(other)
            elif not other.same(old):
                kept.append(other)
                stay.append(other.name)
        elif other is None:
            if old is None or not mine.same(old):  # new, or changed here after it was removed there
                kept.append(mine)
        elif mine.settings == other.settings or _settings_of(old) in (mine.settings, other.settings):
            kept.append(_both(old, mine, other))
        else:
            taken = [p.name for side in (ours, theirs) for p in side.proofs]
            variant = replace(mine, id=new_id(), name=_variant(mine.name, taken), revision=0)
            renamed[id] = variant.id
            kept += [variant, other]
    if not kept:
        kept = list(ours.proofs)
    current = ours.proofs[min(ours.current, len(ours.proofs) - 1)].id
    place = next((k for k, p in enumerate(kept) if p.id == renamed.get(current, current)), 0)
    # of a mark that was changed on both sides ours holds
    mark = theirs.mark if ours.mark == base.mark else ours.mark
    stars = theirs.stars if ours.stars == base.stars else ours.stars
    made = replace(ours, proofs=tuple(kept), current=place, mark=mark, stars=stars)
    return Merge(made, renamed, tuple(stay))


def _settings_of(old: Proof | None) -> Settings | None:
    """Settings of a proof that may not have been there."""
    return None if old is None else old.settings


def _both(old: Proof | None, mine: Proof, other: Proof) -> Proof:
    """A proof of which each part was changed on one side at most (of a name changed on both, ours holds)."""
    before = old or other
    return replace(
        other,
        name=other.name if mine.name == before.name else mine.name,
        note=other.note if mine.note == before.note else mine.note,
        settings=other.settings if mine.settings == before.settings else mine.settings,
    )


def _variant(name: str, taken: list[str]) -> str:
    """The first free name of a proof that was made from another: “Proof 1, variant 2”."""
    first = name.rpartition(", variant ")[0] or name
    return next(n for n in (f"{first}, variant {k}" for k in count(2)) if n not in taken)


def gone_over(here: Sidecar, there: Sidecar, now: Sidecar) -> Sidecar:
    """What leads from one state of ours to another (an undone step), done to what is there now.

    Proofs that the step removes go, those that it brings back come, and of the others those settings change
    that it changes; all else stays as it is now.
    """
    kept = []
    for proof in now.proofs:
        old, new = here.proof(proof.id), there.proof(proof.id)
        if old is None or new is None:
            kept += [] if old is not None else [proof]
            continue
        changed = {path: new.settings.get(path) for path in differences(old.settings, new.settings)}
        settings = proof.settings.with_values(changed)
        if old.settings.regions != new.settings.regions:
            settings = settings.with_regions(new.settings.regions)
        name = new.name if old.name != new.name else proof.name
        note = new.note if old.note != new.note else proof.note
        kept.append(replace(proof, settings=settings, name=name, note=note))
    for place, proof in enumerate(there.proofs):
        if here.proof(proof.id) is None and now.proof(proof.id) is None:
            kept.insert(min(place, len(kept)), proof)
    if not kept:
        kept = list(now.proofs)
    wanted = there.proofs[min(there.current, len(there.proofs) - 1)].id
    current = next((k for k, p in enumerate(kept) if p.id == wanted), min(now.current, len(kept) - 1))
    mark = there.mark if here.mark != there.mark else now.mark
    stars = there.stars if here.stars != there.stars else now.stars
    return replace(now, proofs=tuple(kept), current=current, mark=mark, stars=stars)
