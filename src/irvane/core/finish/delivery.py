"""Writing a developed picture as a destination says: size, sharpening for the medium, format, metadata."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import imagecodecs
import numpy as np

from irvane.core.colour.rendering import encode
from irvane.core.errors import WriteError
from irvane.core.files.info import FrameInfo, Kept
from irvane.core.files.linear_dng import write_linear_dng
from irvane.core.files.other_writers import write_avif, write_jxl, write_png
from irvane.core.files.writers import Bands, quantise, write_exr, write_jpeg, write_tiff
from irvane.core.finish.destination import Destination
from irvane.core.finish.medium import sharpen_for
from irvane.core.finish.size import Size, resized
from irvane.core.line.bands import Output, finished_bands, light_bands
from irvane.core.line.camera import camera_light, trim
from irvane.core.line.context import Context, geometry_for, noise_amount
from irvane.core.line.develop import Developed
from irvane.core.line.source import CAMERA, MERGED, MOSAIC, Source
from irvane.core.line.view import render_view
from irvane.core.places import OutputRegion
from irvane.core.progress import Progress, always, step
from irvane.core.settings import Settings
from irvane.core.threads import each

_DTYPES: dict[int, type] = {8: np.uint8, 10: np.uint16, 16: np.uint16, 17: np.float32, 32: np.float32}
_BAND, _PREVIEW = 256, 1024
_HALF = 17


@dataclass(frozen=True)
class Delivery:
    """What is written: a source under its settings, developed; and a line that says what was made of it."""

    source: Source
    settings: Settings
    developed: Developed
    context: Context
    description: str


def output_size(one: Delivery, how: Destination) -> tuple[int, int]:
    """Height and width of the written picture."""
    return Size.parse(how.size).of(geometry_for(one.settings, one.context).output, how.ppi)


def deliver(
    one: Delivery, how: Destination, path: Path, overwrite: bool = False, progress: Progress = always
) -> tuple[str, ...]:
    """Write a file; returns sentences on what the format could not hold.

    Raises
    ------
    WriteError, Cancelled
    """
    kept = Kept(how.metadata, how.author, how.rights)
    frame, what = one.source.paths[0], one.description
    if how.format == "dng":
        return _as_dng(one, path, overwrite, progress)
    if how.format == "exr":
        whole = np.concatenate(list(_scaled(one, how, Output(how.space, True), progress)))
        write_exr(
            path, whole, space=how.space, description=what, overwrite=overwrite, half=how.depth == _HALF
        )
        return ()
    bands = Bands(output_size(one, how), _DTYPES[how.depth], _encoded(one, how, progress))
    if how.format == "tiff":
        write_tiff(path, bands, space=how.space, source=frame, description=what, overwrite=overwrite, ppi=how.ppi,
                   kept=kept, compress=how.compress)  # fmt: skip
        return ()
    whole = np.concatenate(list(bands.bands))
    if how.format == "jpeg":
        write_jpeg(path, whole, space=how.space, quality=round(how.quality), source=frame, description=what,
                   overwrite=overwrite, ppi=how.ppi, kept=kept)  # fmt: skip
        return ()
    if how.format == "png":
        write_png(
            path,
            whole,
            space=how.space,
            source=frame,
            description=what,
            overwrite=overwrite,
            ppi=how.ppi,
            kept=kept,
        )
        return ()
    if how.format == "jxl":
        write_jxl(path, whole, quality=how.quality, overwrite=overwrite)
    else:
        write_avif(path, whole, space=how.space, quality=how.quality, overwrite=overwrite)
    return ("This format is written without metadata.",) if how.metadata != "none" else ()


def _encoded(one: Delivery, how: Destination, progress: Progress) -> Iterator[np.ndarray]:
    depth = 16 if how.depth == 10 else how.depth
    plain = Size.parse(how.size).mode == "full" and how.medium == "none"
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
    before, after = geometry_for(one.settings, one.context).output, output_size(one, how)
    if after != before:
        bands = resized(bands, before, after)
    if how.medium == "none" or output.linear:
        yield from (quantise(band, 32) for band in bands)
        return
    whole = np.clip(np.concatenate(list(bands)), 0, 1)
    yield sharpen_for(whole, how.medium, how.ppi, how.space)


def _as_dng(one: Delivery, path: Path, overwrite: bool, progress: Progress) -> tuple[str, ...]:
    developed, settings, context = one.developed, one.settings, one.context
    if developed.entry not in (MOSAIC, CAMERA, MERGED) or developed.colour is None:
        raise WriteError(
            path, "a finished picture has no camera light; linear DNG is for raw frames and merges"
        )
    geometry = geometry_for(settings, context)
    h, w = geometry.output
    out = np.empty((h, w, 3), np.float32)

    def work(first: int) -> tuple[int, np.ndarray]:
        region = OutputRegion(first, 0, min(h, first + _BAND), w)
        return first, trim(camera_light(developed, settings, context, region), region).pixels

    for first, band in each(work, range(0, h, _BAND)):
        step(progress, 0.9 * first / h)
        out[first : first + band.shape[0]] = band
    region = OutputRegion(0, 0, h, w, max(1.0, max(h, w) / _PREVIEW))
    shown = np.ascontiguousarray(render_view(developed, settings, context, region).pixels[..., :3])
    preview = bytes(imagecodecs.jpeg8_encode(shown, level=85))
    removed = noise_amount(settings, context) > 0 and developed.denoised is not None
    lens = not geometry.identity or settings.lens.vignetting > 0
    baked = (
        ["demosaicing"]
        + (["noise removal"] if removed else [])
        + (["lens corrections and crop"] if lens else [])
    )
    baked += ["rebuilt highlights"] if settings.sensor.highlights == "rebuild" else []
    info = getattr(one.source, "info", FrameInfo())
    write_linear_dng(
        path, out, colour=developed.colour, info=info, baked=tuple(baked), denoised=removed, lens=lens,
        preview_jpeg=preview, preview_shape=(shown.shape[0], shown.shape[1]), overwrite=overwrite,
    )  # fmt: skip
    above = float(np.mean(out.max(axis=2) > 1.001))
    notes = [f"In the file: {', '.join(baked)}. White balance, light and colour stay to be set."]
    if above > 1e-4:
        notes.append(f"Rebuilt light above the sensor's clip was cut off ({above:.2%} of the picture).")
    return tuple(notes)
