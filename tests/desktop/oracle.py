"""What a window shows, held against what is made from nothing: files read anew, no engine, nothing kept."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import lru_cache

import cv2
import numpy as np
from PySide6.QtGui import QImage

from irvane.core.image import LUMA_2020
from irvane.core.judge.figures import WholeFigures, whole_figures
from irvane.core.judge.place import PlaceFigures, place_figures
from irvane.core.line.context import Context, geometry_for
from irvane.core.line.develop import Developed
from irvane.core.line.looks import look_of, render_look
from irvane.core.line.merging import MergeSource
from irvane.core.line.realise import completed, developed_only
from irvane.core.line.source import FileSource, Source
from irvane.core.line.view import render_view, scene_patch
from irvane.core.pixels.patches import trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings
from irvane.desktop.view_request import ViewRequest
from irvane.desktop.window import Window

#: Levels of 255 by which pixels may differ (a place at the limit of a decision), and the share of them that may differ more.
_LEVELS, _SHARE = 1, 0.002
#: Relative difference of figures.
_FIGURES = 2e-3


def wrong(window: Window) -> list[str]:
    """Sentences on every picture and figure on the bench that is not what it would be if it were made from nothing."""
    found: list[str] = []
    for pane in range(len(window.bench.contents)):
        found += [f"pane {pane}: {one}" for one in _pane(window, pane)]
    return found


def anew(source: Source) -> Source:
    """The same source, knowing nothing of what was read of it."""
    if isinstance(source, MergeSource):
        return MergeSource(source.paths, source.how)
    return FileSource(source.paths[0])


@lru_cache(maxsize=3)
def _made(source: Source, _key: str, settings: Settings) -> tuple[Developed, Context]:
    """By the content of the file, too: it may be another by now. Nothing of the window's is in it."""
    developed, context = developed_only(anew(source).load(), settings)
    return completed(developed, settings, context, both=True)


def _pane(window: Window, pane: int) -> Iterator[str]:
    content, request = window.bench.contents[pane], window.bench.controller.request_of(pane)
    if request is None or content.problem or content.instead:
        return
    if content.current is None or content.state != "final":
        yield f"at rest it is “{content.state}”"
        return
    developed, context = _made(request.source, request.source.key, request.settings)
    pixels = _pixels(content.current.image)
    if content.exact is not None:
        look = look_of(request.look)
        figures, made = whole_figures(
            developed, request.settings, context, step_wished=request.region.step, offset=request.offset + look.lift,
            marked=request.marks, space=request.space,
        )  # fmt: skip
        assert made is not None
    else:
        figures, _ = whole_figures(developed, request.settings, context)
        made = render_look(
            request.look, developed, request.settings, context, request.region, None, request.offset, request.marks, None, request.space
        )  # fmt: skip
    yield from _unlike(pixels, request.on_medium(made).pixels, request)
    if content.whole is not None:
        yield from _other_figures(content.whole, figures)
    place = window.bench.controller.place_of(pane)
    if content.probe is not None and isinstance(place, OutputRegion):
        yield from _other_place(content.probe, place_figures(developed, request.settings, context, place))
        geometry = geometry_for(request.settings, context)
        if (
            geometry.identity or geometry.exact
        ):  # elsewhere figures are read in the frame, not in what is resampled
            light = trim(scene_patch(developed, request.settings, context, place), place).pixels
            yield from _by_numpy(content.probe, light)
    yield from _turned(developed, request.settings, context)


def _turned(developed: Developed, settings: Settings, context: Context) -> Iterator[str]:
    """Quarter turns and mirroring, by OpenCV's."""
    lens = settings.lens
    straight = replace(settings, lens=replace(lens, turn="0", mirror="off"))
    others = ("straighten", "vertical", "horizontal"), (lens.turn, lens.mirror) == ("0", "off")
    if (
        others[1]
        or any(getattr(lens, name) for name in others[0])
        or lens.crop != straight.lens.crop
        or lens.crop
    ):
        return
    if settings.regions or settings.noise.grain or settings.light.tone_map != "none":
        return
    seen, before = (_whole(developed, one, context) for one in (settings, straight))
    code = {"90": cv2.ROTATE_90_CLOCKWISE, "180": cv2.ROTATE_180, "270": cv2.ROTATE_90_COUNTERCLOCKWISE}
    made = before if lens.turn == "0" else cv2.rotate(before, code[lens.turn])
    if lens.mirror == "on":
        made = cv2.flip(made, 1)
    if seen.shape != made.shape or (np.abs(seen.astype(int) - made) > _LEVELS).mean() > _SHARE:
        yield f"turned by {lens.turn}, mirrored {lens.mirror}: not as OpenCV turns it"


def _whole(developed: Developed, settings: Settings, context: Context) -> np.ndarray:
    h, w = geometry_for(settings, context).output
    return render_view(developed, settings, context, OutputRegion(0, 0, h, w)).pixels[..., :3]


def _pixels(image: QImage) -> np.ndarray:
    data = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return data[:, : image.width() * 4].reshape(image.height(), image.width(), 4)[..., :3].copy()


def _unlike(shown: np.ndarray, made: np.ndarray, request: ViewRequest) -> Iterator[str]:
    if shown.shape[:2] != made.shape[:2]:
        yield f"{shown.shape[:2]} pixels instead of {made.shape[:2]} ({request.region}, {request.look})"
        return
    off = np.abs(shown.astype(int) - made[..., :3]).max(axis=2)
    if float((off > _LEVELS).mean()) > _SHARE:
        y, x = np.unravel_index(int(off.argmax()), off.shape)
        yield (
            f"{(off > _LEVELS).mean():.1%} of the picture differ, by {off.max()} at ({x}, {y}) of {off.shape[::-1]}; "
            f"{request.region}, {request.look}"
        )


def _other_figures(told: WholeFigures, made: WholeFigures) -> Iterator[str]:
    for name in ("sensor_clipped", "white", "black"):
        a, b = getattr(told, name), getattr(made, name)
        if abs(a - b) > _FIGURES * max(abs(b), 0.05):
            yield f"{name} {a} instead of {b}"
    off = np.abs(told.histogram.counts - made.histogram.counts).sum() / max(made.histogram.counts.sum(), 1e-9)
    if off > 5 * _FIGURES:
        yield f"{off:.2%} of the histogram is elsewhere"
    if (told.cast is None) != (made.cast is None) or (
        told.cast is not None
        and made.cast is not None
        and np.abs(np.subtract(told.cast, made.cast)).max() > 0.01
    ):
        yield f"a cast of {told.cast} instead of {made.cast}"


def _other_place(told: PlaceFigures, made: PlaceFigures) -> Iterator[str]:
    for name in ("luminance", "sigma_luminance", "sigma_colour"):
        a, b = getattr(told.probe, name), getattr(made.probe, name)
        if abs(a - b) > _FIGURES * abs(b) + 2e-6:
            yield f"{name} of the place {a} instead of {b}"
    if (told.mtf50 is None) != (made.mtf50 is None):
        yield f"MTF50 {told.mtf50} instead of {made.mtf50}"


def _by_numpy(told: PlaceFigures, light: np.ndarray) -> Iterator[str]:
    """The mean of the light there, by NumPy alone."""
    mean = float((light.astype(np.float64) @ LUMA_2020.astype(np.float64)).mean())
    if abs(told.probe.luminance - mean) > 0.02 * abs(mean) + 1e-5:
        yield f"luminance {told.probe.luminance} where NumPy has {mean}"
