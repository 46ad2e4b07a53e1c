"""Proofs of a source, and two changes of them made one."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, field, replace

from irvane.core.settings import Settings

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


def merged(base: Sidecar, ours: Sidecar, theirs: Sidecar) -> tuple[Sidecar, list[str]]:
    """Both changes of a sidecar that was `base`, and the names of proofs that were changed on both sides.

    Of such a proof both stay: ours, and theirs under a name of its own.
    """
    kept: list[Proof] = []
    conflicts: list[str] = []
    order = [p.id for p in ours.proofs] + [p.id for p in theirs.proofs if ours.proof(p.id) is None]
    for id in order:
        old, mine, other = base.proof(id), ours.proof(id), theirs.proof(id)
        if mine is None or other is None:
            one = mine or other
            assert one is not None
            if old is None or not one.same(old):  # new, or changed after the other side removed it
                kept.append(one)
            continue
        revision = max(mine.revision, other.revision)
        if mine.same(old) or mine.same(other):
            kept.append(replace(other, revision=revision))
            continue
        kept.append(replace(mine, revision=revision))
        if not other.same(old):
            conflicts.append(mine.name)
            kept.append(replace(other, id=new_id(), name=f"{other.name}, changed elsewhere"))
    if not kept:
        kept = list(ours.proofs)
    current = ours.proofs[min(ours.current, len(ours.proofs) - 1)].id
    place = next((k for k, p in enumerate(kept) if p.id == current), 0)
    # of a mark that was changed on both sides ours holds
    mark = theirs.mark if ours.mark == base.mark else ours.mark
    stars = theirs.stars if ours.stars == base.stars else ours.stars
    return replace(ours, proofs=tuple(kept), current=place, mark=mark, stars=stars), conflicts
