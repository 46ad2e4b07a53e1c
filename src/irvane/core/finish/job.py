"""One writing job: a source and its settings to a file. Used by the window's queue and by the command
line."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from irvane.core.acutance.enlarging import LANCZOS, enlarged, enlarged_extent
from irvane.core.colour.camera import BASE_EXPOSURE
from irvane.core.colour.rendering import encode
from irvane.core.errors import WriteError
from irvane.core.files.formats import FORMATS, format_called, format_of
from irvane.core.files.writers import Bands, quantise
from irvane.core.finish.delivery import LIGHT_NOTE, TONED_NOTE, Delivery, deliver
from irvane.core.finish.destination import Destination
from irvane.core.finish.writing import DTYPES, Told, whole_of, write_picture
from irvane.core.line.bands import Output, finished_bands, light_bands
from irvane.core.line.context import Context, geometry_for, noise_amount
from irvane.core.line.develop import Developed
from irvane.core.line.realise import DENOISED, realise
from irvane.core.line.source import Source
from irvane.core.progress import Progress, always, part
from irvane.core.settings import Finish, Settings
from irvane.core.store.atomic import safe_name


@dataclass(frozen=True)
class Target:
    """Where and how to write.

    Attributes
    ----------
    depth : bits per channel of a TIFF: 8, 16 or 32 (float). JPEG is always 8, OpenEXR always 32.
    originals : files that are never written besides those of the source: all inputs of a run.
    how : the destination whose size, sharpening, metadata and format hold; None: the plain way.
    """

    path: Path
    output: Output = field(default_factory=Output)
    depth: int = 16
    overwrite: bool = False
    originals: tuple[Path, ...] = ()
    how: Destination | None = None


@dataclass(frozen=True)
class Written:
    """What came of a job."""

    path: Path
    notes: tuple[str, ...]


def known_format(path: Path) -> str:
    """Format by a file's ending; raises WriteError for unknown ones."""
    found = format_of(path)
    if found is None or not found.depths:
        endings = ", ".join(one.endings[0] for one in FORMATS if one.depths)
        raise WriteError(path, f"its ending is not one of {endings}")
    return found.key


def how_for(path: Path, finish: Finish, depth: int) -> Destination | None:
    """A plain destination for endings that only destinations write; None for the others."""
    found = format_of(path)
    if found is None or found.key not in ("png", "dng", "jxl", "avif"):
        return None
    bits = depth if depth in found.depths else found.depths[0]
    return Destination(path.stem, found.key, bits, space=finish.space, quality=finish.quality)


def to_file(path: Path, finish: Finish, overwrite: bool = False, depth: int = 16) -> Target:
    """A target whose format is that of the file's ending; raises WriteError for unknown ones."""
    how = how_for(path, finish, depth)
    if how is None:
        known_format(path)
    return Target(path, Output(finish.space), depth, overwrite, how=how)


def check_target(path: Path, overwrite: bool, sources: tuple[Path, ...]) -> None:
    """Refuse a target before any work is done.

    Raises
    ------
    WriteError
        When it exists, is one of the originals, or its folder cannot be written.
    """
    if any(path.exists() and source.exists() and path.samefile(source) for source in sources):
        raise WriteError(path, "that is an original; originals are never written")
    if path.exists() and not overwrite:
        raise WriteError(path, "exists already; it was not overwritten")
    if path.is_dir():
        raise WriteError(path, "there is a folder of that name")
    if not path.parent.is_dir():
        raise WriteError(path, "the folder does not exist")


def run(
    source: Source,
    settings: Settings,
    target: Target,
    progress: Progress = always,
    ready: tuple[Developed, Context] | None = None,
) -> Written:
    """Develop a source and write it; `ready` is its developed (and denoised) form where that is there
    already.

    Raises
    ------
    ReadError, WriteError, MergeError, Cancelled
    """
    kind = "" if target.how is not None else known_format(target.path)
    check_target(target.path, target.overwrite, (*source.paths, *target.originals))
    developed, context = ready or realise(source, settings, part(progress, 0.0, DENOISED))
    if target.how is not None:
        notes = deliver(
            Delivery(source, settings, developed, context, describe(source, settings, context)),
            target.how, target.path, target.overwrite, part(progress, DENOISED, 1.0),
        )  # fmt: skip
        return Written(target.path, (*developed.notes, *notes))
    output, depth, light_notes = target.output, 8 if kind == "jpeg" else target.depth, tuple[str, ...]()
    if kind in ("exr", "radiance") or (kind == "tiff" and depth == 32):
        space = "srgb" if kind == "radiance" else output.space
        toned = settings.finish.tone == "toned" or output.toned
        if kind != "tiff" or not toned:
            output = Output(space, True, output.flat, toned)
        depth, light_notes = 32, () if output.flat else (TONED_NOTE if toned else LIGHT_NOTE,)
    large = enlarged_extent(geometry_for(settings, context).output, settings.finish.enlarge)
    bands = Bands(large, DTYPES[depth], _bands(developed, settings, context, output, depth, progress))
    raised = BASE_EXPOSURE if developed.colour is not None and not output.flat else 0.0
    told = Told(
        output.space, source.paths[0], describe(source, settings, context), target.overwrite, depth,
        output.linear,
        raised, quality=settings.finish.quality,
    )  # fmt: skip
    write_picture(kind, target.path, bands, told)
    return Written(target.path, (*developed.notes, *light_notes))


def _bands(
    developed: Developed, settings: Settings, context: Context, output: Output, depth: int, progress: Progress
) -> Iterator[np.ndarray]:
    share, finish = part(progress, DENOISED, 0.98), settings.finish
    if finish.enlarge == "1":
        for _, band in finished_bands(developed, settings, context, output, depth, share):
            yield band
        return
    by = LANCZOS if output.linear else finish.enlarge_by
    bands = light_bands(developed, settings, context, output, share)
    extent = geometry_for(settings, context).output
    for light in enlarged(bands, extent, finish.enlarge, by, output.space):
        yield quantise(light, depth) if output.linear else encode(np.clip(light, 0, 1), output.space, depth)


def assemble(
    developed: Developed,
    settings: Settings,
    context: Context,
    output: Output,
    depth: int,
    progress: Progress = always,
) -> np.ndarray:
    """The whole finished picture as whole numbers (or float32 at depth 32)."""
    return whole_of(
        Bands(
            enlarged_extent(geometry_for(settings, context).output, settings.finish.enlarge),
            DTYPES[depth],
            _bands(developed, settings, context, output, depth, progress),
        )
    )


def describe(source: Source, settings: Settings, context: Context) -> str:
    """One ASCII line for the metadata: what was made of what."""
    amount = noise_amount(settings, context)
    parts = [
        f"Developed from {source.name}",
        f"exposure {settings.light.exposure:+.2f} EV",
        f"denoise {amount:.0f} %",
    ]
    return ", ".join(parts).encode("ascii", "replace").decode("ascii")


def target_path(folder: Path, source: Source, kind: str, proof: str = "") -> Path:
    """Output name in a folder: the source's stem, the proof's name when there are several, the format's
    ending."""
    stem = source.paths[0].stem
    if len(source.paths) > 1:
        stem += "-merged"
    safe = safe_name(proof)
    return folder / f"{stem}{'-' + safe if safe else ''}{format_called(kind).endings[0]}"
