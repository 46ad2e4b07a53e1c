"""A merge as a source: its members are developed, aligned and merged; the result goes through the line."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from irvane.core.colour.camera import BASE_EXPOSURE, apply_camera, transform
from irvane.core.colour.rendering import render
from irvane.core.colour.spaces import SPACES, WORKING, between
from irvane.core.errors import MergeError, plain_text
from irvane.core.files.opcodes import optics_of
from irvane.core.files.rendered import RENDERED_ENDINGS
from irvane.core.line.realise import realise
from irvane.core.line.source import DISPLAY, MERGED, MOSAIC, FileSource, Loaded
from irvane.core.merge.align import warp
from irvane.core.merge.fusion import fuse
from irvane.core.merge.hdr import Member, merge, plan
from irvane.core.noise.denoise import automatic_amount
from irvane.core.progress import Progress, always, part
from irvane.core.settings import Colour, Settings

#: Settings that a fresh merge starts from: the range fitted in by less than half, the lights lowered by themselves.
MERGE_START = {"light.tone_map": "photographic", "light.tone_strength": 40.0, "light.highlights": -3.0}

#: Automatic amount up to which members are not denoised.
_LEAST_AMOUNT = 50


class MergeSource:
    """A bracket merged to scene-linear light."""

    def __init__(self, paths: Sequence[Path]) -> None:
        self.members = tuple(FileSource(path) for path in paths)
        if len(self.members) < 2:
            raise MergeError("A merge needs at least two frames.")

    @property
    def key(self) -> str:
        joined = "hdr@1:" + ":".join(member.key for member in self.members)
        return hashlib.blake2b(joined.encode(), digest_size=16).hexdigest()

    @property
    def paths(self) -> tuple[Path, ...]:
        return tuple(member.path for member in self.members)

    @property
    def name(self) -> str:
        return f"{plain_text(self.members[0].path.stem)} + {len(self.members) - 1}"

    def load(self, progress: Progress = always) -> Loaded:
        count = len(self.members)
        developed = []
        for index, member in enumerate(self.members):
            developed.append(_member(member, part(progress, 0.7 * index / count, 0.7 * (index + 1) / count)))
        loads = [loaded for loaded, _, _ in developed]
        first = loads[0]
        if any(loaded.colour is None or loaded.noise is None for loaded in loads) or first.colour is None:
            raise MergeError(
                "Only raw frames can be merged to scene-linear light; use fusion for finished pictures."
            )
        plain = [Member(p, loaded.noise, loaded.info) for loaded, p, _ in developed if loaded.noise]
        clean = [Member(c, loaded.noise, loaded.info) for loaded, _, c in developed if loaded.noise]
        how = plan(clean, part(progress, 0.7, 0.85))
        merged = merge(plain, how, part(progress, 0.85, 0.92))
        same = all(a.picture is b.picture for a, b in zip(plain, clean, strict=True))
        merged_clean = merged if same else merge(clean, how, part(progress, 0.92, 1.0))
        share = float(merged_clean.replaced.mean())
        notes = [f"Merged from {count} frames over {_span(how.ratios):.1f} EV."]
        furthest = max(motion.shift for motion in how.motions)
        notes.append(f"Largest shift between frames: {furthest:.1f} px.")
        if share > 0.0005:
            notes.append(f"Movement left out in {share:.1%} of the picture.")
        reference = loads[how.reference]
        return Loaded(
            MERGED, None, merged.picture, first.colour, merged.noise, 0, reference.info, tuple(notes),
            merged_clean.picture, optics=optics_of(reference.info),
        )  # fmt: skip


def _span(ratios: Sequence[float]) -> float:
    return float(np.log2(max(ratios) / min(ratios)))


def _member(source: FileSource, progress: Progress) -> tuple[Loaded, np.ndarray, np.ndarray]:
    """Plain and denoised camera-linear pictures of one frame, upright."""
    loaded = source.load()
    if loaded.entry != MOSAIC:
        raise MergeError(f"{source.path}: only raw frames can be merged to scene-linear light.")
    assert loaded.noise is not None
    noisy = automatic_amount(loaded.noise) > _LEAST_AMOUNT
    settings = Settings().with_values({"noise.amount": 100.0 if noisy else 0.0, "lens.aberration": "off"})
    made, _ = realise(loaded, settings, progress, both=True)
    plain = made.plain.read_all()
    return loaded, plain, plain if made.denoised is None else made.denoised.read_all()


def fuse_files(paths: Sequence[Path], progress: Progress = always) -> np.ndarray:
    """Exposure fusion of frames or finished pictures: float32 H×W×3, encoded sRGB 0…1.

    Raises
    ------
    MergeError
        When the frames do not fit together.
    """
    if len(paths) < 2:
        raise MergeError("A fusion needs at least two frames.")
    shown: list[np.ndarray] = []
    members: list[Member] = []
    for index, path in enumerate(paths):
        source = FileSource(path)
        if path.suffix.lower() in RENDERED_ENDINGS:
            finished = source.load()
            assert finished.picture is not None
            if finished.entry != DISPLAY:
                raise MergeError(f"{path}: scene-linear pictures cannot be fused; give raw or finished ones.")
            linear = finished.picture @ between(WORKING, SPACES["srgb"]).T.astype(np.float32)
            shown.append(SPACES["srgb"].encode(linear))
            continue
        loaded, _, clean = _member(source, part(progress, index / len(paths), (index + 1) / len(paths)))
        assert loaded.colour is not None and loaded.noise is not None
        members.append(Member(clean, loaded.noise, loaded.info))
        balance, matrix = transform(loaded.colour, Colour())
        scene = apply_camera(clean, balance, matrix * 2.0**BASE_EXPOSURE, 1.0)
        shown.append(SPACES["srgb"].encode(render(scene)))
    if members and len(members) == len(shown):
        how = plan(members)
        frames = []
        for frame, motion in zip(shown, how.motions, strict=True):
            moved = warp(frame, motion)
            outside = ~np.isfinite(moved)
            frames.append(np.where(outside, shown[how.reference], moved).astype(np.float32))
        shown = frames
    return fuse(shown)
