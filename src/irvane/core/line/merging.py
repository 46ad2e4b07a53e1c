"""A merge as a source: its members are developed, aligned and merged; the result goes through the line.

Five kinds: ``hdr`` (scene-linear light of raw brackets), ``fusion`` (keep the detail of every exposure),
``join`` (the lights of one frame, the shadows of another), ``mean`` (a burst, its noise averaged away) and
``panorama`` (positions that may be brackets).
"""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path

import numpy as np

from irvane.core.colour.camera import BASE_EXPOSURE, apply_camera, transform
from irvane.core.colour.rendering import render
from irvane.core.colour.spaces import SPACES, WORKING, between
from irvane.core.colour.whitebalance import gains
from irvane.core.errors import MergeError, ReadError, SettingError, plain_text
from irvane.core.files.formats import RENDERED_ENDINGS
from irvane.core.files.opcodes import optics_of
from irvane.core.image import NoiseModel
from irvane.core.line.merge_lights import clipped_everywhere, rebuild_lights
from irvane.core.line.merge_options import MergeOptions
from irvane.core.line.merge_words import told_of_movers, told_of_plan, told_of_single
from irvane.core.line.realise import realise
from irvane.core.line.source import DISPLAY, MERGED, MOSAIC, FileSource, Loaded, Origin
from irvane.core.line.still import find_still, merge_still
from irvane.core.line.stitching import stitched
from irvane.core.merge.align import warp
from irvane.core.merge.equalise import equalised, middle
from irvane.core.merge.fusion import fuse, join
from irvane.core.merge.ghosts import Place
from irvane.core.merge.hdr import Merged, best_single, find_movement, merge, origin_map
from irvane.core.merge.kinds import FUSION, HDR, JOIN, KINDS, MEAN, PANORAMA
from irvane.core.merge.mean import mean
from irvane.core.merge.registration import Member, plan
from irvane.core.noise.denoise import Removal, automatic_amount
from irvane.core.orientation import upright
from irvane.core.progress import Progress, always, part, step
from irvane.core.settings import Colour, Settings

#: Automatic amount up to which members are not denoised.
_LEAST_AMOUNT = 50
#: Noise of a finished picture on the scale of equalised light: its steps of 8 bits, spread by the curve that
#: equalises it.
_FINISHED_NOISE = NoiseModel((4e-4,) * 3, (0.005,) * 3, "assumed")


class MergeSource:
    """Frames merged into one source."""

    def __init__(self, paths: Sequence[Path], how: MergeOptions = MergeOptions()) -> None:
        self.members = tuple(FileSource(path) for path in paths)
        self.how = how
        if len(self.members) < 2:
            raise MergeError("A merge needs at least two frames.")
        if how.reference and how.reference not in [member.path.name for member in self.members]:
            raise SettingError(f"“{how.reference}” is none of the frames that are merged.")
        names = [m.path.name for m in self.members]
        chosen = [name for *_, name in how.places] + [
            name for pair in how.points for name in (pair[0], pair[3])
        ]
        strange = [name for name in chosen if name not in names]
        if strange:
            raise SettingError(f"“{strange[0]}” is none of the frames that are merged.")
        finished = [m.path for m in self.members if m.path.suffix.lower() in RENDERED_ENDINGS]
        if KINDS[how.kind].of_light and finished:
            raise MergeError(
                f"{plain_text(finished[0].name)} is a finished picture: HDR and panorama need raw frames; "
                "choose exposure fusion, join halves or mean of a burst."
            )

    @property
    def key(self) -> str:
        joined = f"{self.how.kind}@2 {self.how.as_dict()}:" + ":".join(member.key for member in self.members)
        return hashlib.blake2b(joined.encode(), digest_size=16).hexdigest()

    @property
    def paths(self) -> tuple[Path, ...]:
        return tuple(member.path for member in self.members)

    @property
    def name(self) -> str:
        kind = "" if self.how.kind == HDR else f", {KINDS[self.how.kind].done}"
        return f"{plain_text(self.members[0].path.stem)} + {len(self.members) - 1}{kind}"

    def load(self, progress: Progress = always) -> Loaded:
        if self.how.kind == PANORAMA:
            return stitched(self.members, self.how, self._merged, progress)
        members, loaded, notes = self._opened(part(progress, 0.0, 0.1))
        names = [member.path.name for member in members]
        place = names.index(self.how.reference) if self.how.reference in names else None
        if self.how.kind == HDR:
            made = self._still(names, loaded, place, progress)
            if made is not None:
                return replace(made, notes=(*notes, *made.notes))
        frames, more = self._developed(members, loaded, part(progress, 0.25, 0.7))
        notes += more
        place = next((k for k, f in enumerate(frames) if f.name == self.how.reference), None)
        if self.how.kind == HDR or (self.how.kind == MEAN and all(f.loaded.entry == MOSAIC for f in frames)):
            return self._of_light(frames, place, notes, part(progress, 0.7, 1.0))
        return self._of_pictures(frames, place, notes, part(progress, 0.7, 1.0))

    @staticmethod
    def _merged(paths: Sequence[Path], how: MergeOptions, progress: Progress) -> Loaded:
        return MergeSource(paths, how).load(progress)

    def _opened(self, progress: Progress) -> tuple[list[FileSource], list[Loaded], list[str]]:
        """The members that can be read, decoded, and sentences on those that cannot."""
        members, loaded, notes = [], [], []
        for index, member in enumerate(self.members):
            step(progress, index / len(self.members))
            try:
                loaded.append(member.load())
                members.append(member)
            except ReadError as error:
                notes.append(f"Left out: {error}.")
        if len(members) < 2:
            raise MergeError("Fewer than two of these frames can be read. " + " ".join(notes))
        return members, loaded, notes

    def _still(
        self, names: list[str], loaded: list[Loaded], reference: int | None, progress: Progress
    ) -> Loaded | None:
        """The merge of frames that stand still, as mosaics; None when one moved, or they are of several
        kinds."""
        settings = [self.how.settings_of(name) for name in names]
        sensors = [one.sensor for one in settings]
        still = find_still(names, loaded, sensors, reference, self.how.aligns, part(progress, 0.1, 0.25))
        if still is None:
            return None
        first = still.how.reference
        noisy = [f.noise is not None and automatic_amount(f.noise) > _LEAST_AMOUNT for f in loaded]
        removal = _removal(settings[first], any(noisy))
        places = self._by_hand(names)
        return merge_still(still, self.how.ghosts, places, sensors[first], removal, part(progress, 0.25, 1.0))

    def _developed(
        self, members: list[FileSource], loaded: list[Loaded], progress: Progress
    ) -> tuple[list[_Frame], list[str]]:
        """Frames in full colour, and sentences on those that cannot be merged."""
        frames, notes = [], []
        count = len(members)
        for index, member in enumerate(members):
            share = part(progress, index / count, (index + 1) / count)
            try:
                frames.append(_frame(member, loaded[index], self.how.settings_of(member.path.name), share))
            except ReadError as error:
                notes.append(f"Left out: {error}.")
        if len(frames) < 2:
            raise MergeError("Fewer than two of these frames can be read. " + " ".join(notes))
        return frames, notes

    def _of_light(
        self, frames: list[_Frame], reference: int | None, notes: list[str], progress: Progress
    ) -> Loaded:
        plain = [Member(f.plain, f.noise, f.loaded.info) for f in frames]
        clean = [Member(f.clean, f.noise, f.loaded.info) for f in frames]
        same_exposure = self.how.kind == MEAN
        how = plan(clean, part(progress, 0.0, 0.5), reference, self.how.aligns, same_exposure)
        notes += told_of_plan(
            how, [f.name for f in frames], [f.loaded.info for f in frames], frames[how.reference].plain.shape
        )
        first = frames[how.reference].loaded
        moved = find_movement(clean, how, self.how.ghosts, self._by_hand([f.name for f in frames]))
        bring = mean if same_exposure else merge
        merged: Merged = bring(plain, how, part(progress, 0.5, 0.75), found=moved)
        same = all(f.plain is f.clean for f in frames)
        cleaned = merged if same else bring(clean, how, part(progress, 0.75, 1.0), found=moved)
        notes += told_of_movers(moved, [f.name for f in frames])
        shortest = max(how.used, key=lambda k: how.ratios[k])
        clipped = clipped_everywhere(warp(plain[shortest].picture, how.motions[shortest]))
        if self.how.settings_of(frames[how.reference].name).sensor.highlights == "rebuild":
            assert first.colour is not None
            for picture in (merged.picture,) if same else (merged.picture, cleaned.picture):
                rebuild_lights(picture, clipped, how.ratios[shortest], gains(first.colour.neutral))
        if not same_exposure:
            notes.append(told_of_single(best_single(clean, how, cleaned.picture), [f.name for f in frames]))
        return Loaded(
            MERGED, None, merged.picture, first.colour, merged.noise, 0, first.info, tuple(notes),
            cleaned.picture, optics=optics_of(first.info),
            origin=Origin(origin_map(clean, how, moved, cleaned.picture), tuple(f.name for f in frames),
            moved.source >= 0), clipped=clipped,
        )  # fmt: skip

    def _by_hand(self, names: list[str]) -> list[Place]:
        """The places that were chosen by hand, by the frames that could be read."""
        return [Place(x, y, r, names.index(name)) for x, y, r, name in self.how.places if name in names]

    def _of_pictures(
        self, frames: list[_Frame], reference: int | None, notes: list[str], progress: Progress
    ) -> Loaded:
        raw = all(f.loaded.entry == MOSAIC for f in frames)
        same = self.how.kind == MEAN
        if raw:  # places and movers are found in light, before any tone curve
            seen = [Member(f.clean, f.noise, f.loaded.info) for f in frames]
            how = plan(seen, part(progress, 0.0, 0.6), reference, self.how.aligns, same)
        else:
            pictures = [f.shown for f in frames]
            first = middle(pictures) if reference is None else reference
            alike = [k for k, p in enumerate(pictures) if p.shape == pictures[first].shape]
            even = dict(zip(alike, equalised([pictures[k] for k in alike], alike.index(first)), strict=True))
            seen = [
                Member(even.get(k, p), _FINISHED_NOISE, f.loaded.info)
                for k, (p, f) in enumerate(zip(pictures, frames, strict=True))
            ]
            how = plan(seen, part(progress, 0.0, 0.6), first, self.how.aligns, same, equalised=True)
        notes += told_of_plan(
            how, [f.name for f in frames], [f.loaded.info for f in frames], frames[how.reference].plain.shape
        )
        moved = find_movement(seen, how, self.how.ghosts, self._by_hand([f.name for f in frames]))
        size = seen[how.reference].picture.shape[:2]
        shown = []
        counts = []
        for k in how.used:
            picture = warp(frames[k].shown, how.motions[k])
            outside = ~np.isfinite(picture[..., 0])
            picture = np.where(outside[..., None], frames[how.reference].shown, picture).astype(np.float32)
            shown.append(picture)
            counts.append(moved.counts(k, size) * np.where(outside, np.float32(0), np.float32(1)))
        order = np.argsort([float(np.mean(picture)) for picture in shown])
        make = {FUSION: fuse, JOIN: join, MEAN: _average}[self.how.kind]
        made = make([shown[k] for k in order], [counts[k] for k in order])
        notes += told_of_movers(moved, [f.name for f in frames])
        light = SPACES["srgb"].decode(made) @ between(SPACES["srgb"], WORKING).T.astype(np.float32)
        info = frames[how.reference].loaded.info
        return Loaded(
            DISPLAY, None, np.ascontiguousarray(light, np.float32), None, None, 0, info, tuple(notes),
            optics=optics_of(info),
        )  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Frame:
    """A member, upright: camera-linear, plain and denoised (raw), and as it is shown (encoded sRGB)."""

    name: str
    loaded: Loaded
    plain: np.ndarray
    clean: np.ndarray
    noise: NoiseModel

    @cached_property
    def shown(self) -> np.ndarray:
        """Encoded sRGB 0…1."""
        return SPACES["srgb"].encode(self.shown_linear)

    @cached_property
    def shown_linear(self) -> np.ndarray:
        """What is shown, linear sRGB 0…1."""
        if self.loaded.entry == DISPLAY:
            return np.clip(self.plain @ between(WORKING, SPACES["srgb"]).T.astype(np.float32), 0, 1)
        assert self.loaded.colour is not None
        balance, matrix = transform(self.loaded.colour, Colour())
        scene = apply_camera(self.clean, balance, matrix * 2.0**BASE_EXPOSURE, 1.0)
        return np.clip(render(scene), 0, 1)


def _frame(source: FileSource, loaded: Loaded, own: Settings, progress: Progress) -> _Frame:
    if loaded.entry == DISPLAY:
        assert loaded.picture is not None
        picture = np.ascontiguousarray(upright(loaded.picture, loaded.flip), np.float32)
        return _Frame(source.path.name, replace(loaded, picture=None), picture, picture, _FINISHED_NOISE)
    if loaded.entry != MOSAIC or loaded.noise is None:
        raise ReadError(source.path, "only raw frames and finished pictures can be merged")
    amount = own.noise.amount
    if amount is None:
        amount = 100.0 if automatic_amount(loaded.noise) > _LEAST_AMOUNT else 0.0
    settings = own.with_values({"noise.amount": amount, "lens.aberration": "off"})
    made, _ = realise(loaded, settings, progress, both=True)
    plain = made.plain.read_all()
    clean = plain if made.denoised is None else made.denoised.read_all()
    return _Frame(source.path.name, replace(loaded, mosaic=None), plain, clean, loaded.noise)


def _removal(settings: Settings, noisy: bool) -> Removal:
    """How a merge is denoised: as its middle frame would be, or not at all where noise does not show."""
    amount = settings.noise.amount
    if amount is None:
        amount = 100.0 if noisy else 0.0
    strength = 0.0 if amount <= 0 else 1.0 + max(0.0, amount - 100.0) / 100.0
    return Removal(strength, settings.noise.method, settings.noise.removed_by) if strength else Removal()


def _average(frames: Sequence[np.ndarray], counts: Sequence[np.ndarray]) -> np.ndarray:
    """The plain mean of encoded pictures."""
    total = sum(f * c[..., None] for f, c in zip(frames, counts, strict=True))
    return np.asarray(total / np.maximum(sum(counts), 1e-6)[..., None], np.float32)
