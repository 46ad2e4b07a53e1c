"""What is known of a file: exposure data, levels, noise model, sets, and the figures of a rectangle."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from irvane.core.acutance.blurs import MOTION
from irvane.core.acutance.intentional_blur import softness_map
from irvane.core.colour.camera import light_of
from irvane.core.colour.spaces import SPACES
from irvane.core.errors import IrvaneError, ReadError
from irvane.core.files.frame_sets import FrameSet, find_sets
from irvane.core.files.info import read_info
from irvane.core.files.sets import find_pairs
from irvane.core.files.thumbnails import preview
from irvane.core.image import LUMA_2020, NoiseModel
from irvane.core.judge.diagnosis import MID_SIGNAL, SHADOW_SIGNAL, decibels, diagnose
from irvane.core.judge.edge import edge_figures
from irvane.core.judge.figures import probe_figures
from irvane.core.judge.gradient import gradient_figures
from irvane.core.judge.grain import grain_figures
from irvane.core.lens.aberration import measure_aberration
from irvane.core.lens.corrections import LensFacts
from irvane.core.lens.facts import lens_facts
from irvane.core.lens.falloff import measure_falloff
from irvane.core.lens.measured import Falloff
from irvane.core.line.context import find_edges_of, geometry_for, measure_softness
from irvane.core.line.develop import develop
from irvane.core.line.placing import at_source
from irvane.core.line.realise import realise
from irvane.core.line.softness import softness_words
from irvane.core.line.source import CAMERA, DISPLAY, MOSAIC, FileSource, Loaded
from irvane.core.line.view import scene_patch
from irvane.core.noise.denoise import automatic_amount
from irvane.core.noise.dynamic_range import range_facts
from irvane.core.pixels.patches import trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.sensor.clipping import CLIP_FULL
from irvane.core.sensor.demosaic import bin_colour
from irvane.core.sensor.exposure import sensor_exposure
from irvane.core.settings import Colour, Settings
from irvane.core.threads import CORES


def noise_facts(noise: NoiseModel) -> dict[str, Any]:
    """A noise model with its figures at mid-grey and in the shadows (σ relative to white)."""
    return {
        "origin": noise.origin,
        "gain": list(noise.gain),
        "read": list(noise.read),
        "sigma_mid_grey": noise.sigma(MID_SIGNAL),
        "sigma_shadow": noise.sigma(SHADOW_SIGNAL),
        "snr_mid_grey_db": decibels(noise.snr(MID_SIGNAL)),
        "automatic_amount": automatic_amount(noise),
    }


def _falloff(loaded: Loaded) -> Falloff:
    picture = loaded.picture if loaded.mosaic is None else bin_colour(loaded.mosaic)
    assert picture is not None
    return measure_falloff(picture)


def _blur_facts(loaded: Loaded) -> dict[str, Any]:
    """What softened a frame: cause (``none``, ``lens``, ``defocus``, ``motion`` or ``unsure``), confidence
    and measures."""
    developed = develop(loaded, Settings().sensor)
    found, edges = measure_softness(developed), find_edges_of(developed)
    where = softness_map(edges, developed.extent)
    blur = found.blur
    motion = blur is not None and blur.cause == MOTION
    return {
        "cause": found.cause,
        "confidence": found.confidence,
        "radius_px": blur.size if blur is not None and not motion else None,
        "length_px": blur.size if blur is not None and motion else None,
        "angle_deg": blur.angle if blur is not None and motion else None,
        "diffraction_px": found.diffraction or None,
        "wanted": found.wanted or None,
        "words": found.words(),
        "where": softness_words(where),
        "map": [[None if np.isnan(v) else round(float(v), 2) for v in row] for row in where],
    }


def frame_facts(path: Path) -> dict[str, Any]:
    """Everything ``irvane info`` says about a file; raises ReadError."""
    loaded: Loaded = FileSource(path).load()
    h, w = loaded.extent
    upright = (w, h) if loaded.flip in (0, 3) else (h, w)
    facts: dict[str, Any] = {
        "path": str(path),
        "width": upright[0],
        "height": upright[1],
        "kind": loaded.entry,
        "bytes": path.stat().st_size,
        "array": None
        if loaded.mosaic is None
        else ["".join("RGB"[c] for c in row) for row in loaded.mosaic.cfa],
        **loaded.info.as_dict(),
        "noise": noise_facts(loaded.noise) if loaded.noise is not None else None,
        "notes": list(loaded.notes),
    }
    measured = measure_aberration(loaded.mosaic) if loaded.mosaic is not None else None
    raw = loaded.entry in (MOSAIC, CAMERA)
    found_lens = LensFacts(
        (upright[1], upright[0]), loaded.flip, raw, loaded.optics, measured, _falloff(loaded)
    )
    facts["lens"] = lens_facts(found_lens)
    if loaded.colour is not None:
        kelvin, tint = light_of(loaded.colour, Colour())
        facts |= {
            "temperature": round(kelvin),
            "tint": round(tint, 1),
            "neutral": loaded.colour.neutral.tolist(),
        }
    if loaded.mosaic is not None:
        facts["clipped_share"] = float((loaded.mosaic.data >= CLIP_FULL).mean())
        room = sensor_exposure(loaded.mosaic).headroom
        found = diagnose(loaded.noise, facts["clipped_share"], room)
        if loaded.noise is not None:
            facts["dynamic_range_stops"] = range_facts(loaded.noise, h * w)
        facts["diagnosis"] = [*found.findings, *found.measures]
        facts["headroom_ev"] = dict(zip(("red", "green", "blue"), (round(v, 2) for v in room), strict=True))
    facts["blur"] = _blur_facts(loaded)
    if loaded.levels is not None:
        facts["black"], facts["white"] = (level.tolist() for level in loaded.levels)
    return facts


def _shown(path: Path) -> np.ndarray | None:
    with suppress(IrvaneError):
        return preview(path, 320).pixels
    return None


def sets_of(paths: Sequence[Path]) -> list[dict[str, Any]]:
    """What belongs together among files: brackets with their EV offsets, bursts of equal frames, focus
    series,
    panoramas with their positions, pairs of raw and finished."""
    infos = [read_info(path) for path in paths]
    with ThreadPoolExecutor(CORES) as pool:
        previews = list(pool.map(_shown, paths))
    pairs = find_pairs(paths, infos)
    second = {other for _, other in pairs}
    single = [k for k in range(len(paths)) if k not in second]
    found = [
        one.among(single)
        for one in find_sets(
            [paths[k] for k in single], [infos[k] for k in single], [previews[k] for k in single]
        )
    ]

    def told(kind: str, members: Sequence[int], offsets: Sequence[float] = ()) -> dict[str, Any]:
        return {"kind": kind, "frames": [str(paths[k]) for k in members], "offsets": list(offsets)}

    sets = [told(one.kind, one.members, one.offsets) | _positions_of(one, paths) for one in found]
    return [*sets, *(told("pair", pair) for pair in pairs)]


def _positions_of(one: FrameSet, paths: Sequence[Path]) -> dict[str, Any]:
    """Of a panorama, the frames of each position."""
    return {"positions": [[str(paths[k]) for k in p] for p in one.positions]} if one.positions else {}


def measure_file(
    path: Path, settings: Settings, at: tuple[int, int, int, int], kind: str = "flat"
) -> dict[str, Any]:
    """Figures of a rectangle (x, y, width, height in output pixels) of a developed file.

    Parameters
    ----------
    kind : what it holds: ``flat``, ``edge``, ``grain`` or ``gradient``; each adds its own figures.

    Raises
    ------
    ReadError
        When the file cannot be read, or the rectangle does not lie inside the picture or does not hold what
        is said.
    """
    x, y, w, h = at
    developed, context = realise(FileSource(path), settings)
    height, width = geometry_for(settings, context).output
    region = OutputRegion(y, x, y + h, x + w)
    try:
        figures = probe_figures(developed, settings, context, region)
    except ValueError as error:
        reason = f"the rectangle {x},{y},{w},{h} is not inside the picture of {width} × {height} pixels or too small"
        raise ReadError(path, reason) from error
    domain = "linear light of the finished picture" if developed.entry == DISPLAY else "scene-linear light"
    found = {
        "path": str(path),
        "at": list(at),
        "domain": f"{domain}, BT.2020 primaries, 1 = white",
        **figures.as_dict(),
    }
    if kind == "flat":
        return found
    own, place = at_source(settings, context, region)
    light = trim(scene_patch(developed, own, context, place), place).pixels @ LUMA_2020
    try:
        return found | {kind: _KINDS[kind](light)}
    except ValueError as error:
        raise ReadError(path, str(error).rstrip(".")) from error


def _edge(light: np.ndarray) -> dict[str, Any]:
    found = edge_figures(light)
    return {
        "mtf50": found.mtf50, "mtf10": found.mtf10, "overshoot": found.overshoot, "angle": found.angle,
        "step_ev": found.step, "frequencies": found.frequencies.tolist(), "response": found.response.tolist(),
    }  # fmt: skip


_KINDS = {
    "edge": _edge,
    "grain": lambda light: asdict(grain_figures(light)),
    # steps are what is seen: counted on encoded values
    "gradient": lambda light: asdict(gradient_figures(SPACES["srgb"].encode(light))),
}
