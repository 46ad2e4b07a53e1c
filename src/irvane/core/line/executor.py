"""The work itself: the one place from which whole pictures and parts of them are refined, denoised and
measured."""

from __future__ import annotations

from dataclasses import replace

from irvane.core.line.context import Context, with_lens_measured
from irvane.core.line.develop import Developed, denoise_whole, refine_plain
from irvane.core.line.frame import Frame
from irvane.core.line.regional import denoise_region, denoise_view, refine_region
from irvane.core.line.tasks import LENS, REFINE, REFINED, Task
from irvane.core.pixels.patches import FramePatch
from irvane.core.pixels.picture import whole_tiles
from irvane.core.pixels.places import FrameRegion
from irvane.core.progress import Progress, always


def made(
    task: Task, developed: Developed, context: Context, progress: Progress = always
) -> tuple[Developed, Context]:
    """A developed source, whose mosaic must be there, and its facts after a piece of lasting work.

    Raises
    ------
    Cancelled
    """
    sensor = task.request.settings.sensor
    if task.kind == LENS:
        return developed, with_lens_measured(developed, context)
    if task.kind == REFINE:
        return refine_plain(developed, sensor, progress), context
    clean = denoise_whole(developed, sensor, task.removal, progress)
    return replace(developed, denoised=clean, removal=task.removal), context


def part_of(task: Task, frame: Frame) -> FrameRegion:
    """The part of a frame that work on what is seen is done on."""
    assert task.request.region is not None
    outer = frame.part(task.request.settings, task.request.region)
    return whole_tiles(outer, frame.developed.extent) if task.kind == REFINED else outer


def part_made(task: Task, frame: Frame, progress: Progress = always) -> FramePatch:
    """Pixels of a part of a frame after work on what is seen.

    Raises
    ------
    Cancelled
    """
    developed, sensor, outer = frame.developed, task.request.settings.sensor, part_of(task, frame)
    if task.kind == REFINED:
        return refine_region(developed, sensor, outer)
    if outer.step > 1:
        return denoise_view(developed, task.removal, outer)
    return denoise_region(developed, sensor, task.removal_of_part, outer, progress)
