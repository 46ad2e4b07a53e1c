"""A merge as a source: its members are developed, aligned and merged; the result goes through the line.

Five kinds: ``hdr`` (scene-linear light of raw brackets), ``fusion`` (keep the detail of every exposure), ``join`` (the lights of one
frame, the shadows of another), ``mean`` (a burst, its noise averaged away) and ``panorama`` (positions that may be brackets).
"""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np

from irvane.core.colour.camera import BASE_EXPOSURE, apply_camera, transform
from irvane.core.colour.rendering import render
from irvane.core.colour.spaces import SPACES, WORKING, between
from irvane.core.errors import MergeError, ReadError, SettingError, plain_text
from irvane.core.files.opcodes import optics_of
from irvane.core.files.rendered import RENDERED_ENDINGS
from irvane.core.files.sets import find_brackets
from irvane.core.files.thumbnails import preview
from irvane.core.image import NoiseModel
from irvane.core.lens.framing import uncropped
from irvane.core.line.camera import camera_light, trim
from irvane.core.line.context import geometry_for
from irvane.core.line.realise import realise
from irvane.core.line.source import DISPLAY, MERGED, MOSAIC, FileSource, Loaded, Origin
from irvane.core.merge.align import warp
from irvane.core.merge.equalise import equalised, middle
from irvane.core.merge.fusion import fuse, join
from irvane.core.merge.ghosts import Ghosts, Place
from irvane.core.merge.hdr import (
    Member,
    Merged,
    Plan,
    Single,
    best_single,
    find_movement,
    merge,
    origin_map,
    plan,
)
from irvane.core.merge.mean import mean
from irvane.core.merge.panorama import CROPS, PROJECTIONS, Position, lay_out, stitch
from irvane.core.merge.planning import stepped_by
from irvane.core.noise.denoise import automatic_amount
from irvane.core.orientation import upright
from irvane.core.places import OutputRegion
from irvane.core.progress import Progress, always, part
from irvane.core.settings import Colour, Settings

HDR, FUSION, JOIN, MEAN, PANORAMA = "hdr", "fusion", "join", "mean", "panorama"
#: Kinds in words.
KINDS = {
    HDR: "merged to light",
    FUSION: "fused for detail",
    JOIN: "halves joined",
    MEAN: "averaged",
    PANORAMA: "stitched",
}
#: Settings that a fresh merge starts from: lamp, room and sky all readable, and black where it was.
MERGE_START = {"light.tone_map": "local", "light.black": 0.5}

#: Automatic amount up to which members are not denoised.
_LEAST_AMOUNT = 50
#: Longer side of the previews that brackets are recognised by.
_PREVIEW = 320
#: Noise of a finished picture on the scale of equalised light: its steps of 8 bits, spread by the curve that equalises it.
_FINISHED_NOISE = NoiseModel((4e-4,) * 3, (0.005,) * 3, "assumed")


@dataclass(frozen=True)
class How:
    """How frames are merged.

    Attributes
    ----------
    kind : of KINDS. ghosts : strength of the search for movement, 0…100.
    reference : name of the file whose geometry and moving things are kept; empty: the middle exposure.
    aligns : False: the frames are taken for standing still.
    projection, crop : of a panorama, see :mod:`irvane.core.merge.panorama`.
    places : chosen by hand: x, y (shares of width and height), radius (share of the width), and the name of the file that
        each is taken from.
    """

    kind: str = HDR
    ghosts: float = 50.0
    reference: str = ""
    aligns: bool = True
    projection: str = "auto"
    crop: str = "fill"
    places: tuple[tuple[float, float, float, str], ...] = ()

    def as_dict(self) -> dict[str, Any]:
        """For journals and sidecars."""
        return {key: value for key, value in asdict(self).items() if key != "places" or value}

    @staticmethod
    def from_dict(data: Any) -> How:
        """From what :meth:`as_dict` made; what does not fit counts as not said."""
        found = data if isinstance(data, dict) else {}
        plain = How()
        kind, ghosts = found.get("kind"), found.get("ghosts")
        good = isinstance(ghosts, int | float) and not isinstance(ghosts, bool) and 0 <= ghosts <= 100
        return How(
            kind if kind in KINDS else plain.kind,
            float(ghosts) if good else plain.ghosts,  # type: ignore[arg-type]
            str(found.get("reference") or ""),
            found.get("aligns") is not False,
            found["projection"] if found.get("projection") in PROJECTIONS else plain.projection,
            found["crop"] if found.get("crop") in CROPS else plain.crop,
            _places(found.get("places")),
        )


def _places(data: Any) -> tuple[tuple[float, float, float, str], ...]:
    """Places of a dictionary; what is none is passed over."""
    made = []
    for one in data if isinstance(data, list | tuple) else ():
        if isinstance(one, list | tuple) and len(one) == 4 and isinstance(one[3], str):
            numbers = [
                v for v in one[:3] if isinstance(v, int | float) and not isinstance(v, bool) and 0 <= v <= 1
            ]
            if len(numbers) == 3:
                made.append((float(numbers[0]), float(numbers[1]), float(numbers[2]), one[3]))
    return tuple(made)


class MergeSource:
    """Frames merged into one source."""

    def __init__(self, paths: Sequence[Path], how: How = How()) -> None:
        self.members = tuple(FileSource(path) for path in paths)
        self.how = how
        if len(self.members) < 2:
            raise MergeError("A merge needs at least two frames.")
        if how.reference and how.reference not in [member.path.name for member in self.members]:
            raise SettingError(f"“{how.reference}” is none of the frames that are merged.")
        strange = [name for *_, name in how.places if name not in [m.path.name for m in self.members]]
        if strange:
            raise SettingError(f"“{strange[0]}” is none of the frames that are merged.")
        finished = [m.path for m in self.members if m.path.suffix.lower() in RENDERED_ENDINGS]
        if how.kind in (HDR, PANORAMA) and finished:
            raise MergeError(
                f"{plain_text(finished[0].name)} is a finished picture: only raw frames can be merged to light or stitched; "
                "use fusion, join or mean."
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
        kind = "" if self.how.kind == HDR else f", {KINDS[self.how.kind]}"
        return f"{plain_text(self.members[0].path.stem)} + {len(self.members) - 1}{kind}"

    def load(self, progress: Progress = always) -> Loaded:
        if self.how.kind == PANORAMA:
            return self._stitched(progress)
        frames, notes = self._read(part(progress, 0.0, 0.7))
        reference = self.how.reference
        place = next((k for k, f in enumerate(frames) if f.name == reference), None) if reference else None
        if self.how.kind == HDR or (self.how.kind == MEAN and all(f.loaded.entry == MOSAIC for f in frames)):
            return self._of_light(frames, place, notes, part(progress, 0.7, 1.0))
        return self._of_pictures(frames, place, notes, part(progress, 0.7, 1.0))

    def _read(self, progress: Progress) -> tuple[list[_Frame], list[str]]:
        """The members that can be read, and sentences on those that cannot."""
        frames, notes = [], []
        count = len(self.members)
        for index, member in enumerate(self.members):
            try:
                frames.append(_frame(member, part(progress, index / count, (index + 1) / count)))
            except ReadError as error:
                notes.append(f"Left out: {error}.")
        if len(frames) < 2:
            raise MergeError("Fewer than two of these frames can be read. " + " ".join(notes))
        return frames, notes

    def _stitched(self, progress: Progress) -> Loaded:
        """Positions, brackets merged on the way, laid out and blended."""
        groups = _positions(self.members)
        positions, infos, notes, noise, colour = [], [], [], None, None
        for k, group in enumerate(groups):
            share = part(progress, 0.7 * k / len(groups), 0.7 * (k + 1) / len(groups))
            try:
                light, loaded = _position(group, self.how, share)
            except (ReadError, MergeError) as error:
                notes.append(f"Left out: {str(error).rstrip('.')}.")
                continue
            positions.append(Position(light, group[0].path.name))
            infos.append(loaded.info)
            noise, colour = noise or loaded.noise, colour or loaded.colour
        if len(positions) < 2:
            raise MergeError("Fewer than two positions can be read. " + " ".join(notes))
        values = [info.exposure_value for info in infos]
        known = [v for v in values if v is not None]
        middle = float(np.median(known)) if len(known) == len(values) else 0.0
        if len(known) == len(values):
            positions = [
                replace(p, picture=p.picture * np.float32(2.0 ** (middle - (v or 0.0))))
                for p, v in zip(positions, values, strict=True)
            ]
        layout = lay_out(positions, self.how.projection, part(progress, 0.7, 0.8))
        light, _have = stitch(positions, layout, self.how.crop, part(progress, 0.8, 1.0))
        notes += [
            f"Left out: {plain_text(name)} does not overlap with the others." for name in layout.left_out
        ]
        shape = "×".join(str(side) for side in light.shape[1::-1])
        notes.append(f"Stitched from {len(layout.used)} positions ({layout.kind}), {shape} pixels.")
        return Loaded(MERGED, None, light, colour, noise, 0, infos[layout.used[0]], tuple(notes))

    def _of_light(
        self, frames: list[_Frame], reference: int | None, notes: list[str], progress: Progress
    ) -> Loaded:
        plain = [Member(f.plain, f.noise, f.loaded.info) for f in frames]
        clean = [Member(f.clean, f.noise, f.loaded.info) for f in frames]
        same_exposure = self.how.kind == MEAN
        how = plan(clean, part(progress, 0.0, 0.5), reference, self.how.aligns, same_exposure)
        notes += _told(how, frames)
        first = frames[how.reference].loaded
        moved = find_movement(clean, how, self.how.ghosts, self._by_hand(frames))
        bring = mean if same_exposure else merge
        merged: Merged = bring(plain, how, part(progress, 0.5, 0.75), found=moved)
        same = all(f.plain is f.clean for f in frames)
        cleaned = merged if same else bring(clean, how, part(progress, 0.75, 1.0), found=moved)
        notes += _movers(moved, frames)
        if not same_exposure:
            notes.append(_alone(best_single(clean, how, cleaned.picture), frames))
        return Loaded(
            MERGED, None, merged.picture, first.colour, merged.noise, 0, first.info, tuple(notes),
            cleaned.picture, optics=optics_of(first.info),
            origin=Origin(origin_map(clean, how, moved, cleaned.picture), tuple(f.name for f in frames), moved.source >= 0),
        )  # fmt: skip

    def _by_hand(self, frames: list[_Frame]) -> list[Place]:
        """The places that were chosen by hand, by the frames that could be read."""
        names = [frame.name for frame in frames]
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
        notes += _told(how, frames)
        moved = find_movement(seen, how, self.how.ghosts, self._by_hand(frames))
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
        notes += _movers(moved, frames)
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


def _positions(members: Sequence[FileSource]) -> list[list[FileSource]]:
    """Members by position: a bracket is one."""
    infos = [member.info for member in members]
    previews: list[np.ndarray | None] = []
    for member in members:
        try:
            previews.append(preview(member.path, _PREVIEW).pixels)
        except ReadError:
            previews.append(None)
    groups: list[list[FileSource]] = []
    grouped: set[int] = set()
    for bracket in find_brackets(infos, previews):
        groups.append([members[k] for k in bracket.members])
        grouped.update(bracket.members)
    groups += [[member] for k, member in enumerate(members) if k not in grouped]
    return groups


def _position(group: Sequence[FileSource], how: How, progress: Progress) -> tuple[np.ndarray, Loaded]:
    """Light of a position with its lens corrected, upright, and what is known of it."""
    settings = Settings().with_values({"lens.aberration": "off"})
    settings = replace(settings, lens=uncropped(settings.lens))
    if len(group) > 1:
        source: MergeSource | FileSource = MergeSource(
            [one.path for one in group], How(HDR, how.ghosts, aligns=how.aligns)
        )
    else:
        source = group[0]
    loaded = source.load(part(progress, 0.0, 0.6))
    if loaded.entry not in (MOSAIC, MERGED) or loaded.noise is None:
        raise ReadError(group[0].path, "only raw frames can be stitched")
    noisy = loaded.entry == MOSAIC and automatic_amount(loaded.noise) > _LEAST_AMOUNT
    settings = settings.with_value("noise.amount", 100.0 if noisy or loaded.entry == MERGED else 0.0)
    developed, context = realise(loaded, settings, part(progress, 0.6, 1.0))
    h, w = geometry_for(settings, context).output
    whole = OutputRegion(0, 0, h, w)
    light = trim(camera_light(developed, settings, context, whole), whole).pixels
    return light, replace(loaded, mosaic=None, picture=None, denoised=None)


def _frame(source: FileSource, progress: Progress) -> _Frame:
    loaded = source.load()
    if loaded.entry == DISPLAY:
        assert loaded.picture is not None
        picture = np.ascontiguousarray(upright(loaded.picture, loaded.flip), np.float32)
        return _Frame(source.path.name, replace(loaded, picture=None), picture, picture, _FINISHED_NOISE)
    if loaded.entry != MOSAIC or loaded.noise is None:
        raise ReadError(source.path, "only raw frames and finished pictures can be merged")
    noisy = automatic_amount(loaded.noise) > _LEAST_AMOUNT
    settings = Settings().with_values({"noise.amount": 100.0 if noisy else 0.0, "lens.aberration": "off"})
    made, _ = realise(loaded, settings, progress, both=True)
    plain = made.plain.read_all()
    clean = plain if made.denoised is None else made.denoised.read_all()
    return _Frame(source.path.name, replace(loaded, mosaic=None), plain, clean, loaded.noise)


def _average(frames: Sequence[np.ndarray], counts: Sequence[np.ndarray]) -> np.ndarray:
    """The plain mean of encoded pictures."""
    total = sum(f * c[..., None] for f, c in zip(frames, counts, strict=True))
    return np.asarray(total / np.maximum(sum(counts), 1e-6)[..., None], np.float32)


def _movers(moved: Ghosts, frames: Sequence[_Frame]) -> list[str]:
    """From which frames things that moved are taken."""
    if moved.share <= 0.0005:
        return []
    shares = [(float((moved.source == k).mean()), plain_text(frame.name)) for k, frame in enumerate(frames)]
    said = [(share, name) for share, name in sorted(shares, reverse=True) if share > 0.0005]
    if len(said) == 1:
        return [f"Movement in {moved.share:.1%} of the picture, taken from {said[0][1]}."]
    parts = ", ".join(f"{share:.1%} from {name}" for share, name in said)
    return [f"Movement in {moved.share:.1%} of the picture: {parts}."]


def _alone(single: Single, frames: Sequence[_Frame]) -> str:
    """Whether one frame would have done."""
    name = plain_text(frames[single.index].name)
    lacks = [
        f"{stops:.1f} stops of the {what}"
        for stops, what in ((single.lights, "lights"), (single.shadows, "shadows"))
        if stops >= 0.3
    ]
    return f"{name} alone would do." if not lacks else f"{name} alone would lack {' and '.join(lacks)}."


def _told(how: Plan, frames: Sequence[_Frame]) -> list[str]:
    """What there is to say of how frames were brought together."""
    used = how.used
    notes = [f"Left out: {plain_text(frames[k].name)} {reason}." for k, reason in how.left_out]
    span = float(np.log2(max(how.ratios[k] for k in used) / min(how.ratios[k] for k in used)))
    over = f" over {span:.1f} EV" if span > 0.05 else ""
    notes.append(f"From {len(used)} frames{over}.")
    stepped = stepped_by([frames[k].loaded.info for k in used])
    if stepped:
        notes.append(stepped)
    if how.estimated:
        notes.append(
            "The files do not say how they were exposed: the steps were estimated from the pictures."
        )
    shape = frames[how.reference].plain.shape
    furthest = max(how.motions[k].furthest(shape) for k in used)
    notes.append(
        "No frame moved against the others."
        if furthest == 0
        else f"Largest shift between frames: {furthest:.1f} px."
    )
    if how.off > 1.0:
        notes.append(f"Some places still lie up to {how.off:.1f} px off: near things, or wind.")
    return notes
