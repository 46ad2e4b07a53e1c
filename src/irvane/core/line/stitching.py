"""A panorama as a source: its positions, brackets merged on the way, are kept on disk as they are made, then
laid out and blended.

What was made of a position survives a crash or a pause: a run that is started again goes on behind it, to the
same pixels.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from irvane.core.colour.spaces import SPACES
from irvane.core.errors import MergeError, ReadError, plain_text
from irvane.core.files.sets import find_brackets
from irvane.core.files.thumbnails import preview
from irvane.core.image import NoiseModel
from irvane.core.lens.framing import uncropped
from irvane.core.line.camera import camera_light
from irvane.core.line.context import geometry_for
from irvane.core.line.merge_options import MergeOptions
from irvane.core.line.realise import realise
from irvane.core.line.source import MERGED, MOSAIC, FileSource, Loaded
from irvane.core.merge.kinds import HDR
from irvane.core.merge.layout import Position, lay_out
from irvane.core.merge.panorama import checked, stitch
from irvane.core.noise.denoise import automatic_amount
from irvane.core.pixels.patches import trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.progress import Progress, part, step
from irvane.core.store.cache import ResultCache

#: Makes a merge of frames.
Merge = Callable[[Sequence[Path], MergeOptions, Progress], Loaded]
#: Automatic amount up to which a single frame is not denoised.
_LEAST_AMOUNT = 50
#: Longer side of the previews that brackets are recognised by.
_PREVIEW = 320
#: Longer side of the previews that a panorama is tried on; layouts in words.
_TRIED = 900
_KINDS = {
    "affine": "planar",
    "plane": "with straight lines",
    "cylindrical": "on a cylinder",
    "spherical": "on a sphere",
}
#: Name and version of how positions are made, part of the keys that they are kept by.
_METHOD = "position@2"


def stitched(members: Sequence[FileSource], how: MergeOptions, merge: Merge, progress: Progress) -> Loaded:
    """The panorama of files.

    Raises
    ------
    MergeError, Cancelled
    """
    groups, store = _positions(members), ResultCache()
    positions: list[Position] = []
    known: list[_Facts] = []
    notes: list[str] = []
    for k, group in enumerate(groups):
        share = part(progress, 0.7 * k / len(groups), 0.7 * (k + 1) / len(groups))
        try:
            light, about = _position(group, how, merge, store, share)
        except (ReadError, MergeError) as error:
            notes.append(f"Left out: {str(error).rstrip('.')}.")
            continue
        positions.append(Position(light, group[0].path.name))
        known.append(about)
    if len(positions) < 2:
        raise MergeError("Fewer than two positions can be read. " + " ".join(notes))
    values = [about.file.info.exposure_value for about in known]
    stated = [v for v in values if v is not None]
    if len(stated) == len(values):
        middle = float(np.median(stated))
        positions = [
            replace(p, exposure=float(2.0 ** (middle - v))) for p, v in zip(positions, stated, strict=True)
        ]
    layout = lay_out(positions, how.projection, part(progress, 0.7, 0.8), how.points)
    if not how.points:
        layout = checked(positions, layout)
    light, _have = stitch(positions, layout, how.crop, part(progress, 0.8, 1.0))
    notes += [
        f"Left out: {plain_text(name)} does not fit the others, or does not overlap with them."
        for name in layout.left_out
    ]
    shape = "×".join(str(side) for side in light.shape[1::-1])
    notes.append(f"Stitched from {len(layout.used)} positions ({_KINDS[layout.kind]}), {shape} pixels.")
    first = known[layout.used[0]]
    about_first = first.file.load()
    return Loaded(MERGED, None, light, about_first.colour, first.noise, 0, about_first.info, tuple(notes))


@dataclass(frozen=True)
class Trial:
    """A panorama tried on small pictures.

    Attributes
    ----------
    pixels : uint8 H×W×3, sRGB. words : how it is laid out, and what does not fit.
    """

    pixels: np.ndarray
    words: str


def try_layout(members: Sequence[FileSource], how: MergeOptions, progress: Progress) -> Trial:
    """How a panorama would look, from the previews in its files, in a second or two.

    Raises
    ------
    MergeError, Cancelled
    """
    positions = []
    for k, group in enumerate(_positions(members)):
        step(progress, 0.3 * k / len(members))
        middle = sorted(group, key=lambda one: one.info.exposure_value or 0.0)[len(group) // 2]
        try:
            coded = preview(middle.path, _TRIED).pixels
        except ReadError:
            continue
        light = SPACES["srgb"].decode(coded.astype(np.float32) / 255)
        positions.append(Position(light.astype(np.float32), group[0].path.name))
    layout = lay_out(positions, how.projection, part(progress, 0.3, 0.7), how.points)
    if not how.points:
        layout = checked(positions, layout)
    light, _have = stitch(positions, layout, how.crop, part(progress, 0.7, 1.0))
    shown = np.rint(SPACES["srgb"].encode(np.clip(light, 0, 1)) * 255).astype(np.uint8)
    words = f"{len(layout.used)} of {len(positions)} positions fit, {_KINDS[layout.kind]}."
    if layout.left_out:
        words += f" {plain_text(', '.join(layout.left_out), 80)}: set the same places by hand, below."
    return Trial(np.ascontiguousarray(shown), words)


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


@dataclass(frozen=True)
class _Facts:
    """What is known of a position.

    Attributes
    ----------
    file : the frame whose exposure its light has.
    """

    file: FileSource
    noise: NoiseModel

    def as_array(self, group: Sequence[FileSource]) -> np.ndarray:
        noise = self.noise
        told = [group.index(self.file), list(noise.gain), list(noise.read), noise.origin]
        return np.frombuffer(json.dumps(told).encode(), np.uint8)

    @staticmethod
    def from_array(kept: np.ndarray, group: Sequence[FileSource]) -> _Facts:
        index, gain, read, origin = json.loads(kept.tobytes())
        return _Facts(group[index], NoiseModel(tuple(gain), tuple(read), origin))


def _position(
    group: Sequence[FileSource], how: MergeOptions, merge: Merge, store: ResultCache, progress: Progress
) -> tuple[np.ndarray, _Facts]:
    """Light of a position with its lens corrected, upright, and what is known of it; from disk where it was
    made before."""
    own = [how.settings_of(one.path.name) for one in group]
    joined = f"{_METHOD} {how.ghosts} {how.aligns} {own}:" + ":".join(one.key for one in group)
    key = hashlib.blake2b(joined.encode(), digest_size=16).hexdigest()
    light, facts = store.mapped(f"{key} light"), store.get(f"{key} facts")
    if light is not None and facts is not None:
        return light, _Facts.from_array(facts, group)
    made, found = _made(group, how, merge, progress)
    store.put(f"{key} facts", found.as_array(group))
    store.put(f"{key} light", made)
    light = store.mapped(f"{key} light")
    return (made if light is None else light), found


def _made(
    group: Sequence[FileSource], how: MergeOptions, merge: Merge, progress: Progress
) -> tuple[np.ndarray, _Facts]:
    own = how.settings_of(group[0].path.name)
    settings = own.with_values({"lens.aberration": "off"})
    settings = replace(settings, lens=uncropped(settings.lens))
    if len(group) > 1:
        bracket = MergeOptions(HDR, how.ghosts, aligns=how.aligns, own=how.own)
        loaded = merge([one.path for one in group], bracket, part(progress, 0.0, 0.8))
    else:
        loaded = group[0].load()
    if loaded.entry not in (MOSAIC, MERGED) or loaded.noise is None:
        raise ReadError(group[0].path, "only raw frames can be stitched")
    if loaded.entry == MERGED:
        settings = settings.with_value("noise.amount", 100.0)
    elif own.noise.amount is None:
        noisy = automatic_amount(loaded.noise) > _LEAST_AMOUNT
        settings = settings.with_value("noise.amount", 100.0 if noisy else 0.0)
    file = next((one for one in group if one.info == loaded.info), group[0])
    facts = _Facts(file, loaded.noise)
    developed, context = realise(loaded, settings, part(progress, 0.8, 1.0))
    h, w = geometry_for(settings, context).output
    whole = OutputRegion(0, 0, h, w)
    return trim(camera_light(developed, settings, context, whole), whole).pixels, facts
