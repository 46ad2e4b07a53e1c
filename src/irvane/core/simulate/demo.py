"""Shooting the demo: the scenes, exposed by simulated bodies and written as DNG, the same for a given
seed."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path

import cv2
import numpy as np

from irvane.core.colour.rendering import render, to_screen
from irvane.core.errors import Cancelled, WriteError
from irvane.core.files.dng import DngColour, write_dng
from irvane.core.files.info import FrameInfo, read_info
from irvane.core.image import SIX_BY_SIX
from irvane.core.simulate.bench import bench
from irvane.core.simulate.camera import Body, LensModel, apply_lens, expose
from irvane.core.simulate.card import card
from irvane.core.simulate.folder import LADDER_FOLDER
from irvane.core.simulate.furnace import furnace, worker
from irvane.core.simulate.maps import lit
from irvane.core.simulate.wall import COLUMNS, FOCAL, ROWS, position
from irvane.core.simulate.window import window
from irvane.core.store.atomic import atomic_file, write_reason
from irvane.core.threads import each

#: Version of the scenes: a change makes the demo anew.
SCENES = 8

BODY_A = Body("Simulated A")
#: Beside body A in the ladder: nearly the same well, noisier electronics.
BODY_B = Body("Simulated B", full_well=47_000.0, read_noise=8.0)
BODY_SIX = Body("Simulated S", cfa=SIX_BY_SIX, full_well=42_000.0, read_noise=2.6)

#: Response to white under the workshop's lamps, in daylight, and by the furnace.
_LAMPS = np.array([0.66, 1.0, 0.44])
_DAYLIGHT = np.array([0.50, 1.0, 0.68])
_FIRE = np.array([0.80, 1.0, 0.34])
#: Half a stop of headroom, as meters leave (ISO 12232).
_METERED = 2.0**-0.5

#: The glassmaker's poses that were rendered.
POSES = (1, 2, 3, 4, 5)
#: Height and width of a frame of the shelf wall.
WALL_FRAME = (1000, 1500)

Motion = tuple[float, float, float]
Progress = Callable[[float, str], bool]

#: A hand that sinks and turns during an eighth of a second, and how many places its path is taken from.
_SHAKE: tuple[Motion, ...] = ((-6, -4, -0.03), (1, -1, 0.0), (4, 3, 0.03), (5, 8, 0.05))
_PLACES = 24


@dataclass(frozen=True)
class Shot:
    """One exposure of a scene.

    Attributes
    ----------
    motion : x, y in pixels at 6 MP, degrees.
    shake : motions through which the camera goes while the shutter is open.
    worker, pose : where the glassmaker stands: in the drawn room, and in the rendered one.
    place : row and column of a position of the shelf wall; the lens is the long one then.
    """

    name: str
    scene: str
    iso: float
    ev: float
    shutter: float
    neutral: np.ndarray
    body: Body = BODY_A
    motion: Motion = (0.0, 0.0, 0.0)
    shake: tuple[Motion, ...] = ()
    worker: float = 0.0
    pose: int | None = None
    seconds: int = 0
    aperture: float = 4.0
    place: tuple[int, int] | None = None


def full_shots(small: bool = False) -> list[Shot]:
    """The frames of the demo. The small one (for tests) is drawn, the other photographs the rendered
    rooms."""
    moves = ((0, 0, 0), (2.3, -1.6, 0.03), (-3.1, 2.2, -0.05), (4.4, 1.1, 0.06), (-1.2, -3.8, -0.02))
    by_hand = ((1.4, 0.8, 0.01), (-2.6, 1.9, 0.04), (3.3, -2.4, -0.05))
    shots = [
        Shot(f"furnace-{k + 1}", "furnace", 200, ev, 2.0**ev / 30, _FIRE, motion=moves[k],
        worker=0.1 * k - 0.2, seconds=k,
             pose=POSES[k])
        for k, ev in enumerate((-2, -1, 0, 1, 2))
    ]  # fmt: skip
    shots += [
        Shot(f"furnace-hand-{k + 1}", "furnace", 200, ev, 2.0**ev / 30, _FIRE, motion=by_hand[k],
        worker=-0.8 + 0.7 * k,
             seconds=60 + k, pose=POSES[2 * k])
        for k, ev in enumerate((-2, 0, 2))
    ]  # fmt: skip
    shots.append(Shot("bench-iso6400", "bench", 6400, 0, 1 / 250, _LAMPS, seconds=600))
    shots.append(Shot("bench-iso25600", "bench", 25600, 0, 1 / 1000, _LAMPS, seconds=640))
    shots.append(
        Shot("window-leaves", "window", 400, 0, 1 / 125, _DAYLIGHT, body=BODY_SIX, seconds=1200, aperture=5.6)
    )
    shots.append(Shot("test-card", "card", 100, 0, 1 / 60, _DAYLIGHT, seconds=1800, aperture=5.6))
    if not small:
        shots += [
            Shot("vases", "vases", 200, 0, 1 / 60, _DAYLIGHT, seconds=2100, aperture=2.8),
            Shot("vases-behind", "vases-behind", 400, 0, 1 / 15, _DAYLIGHT, seconds=2130, aperture=9.0),
            Shot("vases-shaken", "vases", 400, 0, 1 / 8, _DAYLIGHT, shake=_SHAKE, seconds=2160, aperture=2.8),
            Shot("yard-wall", "yard", 100, 0, 1 / 250, _DAYLIGHT, seconds=2400, aperture=8.0),
            Shot("night-corner", "night", 3200, -1, 1 / 30, _LAMPS, seconds=3000, aperture=2.0),
        ]
        shots += [
            Shot(f"shelf-{row + 1}{column + 1}-{k + 1}", "shelf", 100, ev, 2.0**ev / 15, _DAYLIGHT,
            aperture=8.0,
                 seconds=3300 + 20 * (COLUMNS * row + column) + k, place=(row, column))
            for row in range(ROWS)
            for column in range(COLUMNS)
            for k, ev in enumerate((-2, 0, 2))
        ]  # fmt: skip
    return shots


def _ladder() -> list[Shot]:
    """The test card through both bodies, in steps of one stop; hidden in a folder of its own."""
    return [
        Shot(
            f"{LADDER_FOLDER}/{name}{ev:+d}", "card", 100, ev, 2.0**ev / 60, _DAYLIGHT, body=body,
            seconds=3600 + 120 * number + k, aperture=5.6,
        )
        for number, (name, body) in enumerate((("body-a", BODY_A), ("body-b", BODY_B)))
        for k, ev in enumerate(LADDER)
    ]  # fmt: skip


#: Made first: a window opens on them while the rest is made.
FIRST = ("bench-iso6400", "window-leaves", "vases")
_SMALL = ("furnace-hand-1", "furnace-hand-2", "furnace-hand-3", "bench-iso6400", "window-leaves", "test-card")
_SCENES: dict[str, Callable[[tuple[int, int], np.random.Generator], np.ndarray]] = {
    "furnace": furnace,
    "bench": bench,
    "window": window,
    "card": card,
}
#: Exposures of the ladder in EV, for each body; every second one in the small demo.
LADDER = tuple(range(3, -9, -1))
#: Who made the simulated cameras.
_MAKE = "Irvane"
_START = datetime(2026, 11, 3, 9, 30)


def _moved(light: np.ndarray, motion: Motion) -> np.ndarray:
    if motion == (0.0, 0.0, 0.0) or not any(motion):
        return light
    h, w = light.shape[:2]
    scale = np.sqrt(h * w / 6e6)
    matrix = cv2.getRotationMatrix2D((w / 2, h / 2), motion[2], 1.0)
    matrix[:, 2] += np.array(motion[:2]) * scale
    return cv2.warpAffine(light, matrix, (w, h), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)


def shaken(light: np.ndarray, shake: Sequence[Motion]) -> np.ndarray:
    """Mean of the light along the camera's path."""
    times = np.linspace(0, len(shake) - 1, _PLACES)
    path = [np.interp(times, np.arange(len(shake)), part) for part in zip(*shake, strict=True)]
    total = np.zeros_like(light)
    for x, y, degrees in zip(*path, strict=True):
        total += _moved(light, (float(x), float(y), float(degrees)))
    return np.maximum(total / np.float32(_PLACES), 0)


def preview_jpeg(light: np.ndarray, ev: float, longest: int = 960) -> tuple[bytes, tuple[int, int]]:
    """The camera's own small picture of a scene: JPEG bytes and (height, width)."""
    factor = longest / max(light.shape[:2])
    size = (round(light.shape[1] * factor), round(light.shape[0] * factor))
    small = cv2.resize(light, size, interpolation=cv2.INTER_AREA) * np.float32(2.0**ev)
    shown = to_screen(render(np.ascontiguousarray(small, np.float32)))[..., 2::-1]
    return cv2.imencode(".jpg", shown, [cv2.IMWRITE_JPEG_QUALITY, 88])[1].tobytes(), (size[1], size[0])


def shoot(path: Path, light: np.ndarray, shot: Shot, seed: int, lens: LensModel = LensModel()) -> None:
    """Photograph `light` (linear BT.2020, mid-grey 0.18) and write the DNG."""
    body = shot.body
    met = shaken(light, shot.shake) if shot.shake else _moved(light, shot.motion)
    seen = apply_lens(met, lens)
    rng = np.random.default_rng([seed, *shot.name.encode()])
    exposure = _METERED * 2.0**shot.ev
    counts = expose(seen, body, iso=shot.iso, exposure=exposure, neutral=shot.neutral, rng=rng)
    jpeg, shape = preview_jpeg(seen, shot.ev)
    glass = ("Simulated 35 mm f/2", 35.0) if shot.place is None else ("Simulated 85 mm f/2.8", FOCAL)
    info = FrameInfo(
        _MAKE, body.model, glass[0], shot.shutter, shot.aperture, shot.iso, glass[1],
        _START + timedelta(seconds=shot.seconds), shot.ev,
    )  # fmt: skip
    write_dng(
        path, counts, body.cfa, black=body.black, white=body.white,
        colour=DngColour(body.matrix_a, body.matrix_d65, shot.neutral), info=info,
        noise_profile=body.noise_profile(shot.iso), preview_jpeg=jpeg, preview_shape=shape,
    )  # fmt: skip


def scene_light(name: str, shape: tuple[int, int], seed: int) -> np.ndarray:
    """The light of a scene at a size."""
    return _SCENES[name](shape, np.random.default_rng([seed, *name.encode()]))


def _light(
    shot: Shot, size: tuple[int, int], seed: int, kept: dict[tuple[str, tuple[int, int]], np.ndarray]
) -> np.ndarray:
    """The light of a shot that is drawn; `kept` holds the last one."""
    what = shot.scene, shot.place or size
    if what not in kept:
        kept.clear()
        kept[what] = position(*shot.place, WALL_FRAME) if shot.place else scene_light(shot.scene, size, seed)
    light = kept[what]
    return worker(light, shot.worker) if shot.scene == "furnace" else light


def _clear(paths: Sequence[Path]) -> None:
    """Remove demo pictures of other scenes; raises WriteError when one of these files is no demo picture."""
    there = [path for path in paths if path.exists()]
    for path in there:
        if read_info(path).make != _MAKE:
            raise WriteError(path, "it is no demo picture; choose an empty folder for them")
    for path in there:
        path.unlink()


def make_demo(
    folder: Path,
    seed: int = 1,
    small: bool = False,
    progress: Progress | None = None,
    first_only: bool = False,
) -> list[Path]:
    """Make the demo pictures that are missing, the ladder in a folder of its own; returns all of them.

    Parameters
    ----------
    first_only : the first few alone; the others are missing then.

    Raises
    ------
    WriteError
        When the folder cannot be made or written.
    """
    try:
        (folder / LADDER_FOLDER).mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise WriteError(folder, write_reason(error)) from error
    shape, ladder_shape = ((600, 900), (400, 600)) if small else ((2000, 3000), (1000, 1500))
    shots = [shot for shot in full_shots(small) if not small or shot.name in _SMALL]
    shots += [shot for shot in _ladder() if not small or shot.ev % 2 == 0]
    stamp = folder / ".scenes"  # names that begin like unfinished files are swept away
    wanted = f"scenes {SCENES} seed {seed} shape {shape}"
    fresh = not stamp.exists() or stamp.read_text("utf-8") != wanted
    if fresh and not os.access(folder, os.W_OK):
        raise WriteError(folder, "the folder may not be written; choose another folder")
    if fresh:
        _clear([folder / f"{shot.name}.dng" for shot in shots])
        with atomic_file(stamp) as temporary:
            temporary.write_text(wanted, "utf-8")
    if first_only:
        shots = [shot for shot in shots if shot.name in FIRST]
    lights: dict[tuple[str, tuple[int, int]], np.ndarray] = {}  # of the last scene

    def missing() -> Iterator[tuple[Path, Shot, np.ndarray | None]]:
        for number, shot in enumerate(shots):
            path = folder / f"{shot.name}.dng"
            if path.exists():
                continue
            if progress is not None and not progress(number / len(shots), shot.name):
                raise Cancelled
            size = ladder_shape if path.parent != folder else shape
            rendered = not small and shot.scene != "card" and shot.place is None
            yield path, shot, None if rendered else _light(shot, size, seed, lights)

    def make(path: Path, shot: Shot, light: np.ndarray | None) -> None:
        shoot(path, lit(shot.scene, shot.pose) if light is None else light, shot, seed)

    for _ in each(lambda one: make(*one), missing()):
        pass
    if progress is not None:
        progress(1.0, "done")
    return [folder / f"{shot.name}.dng" for shot in shots]


def make_frame(path: Path, megapixels: float, six: bool = False, iso: float = 400.0, seed: int = 1) -> None:
    """A frame of any size for benchmarks: the bench scene, 3:2, both sides multiples of 6."""
    height = round(np.sqrt(megapixels * 1e6 / 1.5) / 12) * 12
    shape = (height, height * 3 // 2)
    base = scene_light("bench", (2000, 3000), seed)
    light = (
        cv2.resize(base, (shape[1], shape[0]), interpolation=cv2.INTER_CUBIC)
        if shape != (2000, 3000)
        else base
    )
    body = BODY_SIX if six else BODY_A
    shot = Shot(path.stem, "bench", iso, 0, 1 / 125, _LAMPS, body=body)
    shoot(
        path,
        np.maximum(light, 1e-4),
        shot,
        seed,
        LensModel(distortion=0, lateral_red=0, lateral_blue=0, blur=0.2),
    )
