"""A frame or a merge that is open, with its proofs."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

from irvane.core.files.info import FrameInfo
from irvane.core.files.proofs import Sidecar
from irvane.core.files.thumbnails import Preview
from irvane.core.judge.measured import Measured
from irvane.core.line.merging import MergeSource
from irvane.core.line.source import Source
from irvane.core.settings import Settings, bare

#: In place of a proof's number: the frame without any automatic and without its settings.
BARE = -1


@dataclass
class Item:
    """A frame or a merge that is open.

    Attributes
    ----------
    number : identity within the session.
    ready : True once its sidecar has been read; before that nothing can be changed.
    problem : why it cannot be shown, or empty.
    locked : why its proofs cannot be changed, or empty.
    bracket : item numbers of the frames of its set, in the order taken; empty when it stands alone.
    set_kind : of that set, of :mod:`irvane.core.files.frame_sets`.
    panorama : positions (each a set or a frame, by item numbers) of the panorama that it is part of.
    offset : EV against the middle exposure of the bracket.
    diagnosis : what is the matter with it, in words; empty until it has been developed.
    pair : number of the other picture of the same shot (raw and finished), None when there is none; the raw
        `leads`.
    measured : figures of the whole frame for choosing; None until they were asked for and read.
    stand_in : the preview is that of one member, until the merge has been made.
    developed : settings, and how it looks under them, since it was developed.
    removed : names of the proofs that were removed here, by their identities.
    """

    number: int
    source: Source
    info: FrameInfo = field(default_factory=FrameInfo)
    preview: Preview | None = None
    sidecar: Sidecar = field(default_factory=Sidecar)
    ready: bool = False
    problem: str = ""
    locked: str = ""
    bracket: tuple[int, ...] = ()
    set_kind: str = ""
    panorama: tuple[tuple[int, ...], ...] = ()
    offset: float | None = None
    diagnosis: str = ""
    pair: int | None = None
    leads: bool = True
    measured: Measured | None = None
    stand_in: bool = False
    developed: tuple[Settings, Preview] | None = None
    removed: dict[str, str] = field(default_factory=dict)

    @property
    def is_merge(self) -> bool:
        return isinstance(self.source, MergeSource)

    @property
    def path(self) -> Path:
        return self.source.paths[0]

    @property
    def picture(self) -> Preview | None:
        """Its small picture: its own development once there is one, or what the file holds."""
        own = self.developed
        return own[1] if own is not None and own[0] == self.settings(self.sidecar.current) else self.preview

    def settings(self, proof: int) -> Settings:
        """Settings of a proof by its number, or of the bare frame."""
        if proof == BARE:
            return bare()
        return self.sidecar.proofs[min(proof, len(self.sidecar.proofs) - 1)].settings

    def proof_name(self, proof: int) -> str:
        """Name of a proof as it is shown."""
        return "bare" if proof == BARE else self.sidecar.proofs[min(proof, len(self.sidecar.proofs) - 1)].name
