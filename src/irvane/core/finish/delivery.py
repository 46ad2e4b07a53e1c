"""Writing a developed picture as a destination says: size, sharpening for the medium, format, metadata."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from irvane.core.acutance.enlarging import LANCZOS, enlarged, enlarged_extent
from irvane.core.colour.camera import BASE_EXPOSURE
from irvane.core.colour.rendering import encode
from irvane.core.errors import WriteError
from irvane.core.files.carrying import Kept
from irvane.core.files.info import FrameInfo
from irvane.core.files.linear_dng import write_linear_dng
from irvane.core.files.opcode_writing import nothing, opcodes_of
from irvane.core.files.writers import Bands, quantise
from irvane.core.finish.destination import Destination
from irvane.core.finish.medium import sharpen_for
from irvane.core.finish.reading_back import Witness, read_back
from irvane.core.finish.size import Size, enlarged_to
from irvane.core.finish.writing import DTYPES, Told, write_picture
from irvane.core.image import largest_colour
from irvane.core.lazily import lazily
from irvane.core.lens.corrections import corrections_of
from irvane.core.lens.framing import bending_only
from irvane.core.line.bands import Output, finished_bands, light_bands
from irvane.core.line.camera import camera_light
from irvane.core.line.context import Context, geometry_for, noise_amount
from irvane.core.line.develop import Developed
from irvane.core.line.source import CAMERA, MERGED, MOSAIC, Source
from irvane.core.line.view import render_view
from irvane.core.pixels.patches import trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.pixels.radial import tabulated
from irvane.core.progress import Progress, always, step
from irvane.core.resizing import resized
from irvane.core.settings import Settings, bare
from irvane.core.threads import each

if TYPE_CHECKING:
    import imagecodecs
else:
    imagecodecs = lazily("imagecodecs")

_BAND, _PREVIEW = 256, 1024
#: Pixels that the opcodes of a warp may miss it by without a word.
_WELL_FITTED = 0.3


#: What a file that holds light holds, in a sentence.
LIGHT_NOTE = "Plain light, as it was in the scene: before Light, Colour, sharpening and rendering (--toned, Float files: with them)."
TONED_NOTE = "Light with tone: after Light, Colour and sharpening, so not as it was in the scene."


@dataclass(frozen=True)
class Delivery:
    """What is written: a source under its settings, developed; and a line that says what was made of it."""

    source: Source
    settings: Settings
    developed: Developed
    context: Context
    description: str

    def toned(self, how: Destination) -> bool:
        """Does a float file hold what Light, Colour and sharpening made, and not the light of the scene?"""
        return how.toned or self.settings.finish.tone == "toned"


def output_size(one: Delivery, how: Destination) -> tuple[int, int]:
    """Height and width of the written picture."""
    return _enlarging(one, how)[1]


def _enlarging(one: Delivery, how: Destination) -> tuple[str, tuple[int, int]]:
    """Factor of enlarging, and height and width of the written picture."""
    extent = geometry_for(one.settings, one.context).output
    return enlarged_to(extent, one.settings.finish.enlarge, Size.parse(how.size), how.ppi, how.grow)


def deliver(
    one: Delivery, how: Destination, path: Path, overwrite: bool = False, progress: Progress = always
) -> tuple[str, ...]:
    """Write a file; returns sentences on what the format could not hold.

    Raises
    ------
    WriteError, Cancelled
    """
    if how.read_back:
        witness = Witness()
        notes = _deliver(one, replace(how, read_back=False), path, overwrite, progress, witness)
        return (*notes, read_back(path, how, witness))
    return _deliver(one, how, path, overwrite, progress, None)


def _deliver(
    one: Delivery, how: Destination, path: Path, overwrite: bool, progress: Progress, witness: Witness | None
) -> tuple[str, ...]:
    kept = Kept(how.metadata, how.author, how.rights, how.credit, how.email, how.web)

    def seen(bands: Iterator[np.ndarray]) -> Iterator[np.ndarray]:
        return bands if witness is None else witness.watch(bands)

    frame, what = one.source.paths[0], one.description
    if how.format == "dng":
        return _as_dng(one, how, path, overwrite, progress, witness, kept)
    told = Told(
        how.space, frame, what, overwrite, how.depth, False, 0.0, how.ppi, kept, how.quality, how.compress
    )
    is_light = how.format == "exr" or (how.format == "tiff" and how.depth == 32 and not one.toned(how))
    if not is_light:
        bands = Bands(output_size(one, how), DTYPES[how.depth], seen(_encoded(one, how, progress)))
        write_picture(how.format, path, bands, told)
        return ()
    output = Output(how.space, True, toned=one.toned(how))
    raised = BASE_EXPOSURE if one.developed.colour is not None else 0.0
    bands = Bands(output_size(one, how), np.float32, seen(_scaled(one, how, output, progress)))
    write_picture(how.format, path, bands, replace(told, linear=True, raised=raised))
    return (TONED_NOTE if output.toned else LIGHT_NOTE,)


def _encoded(one: Delivery, how: Destination, progress: Progress) -> Iterator[np.ndarray]:
    depth = 16 if how.depth == 10 else how.depth
    finish = one.settings.finish
    plain = Size.parse(how.size).mode == "full" and how.medium == "none" and finish.enlarge == "1"
    if plain:
        for _, band in finished_bands(
            one.developed, one.settings, one.context, Output(how.space), depth, progress
        ):
            yield band
        return
    for light in _scaled(one, how, Output(how.space), progress):
        yield encode(np.ascontiguousarray(np.clip(light, 0, 1)), how.space, depth)


def _scaled(one: Delivery, how: Destination, output: Output, progress: Progress) -> Iterator[np.ndarray]:
    """Linear light at the size and with the sharpening of the destination, in bands."""
    bands = light_bands(one.developed, one.settings, one.context, output, progress)
    extent, (factor, after) = geometry_for(one.settings, one.context).output, _enlarging(one, how)
    by = LANCZOS if output.linear else one.settings.finish.enlarge_by
    bands = enlarged(bands, extent, factor, by, output.space)
    before = enlarged_extent(extent, factor)
    if after != before:
        bands = resized(bands, before, after)
    if how.medium == "none" or output.linear:
        yield from (quantise(band, 32) for band in bands)
        return
    whole = np.clip(np.concatenate(list(bands)), 0, 1)
    yield sharpen_for(whole, how.medium, how.ppi, how.space)


def _as_dng(
    one: Delivery, how: Destination, path: Path, overwrite: bool, progress: Progress, witness: Witness | None,
    kept: Kept,
) -> tuple[str, ...]:  # fmt: skip
    developed, settings, context = one.developed, one.settings, one.context
    if developed.entry not in (MOSAIC, CAMERA, MERGED) or developed.colour is None:
        raise WriteError(
            path, "a finished picture has no camera light; linear DNG is for raw frames and merges"
        )
    geometry = geometry_for(settings, context)
    region = OutputRegion(0, 0, *geometry.output, max(1.0, max(geometry.output) / _PREVIEW))
    shown = np.ascontiguousarray(render_view(developed, settings, context, region).pixels[..., :3])
    preview = bytes(imagecodecs.jpeg8_encode(shown, level=85))
    corrected = not geometry.identity or settings.lens.vignetting > 0
    opcodes, notes = nothing() if corrected else b"", list[str]()
    if not how.noise_done:
        settings = settings.with_value("noise.amount", 0)
    if not how.lens_done:
        opcodes, notes = _left_to_do(settings, context)
        settings, corrected = replace(settings, lens=bare().lens), False
    light = _camera_light(developed, settings, context, progress)
    removed = noise_amount(settings, context) > 0 and developed.denoised is not None
    baked = ["demosaicing"]
    baked += ["noise removal"] if removed else []
    baked += ["lens corrections and crop"] if corrected else []
    baked += ["rebuilt highlights"] if settings.sensor.highlights == "rebuild" else []
    floating = how.depth == 32
    info = getattr(one.source, "info", FrameInfo())
    write_linear_dng(
        path, light, colour=developed.colour, info=info, baked=tuple(baked), denoised=removed,
        opcodes=opcodes,
        preview_jpeg=preview, preview_shape=(shown.shape[0], shown.shape[1]), overwrite=overwrite,
        floating=floating, source=one.source.paths[0], kept=kept,
    )  # fmt: skip
    if witness is not None:
        list(witness.watch(iter([light if floating else quantise(light, 16)])))
    notes.insert(0, f"In the file: {', '.join(baked)}. White balance, light and colour stay to be set.")
    above = float(np.mean(largest_colour(light) > 1.001))
    if above > 1e-4 and not floating:
        notes.append(f"Rebuilt light above the sensor's clip was cut off ({above:.2%} of the picture).")
    return tuple(notes)


def _camera_light(
    developed: Developed, settings: Settings, context: Context, progress: Progress
) -> np.ndarray:
    h, w = geometry_for(settings, context).output
    out = np.empty((h, w, 3), np.float32)

    def work(first: int) -> tuple[int, np.ndarray]:
        region = OutputRegion(first, 0, min(h, first + _BAND), w)
        return first, trim(camera_light(developed, settings, context, region), region).pixels

    for first, band in each(work, range(0, h, _BAND)):
        step(progress, 0.9 * first / h)
        out[first : first + band.shape[0]] = band
    return out


def _left_to_do(settings: Settings, context: Context) -> tuple[bytes, list[str]]:
    """Corrections of the lens that go along instead of being made, as opcodes; and what cannot go along."""
    found = corrections_of(context.lens, bending_only(settings.lens))
    by_hand = tabulated(lambda r: np.exp2(settings.lens.vignetting * r * r))
    gains = by_hand if found.gains is None else found.gains * by_hand
    lit = found.gains is not None or settings.lens.vignetting != 0
    data, off = opcodes_of(found.radial, gains if lit else None, found.centre, context.lens.frame)
    notes = ["The lens corrections go along to be made by the program that opens it."] if data else []
    if off > _WELL_FITTED:
        notes.append(f"They can be stated there to {off:.1f} pixels only.")
    if found.grids:
        notes.append("Gain maps of the file do not go along.")
    return data, notes
