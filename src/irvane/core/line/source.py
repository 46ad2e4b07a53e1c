"""Sources: what a proof is made from. A file, or a merge of files; both give the line the same thing."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

import numpy as np

from irvane.core.errors import ReadError, plain_text
from irvane.core.files.boundary import reason
from irvane.core.files.formats import RENDERED_ENDINGS
from irvane.core.files.identity import content_hash
from irvane.core.files.info import FrameInfo, read_info
from irvane.core.files.opcodes import optics_of, read_corrections
from irvane.core.files.raw import RawFrame, decode_raw
from irvane.core.files.rendered import decode_rendered
from irvane.core.image import CameraColour, Mosaic, NoiseModel
from irvane.core.kernels import load_compiler
from irvane.core.lens.optics import Optics
from irvane.core.noise.model import contradicted, measure
from irvane.core.progress import Progress, always
from irvane.core.sensor.black import refined_black
from irvane.core.sensor.levels import apply_levels
from irvane.core.sensor.white import clipping_white
from irvane.core.threads import together

#: Where a source enters the line.
MOSAIC, CAMERA, MERGED, SCENE, DISPLAY = "mosaic", "camera", "merged", "scene", "display"


@dataclass(frozen=True, eq=False)
class Origin:
    """What came from where in a merge.

    Attributes
    ----------
    frames : int16 h×w, upright: index of the frame that gave most. names : of all frames.
    moved : bool h×w, where a thing that moved, or a place chosen by hand, is taken from one frame.
    """

    frames: np.ndarray
    names: tuple[str, ...]
    moved: np.ndarray


@dataclass(frozen=True)
class Loaded:
    """Decoded pixels of a source, in sensor orientation.

    Attributes
    ----------
    entry : MOSAIC, CAMERA (already demosaiced), MERGED (camera-linear, nothing clips at 1), SCENE or DISPLAY.
    mosaic : for MOSAIC.
    picture : float32 H×W×3 for the others: camera-linear, or linear BT.2020.
    colour : camera colour for MOSAIC and CAMERA.
    noise : model of the mosaic, None for pictures without one.
    levels : black and white of red, green, blue in counts, for raw files.
    denoised : for merges: the picture merged from denoised members (`picture` is merged from plain ones).
    optics : what is known of the lens.
    origin : of a merge to light, what came from where.
    clipped : of a merge, bit c where colour c clips in every frame: uint8 H×W; None when nothing does.
    """

    entry: str
    mosaic: Mosaic | None
    picture: np.ndarray | None
    colour: CameraColour | None
    noise: NoiseModel | None
    flip: int
    info: FrameInfo
    notes: tuple[str, ...]
    denoised: np.ndarray | None = None
    levels: tuple[np.ndarray, np.ndarray] | None = None
    optics: Optics = Optics()
    origin: Origin | None = None
    clipped: np.ndarray | None = None

    @property
    def extent(self) -> tuple[int, int]:
        """Height and width in sensor orientation."""
        pixels = self.mosaic.data if self.mosaic is not None else self.picture
        assert pixels is not None
        return pixels.shape[0], pixels.shape[1]


class Source(Protocol):
    """Anything that proofs are made from."""

    @property
    def key(self) -> str:
        """Identity by content."""

    @property
    def paths(self) -> tuple[Path, ...]:
        """The files behind it; the sidecar lies beside the first."""

    @property
    def name(self) -> str:
        """What it is called on screen."""

    def load(self, progress: Progress = always) -> Loaded:
        """Decode it; raises ReadError, or Cancelled when `progress` returns False."""


class FileSource:
    """A frame: one file on disk, never written to."""

    def __init__(self, path: Path) -> None:
        self.path = Path(path)
        self.name = plain_text(self.path.name)
        self._key: str | None = None

    @property
    def key(self) -> str:
        if self._key is None:
            self._key = content_hash(self.path)
        return self._key

    @property
    def paths(self) -> tuple[Path, ...]:
        return (self.path,)

    @property
    def info(self) -> FrameInfo:
        return read_info(self.path)

    def load(self, progress: Progress = always) -> Loaded:
        words = reason(self.path, "")
        if words:
            raise ReadError(self.path, words)
        if self._key is not None and content_hash(self.path) != self._key:
            raise ReadError(
                self.path, "another file has taken its place meanwhile; close it and open it again"
            )
        if self.path.suffix.lower() in RENDERED_ENDINGS:
            return self._load_rendered()
        return self._load_raw()

    def _load_rendered(self) -> Loaded:
        picture = decode_rendered(self.path)
        entry = SCENE if picture.scene else DISPLAY
        return Loaded(entry, None, picture.linear, None, None, picture.flip, picture.info, picture.notes,
                      optics=optics_of(picture.info))  # fmt: skip

    def _load_raw(self) -> Loaded:
        raw, _ = together(lambda: decode_raw(self.path), load_compiler)
        notes = list(raw.notes)
        optics = optics_of(raw.info, *read_corrections(self.path, raw.cfa))
        if optics.skipped:
            notes.append(f"Corrections in the file that are not known here: {', '.join(optics.skipped)}.")
        if raw.cfa is None:
            return self._load_linear_raw(raw, optics, notes)
        black = refined_black(raw.counts, raw.cfa, raw.black, raw.white, raw.masked)
        white = clipping_white(raw.counts, raw.cfa, raw.black, raw.white)
        if white is not raw.white:
            notes.append(
                f"The sensor clips at {white.min():.0f} counts, below the white of {raw.white.max():.0f} "
                "that the file states; that is taken for white."
            )
        mosaic = Mosaic(apply_levels(raw.counts, raw.cfa, black, white, raw.uneven), raw.cfa)
        noise = raw.noise or measure(mosaic, raw.info.iso)
        if raw.noise is not None and (found := contradicted(raw.noise, mosaic, raw.info.iso)) is not None:
            noise = found
            notes.append("The file's noise profile does not fit its noise, which was measured instead.")
        sample = raw.counts[::7, ::7]
        if sample.max() <= raw.black.max() + 2 and raw.counts.max() <= raw.black.max() + 64:
            notes.append("The frame is black throughout.")
        elif sample.min() >= raw.white.min() * 0.99:
            notes.append("The frame is clipped throughout.")
        return Loaded(
            MOSAIC, mosaic, None, raw.colour, noise, raw.flip, raw.info, tuple(notes),
            levels=(black, white), optics=optics,
        )  # fmt: skip

    @staticmethod
    def _load_linear_raw(raw: RawFrame, optics: Optics, notes: list[str]) -> Loaded:
        black, colour = raw.black, raw.colour
        scaled = (raw.counts.astype(np.float32) - black.astype(np.float32).max()) / np.float32(
            (raw.white - black).min()
        )
        if scaled.ndim == 2:
            notes.append("A monochrome sensor: colour settings have nothing to act on.")
            scaled = np.repeat(scaled[..., None], 3, axis=2)
            colour = CameraColour(np.eye(3), None, 2856.0, 6504.0, np.ones(3), False)
        return Loaded(CAMERA, None, scaled, colour, None, raw.flip, raw.info, tuple(notes), optics=optics)
