"""Building blocks of the procedural scenes: noise fields, bricks, wood, soft shapes, lettering."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files

import cv2
import numpy as np
from PIL import Image, ImageDraw, ImageFont

Colour = tuple[float, ...]


def field(
    shape: tuple[int, int], cell: float, rng: np.random.Generator, octaves: int = 4, stretch: float = 1.0
) -> np.ndarray:
    """Fractal value noise around 0 with standard deviation near 1 (Perlin's octave sum): float32 H×W.

    `cell` is the size of the coarsest structure in pixels, `stretch` lengthens it horizontally.
    """
    h, w = shape
    total = np.zeros(shape, np.float32)
    amplitude, norm = 1.0, 0.0
    for octave in range(octaves):
        size = max(cell / 2**octave, 1.0)
        grid = (int(h / size) + 3, int(w / (size * stretch)) + 3)
        coarse = rng.standard_normal(grid).astype(np.float32)
        large = cv2.resize(
            coarse,
            (int(grid[1] * size * stretch) + 1, int(grid[0] * size) + 1),
            interpolation=cv2.INTER_CUBIC,
        )
        total += amplitude * large[:h, :w]
        norm += amplitude**2 * 0.5
        amplitude *= 0.55
        if size <= 1:
            break
    return total / np.sqrt(norm)


def bricks(
    shape: tuple[int, int], height: float, rng: np.random.Generator, base: Colour, mortar: Colour
) -> np.ndarray:
    """Reflectance of a brick wall in running bond: float32 H×W×3."""
    h, w = shape
    length = height * 2.9
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    wobble = field(shape, height * 3, rng, 3) * height * 0.03
    row = np.floor((y + wobble) / height)
    shifted = x + wobble + (row % 2) * length / 2
    column = np.floor(shifted / length)
    fy = (y + wobble) / height - row
    fx = shifted / length - column
    rows, columns = int(row.max()) + 2, int(column.max()) + 2
    tone = rng.normal(1.0, 0.16, (rows, columns, 1)) * (1 + rng.normal(0, 0.018, (rows, columns, 3)))
    wall = np.array(base, np.float32) * tone[row.astype(int), column.astype(int)].astype(np.float32)
    grain = (
        1 + 0.13 * field(shape, height * 0.25, rng, 4) + 0.06 * rng.standard_normal(shape).astype(np.float32)
    )
    pits = np.clip(1 - 0.6 * np.maximum(field(shape, height * 0.12, rng, 2) - 1.5, 0), 0.3, 1)
    wall = wall * (grain * pits)[..., None]
    edge = np.minimum(np.minimum(fy, 1 - fy) * height, np.minimum(fx, 1 - fx) * length)
    joint = np.clip(1.6 - edge / (height * 0.05), 0, 1)[..., None]
    joints = np.array(mortar, np.float32) * (1 + 0.15 * field(shape, height * 0.15, rng, 3))[..., None]
    shade = 1 - 0.25 * np.exp(-np.maximum(edge - height * 0.03, 0) / (height * 0.05))[..., None]
    return np.clip(wall * shade * (1 - joint) + joints * joint, 0.004, 0.95).astype(np.float32)


def wood(shape: tuple[int, int], board: float, rng: np.random.Generator, base: Colour) -> np.ndarray:
    """Reflectance of wooden boards lying across the picture: float32 H×W×3."""
    h, w = shape
    y = np.mgrid[0:h, 0:w][0].astype(np.float32)
    number = np.floor(y / board)
    within = y / board - number
    boards = int(number.max()) + 1
    offset = rng.uniform(0, 50, boards).astype(np.float32)[number.astype(int)]
    tone = rng.normal(1, 0.12, boards).astype(np.float32)[number.astype(int)]
    warp = field(shape, board * 1.2, rng, 3, stretch=6.0)
    rings = np.sin((within * 9 + warp * 2.2 + offset) * 2 * np.pi)
    fibre = field(shape, board * 0.02 + 2, rng, 3, stretch=14.0)
    value = tone * (1 + 0.10 * rings + 0.13 * fibre)
    gap = np.clip(1 - np.minimum(within, 1 - within) * board / max(board * 0.012, 1.2), 0, 1)
    value = value * (1 - 0.8 * gap)
    tint = 1 + 0.05 * warp[..., None] * np.array([0.3, 0, -0.4], np.float32)
    return np.clip(np.array(base, np.float32) * value[..., None] * tint, 0.003, 0.95).astype(np.float32)


@dataclass(frozen=True)
class Cover:
    """A soft-edged area: opacity 0…1 of its bounding box, and where that lies in the picture."""

    plane: np.ndarray
    top: int
    left: int

    def __rmul__(self, factor: float) -> Cover:
        return Cover(self.plane * np.float32(factor), self.top, self.left)

    def full(self, shape: tuple[int, int]) -> np.ndarray:
        """Opacity over the whole picture: float32 H×W."""
        out = np.zeros(shape, np.float32)
        h, w = self.plane.shape
        out[self.top : self.top + h, self.left : self.left + w] = self.plane
        return out

    @property
    def area(self) -> tuple[slice, slice]:
        h, w = self.plane.shape
        return slice(self.top, self.top + h), slice(self.left, self.left + w)


def mask(shape: tuple[int, int], points: np.ndarray, soft: float = 0.0) -> Cover:
    """Anti-aliased polygon (points as x, y), blurred by `soft` pixels."""
    outline = np.asarray(points, float)
    margin = int(4 * soft) + 2
    left, top = (max(0, int(np.floor(v)) - margin) for v in outline.min(axis=0))
    right = min(shape[1], int(np.ceil(outline[:, 0].max())) + margin + 1)
    bottom = min(shape[0], int(np.ceil(outline[:, 1].max())) + margin + 1)
    canvas = np.zeros((max(0, bottom - top), max(0, right - left)), np.uint8)
    if canvas.size == 0:
        return Cover(canvas.astype(np.float32), 0, 0)
    fixed = np.rint((outline - [left, top]) * 16).astype(np.int32)
    cv2.fillPoly(canvas, [fixed], 255, cv2.LINE_AA, shift=4)
    plane = canvas.astype(np.float32) / 255
    return Cover(cv2.GaussianBlur(plane, (0, 0), soft) if soft > 0 else plane, top, left)


def ellipse(
    centre: tuple[float, float], radii: tuple[float, float], turn: float = 0.0, points: int = 72
) -> np.ndarray:
    """Outline of an ellipse as x, y points; `turn` in radians."""
    t = np.linspace(0, 2 * np.pi, points, endpoint=False)
    x, y = np.cos(t) * radii[0], np.sin(t) * radii[1]
    c, s = np.cos(turn), np.sin(turn)
    return np.stack([centre[0] + c * x - s * y, centre[1] + s * x + c * y], axis=1)


def box(left: float, top: float, right: float, bottom: float) -> np.ndarray:
    """Corners of an upright rectangle as x, y points."""
    return np.array([[left, top], [right, top], [right, bottom], [left, bottom]])


def paint(picture: np.ndarray, cover: Cover | np.ndarray, colour: np.ndarray | Colour) -> None:
    """Put a colour (or picture) over `picture` where `cover` says so, in place."""
    where = cover if isinstance(cover, Cover) else Cover(cover, 0, 0)
    if where.plane.size == 0:
        return
    a = where.plane[..., None]
    value = np.asarray(colour, np.float32)
    if value.ndim == 3:
        value = value[where.area]
    picture[where.area] = picture[where.area] * (1 - a) + value * a


@lru_cache(maxsize=64)
def _font(size: int, mono: bool) -> ImageFont.FreeTypeFont:
    name = "B612Mono-Regular.otf" if mono else "B612-Bold.otf"
    with files("irvane.desktop").joinpath("fonts", name).open("rb") as stream:
        return ImageFont.truetype(stream, size)


def lettering(
    picture: np.ndarray, text: str, at: tuple[float, float], size: float, colour: Colour, mono: bool = False
) -> None:
    """Print text into a linear picture; `at` is the top left corner, `size` the height of a line in
    pixels."""
    font = _font(max(5, round(size)), mono)
    left, top, right, bottom = font.getbbox(text)
    label = Image.new("L", (int(right - left) + 4, int(bottom - top) + 4), 0)
    ImageDraw.Draw(label).text((2 - left, 2 - top), text, fill=255, font=font)
    ink = np.asarray(label, np.float32) / 255
    y, x = int(at[1]), int(at[0])
    h, w = picture.shape[:2]
    if y < 0 or x < 0 or y >= h or x >= w:
        return
    ink = ink[: h - y, : w - x]
    area = picture[y : y + ink.shape[0], x : x + ink.shape[1]]
    area[...] = area * (1 - ink[..., None]) + np.asarray(colour, np.float32) * ink[..., None]


def vessel(
    picture: np.ndarray,
    x: float,
    base: float,
    width: float,
    height: float,
    colour: Colour,
    light: np.ndarray | float,
    profile: tuple[float, ...],
) -> None:
    """A glass vessel standing on `base`: coloured body, dark rims, a bright reflex; transmits what is behind
    it."""
    shape = picture.shape[:2]
    t = np.linspace(0, 1, 40)
    radius = np.interp(t, np.linspace(0, 1, len(profile)), profile) * width / 2
    ys = base - t * height
    outline = np.concatenate([np.stack([x - radius, ys], 1), np.stack([x + radius, ys], 1)[::-1]])
    body = mask(shape, outline)
    if body.plane.size == 0:
        return
    area = body.area
    gy, gx = np.mgrid[area].astype(np.float32)
    local = np.interp((base - gy) / height, t, radius).astype(np.float32)
    u = (gx - x) / np.maximum(local, 1)
    thickness = np.clip(1 - u * u, 0, 1) ** 0.5
    absorb = np.asarray(colour, np.float32) ** (0.35 + 1.6 * (1 - thickness))[..., None]
    behind = cv2.GaussianBlur(picture[area], (0, 0), max(width * 0.04, 1))[:, ::-1]
    reflex = np.exp(-(((u + 0.55) / 0.07) ** 2)) * (0.4 + 0.6 * np.sin((base - gy) / height * 3.0) ** 2)
    level = light[area] if isinstance(light, np.ndarray) else light
    glow = (np.asarray(colour, np.float32) * 0.22 + 0.02) * np.asarray(level, np.float32)[..., None]
    glass = behind * absorb * 0.75 + glow + 1.6 * reflex[..., None] * np.asarray(level, np.float32)[..., None]
    rim = np.clip((np.abs(u) - 0.9) / 0.08, 0, 1)[..., None]
    glass = glass * (1 - 0.65 * rim)
    a = body.plane[..., None]
    picture[area] = picture[area] * (1 - a) + glass * a
