"""Textures of the workshop, drawn by formulas: noise, wood, bricks, plaster, metal, printed paper. Linear BT.2020, 0…1."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont
from scipy.ndimage import gaussian_filter, map_coordinates

FONTS = Path(__file__).parent.parent / "src" / "irvane" / "desktop" / "fonts"


def noise(
    shape: tuple[int, int], rng: np.random.Generator, slope: float = 1.8, stretch: tuple[float, float] = (1, 1),
    coarsest: float = 0.0,
) -> np.ndarray:  # fmt: skip
    """Noise of a falling spectrum that repeats at its borders: mean 0, standard deviation 1.

    Parameters
    ----------
    slope : how amplitude falls with frequency. stretch : y, x; larger is longer.
    coarsest : waves longer than this share of the height are left out.
    """
    h, w = shape
    fy = np.fft.fftfreq(h)[:, None] * stretch[0]
    fx = np.fft.rfftfreq(w)[None, :] * stretch[1] * 1.0
    f = np.hypot(fy, fx)
    f[0, 0] = 1
    amplitude = f**-slope
    amplitude[0, 0] = 0
    if coarsest:
        amplitude[f < 1 / (coarsest * h)] = 0
    spectrum = amplitude * np.exp(2j * np.pi * rng.random(amplitude.shape))
    made = np.fft.irfft2(spectrum, s=shape)
    return ((made - made.mean()) / made.std()).astype(np.float32)


def mixed(a: tuple[float, float, float], b: tuple[float, float, float], share: np.ndarray) -> np.ndarray:
    """Colours between two, by a share per pixel."""
    t = np.clip(share, 0, 1)[..., None].astype(np.float32)
    return np.asarray(a, np.float32) * (1 - t) + np.asarray(b, np.float32) * t


def wood(
    shape: tuple[int, int], rng: np.random.Generator, light: tuple[float, float, float] = (0.36, 0.22, 0.115),
    dark: tuple[float, float, float] = (0.15, 0.075, 0.034), boards: int = 5,
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    """Boards with grain, pores, knots, gaps, stains and scratches: colour, and height (1 is the surface)."""
    h, w = shape
    y = np.mgrid[0:h, 0:w][0].astype(np.float32)
    board = np.floor(y / h * boards).astype(int) % boards
    across = (y / h * boards) % 1
    colour = np.zeros((h, w, 3), np.float32)
    height = np.ones((h, w), np.float32)
    bend = noise(shape, rng, 2.2, (2.0, 9.0)) * 0.05 * h / boards
    fine = noise(shape, rng, 0.9, (1.0, 26.0))
    for k in range(boards):
        here = board == k
        rings = (across * rng.uniform(3, 6) + bend / h * boards * 4 + rng.uniform(0, 9)) * 2 * np.pi
        share = 0.5 + 0.28 * np.sin(rings) + 0.16 * fine + rng.uniform(-0.16, 0.16)
        tone = mixed(light, dark, share) * rng.uniform(0.85, 1.1)
        colour[here] = tone[here]
    pores = np.clip(noise(shape, rng, 0.35, (1.0, 40.0)) - 1.5, 0, 2)
    colour *= (1 - 0.33 * np.clip(pores, 0, 1))[..., None]
    height -= 0.10 * np.clip(pores, 0, 1) + 0.03 * fine
    gap = np.minimum(across, 1 - across) * h / boards
    joint = np.exp(-((gap / (0.0022 * h)) ** 2))
    colour *= (1 - 0.85 * joint)[..., None]
    height -= joint
    stain = np.clip(noise(shape, rng, 2.0) * 0.5, -0.4, 1)
    colour *= (1 - 0.18 * np.clip(stain, 0, 1))[..., None]
    for _ in range(60):  # cuts and burns
        x0, y0, a, length = (
            rng.uniform(0, w),
            rng.uniform(0, h),
            rng.uniform(-0.5, 0.5),
            rng.uniform(0.02, 0.16) * w,
        )
        t = np.linspace(0, 1, int(length))
        ys = np.clip(y0 + np.sin(a) * t * length, 0, h - 1).astype(int)
        xs = (x0 + np.cos(a) * t * length).astype(int) % w
        colour[ys, xs] *= rng.uniform(0.45, 1.3)
        height[ys, xs] -= 0.15
    return np.clip(colour, 0.004, 0.9), height


def bricks(
    shape: tuple[int, int], rng: np.random.Generator, rows: int, across: float, soot: float = 0.0,
    brick: tuple[float, float, float] = (0.26, 0.095, 0.052), pale: tuple[float, float, float] = (0.36, 0.19, 0.11),
    mortar: tuple[float, float, float] = (0.33, 0.30, 0.26), age: float = 0.0,
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    """A wall in running bond: colour, and height (1 where a brick stands out farthest, 0 in the joints).

    `age` 0…1: how far the weather was at it: bricks out of line, chipped, burnt unevenly; washed joints, damp, soot and salt.
    """
    h, w = shape
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    warp = noise(shape, rng, 2.2) * 0.02
    v = y / h * rows + warp
    row = np.floor(v).astype(int)
    u = x / w * across + 0.5 * (row % 2) + noise(shape, rng, 2.2) * 0.01
    column = np.floor(u).astype(int)
    fv, fu = v - row, u - column
    aspect = (w / across) / (h / rows)
    number = (row * 7919 + column * 104729) % 4096
    if age:
        own = rng.normal(0, age, (4096, 4)).astype(np.float32)[number]
        fu, fv = fu + 0.018 * own[..., 0], fv + 0.035 * own[..., 1] + 0.05 * age * own[..., 2] * (fu - 0.5)
    edge = np.minimum(np.minimum(fv, 1 - fv), np.minimum(fu, 1 - fu) * aspect)
    rough = noise(shape, rng, 1.1) * 0.012
    if age:
        chipped = np.clip(noise(shape, rng, 1.3) - 0.9, 0, 2) * np.clip(own[..., 3] + 0.4, 0, 2)
        rough = rough * (1 + age) - 0.10 * age * chipped
    body = np.clip((edge - 0.055 + rough) / 0.05, 0, 1)
    body = body * body * (3 - 2 * body)
    table = rng.random((4096, 5)).astype(np.float32)
    own = table[number]
    grain = noise(shape, rng, 0.55)
    blotch = noise(shape, rng, 1.6)
    tone = mixed(brick, pale, 0.75 * own[..., 0] ** 2 + 0.10 * blotch)
    tone *= (0.68 + 0.5 * own[..., 1] + 0.07 * grain)[..., None]
    tone *= (1 - 0.55 * np.clip(own[..., 3] - 0.86, 0, 1) * 7)[..., None]  # some were burnt darker
    pits = np.clip(noise(shape, rng, 0.7) - 1.7, 0, 1)
    tone *= (1 - 0.5 * pits)[..., None]
    if age:  # the fire reached one end of a brick more than the other
        burnt = np.clip(own[..., 4] - 0.45, 0, 1) * np.clip(0.5 + 1.4 * (fu - 0.5) + 0.6 * blotch, 0, 1.4)
        tone *= 1 - age * burnt[..., None] * np.array([0.75, 0.62, 0.45], np.float32)
    joint = np.asarray(mortar, np.float32) * (0.85 + 0.10 * grain + 0.12 * blotch)[..., None]
    colour = joint * (1 - body[..., None]) + tone * body[..., None]
    lime = np.clip(noise(shape, rng, 1.9) - 0.9, 0, 1) * 0.35
    colour = (
        colour * (1 - lime[..., None]) + np.float32(0.55) * lime[..., None] * (0.8 + 0.1 * grain)[..., None]
    )
    if soot:
        dirt = np.clip(0.5 + 0.5 * noise(shape, rng, 1.9), 0, 1) * soot
        colour *= (1 - dirt)[..., None]
    if age:
        colour = _weathered(colour, body, rng, age)
    height = (
        body * (0.72 + 0.22 * own[..., 2]) + 0.03 * grain * body - 0.12 * pits + 0.05 * noise(shape, rng, 1.3)
    )
    return np.clip(colour, 0.004, 0.9), height.astype(np.float32)


def _weathered(colour: np.ndarray, body: np.ndarray, rng: np.random.Generator, age: float) -> np.ndarray:
    """A wall (colour, and 1 on bricks, 0 in joints) with what runs down it, grows at its foot and comes out of it."""
    shape = colour.shape[:2]
    down = np.linspace(0, 1, shape[0], dtype=np.float32)[:, None]
    runs = np.clip(noise(shape, rng, 1.3, (14.0, 1.0)) + 0.4 * noise(shape, rng, 1.8) + 0.4, 0, 2)
    soot = age * (0.55 * runs * np.exp(-down / 0.16) + 0.16 * np.clip(noise(shape, rng, 1.9) + 0.2, 0, 2))
    colour = colour * (1 - np.clip(soot, 0, 0.85))[..., None]
    washed = np.clip(noise(shape, rng, 1.8) + 0.2, 0, 1.5) * (1 - body) * 0.45 * age
    colour = colour * (1 - washed)[..., None]
    damp = np.clip((down - 0.74) / 0.26 + 0.22 * noise(shape, rng, 1.9), 0, 1) * age
    green = np.array([0.06, 0.085, 0.025], np.float32)
    share = np.clip(damp * (0.35 + 0.5 * (1 - body)) * (0.7 + 0.5 * noise(shape, rng, 1.0)), 0, 0.85)
    colour = colour * (1 - 0.35 * damp)[..., None] * (1 - share)[..., None] + green * share[..., None]
    salt = (
        np.clip((noise(shape, rng, 1.6) - 1.1) * 2.2, 0, 1)
        * np.clip(0.5 + 0.35 * noise(shape, rng, 0.8), 0, 1)
        * 0.5
        * age
    )
    return np.asarray(colour * (1 - salt)[..., None] + np.float32(0.5) * salt[..., None])


def kraft(shape: tuple[int, int], rng: np.random.Generator, tone: tuple[float, float, float]) -> np.ndarray:
    """Cardboard that was handled: fibres, the waves inside it, rubbed edges, stains."""
    h, w = shape
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    fibre = 0.05 * noise(shape, rng, 0.5) + 0.06 * noise(shape, rng, 1.7)
    waves = 0.018 * np.sin(x * 2 * np.pi * 46 / w)
    edge = np.minimum(np.minimum(x, w - x) / w, np.minimum(y, h - y) / h)
    rubbed = np.clip(1 - edge / 0.03 + 0.5 * noise(shape, rng, 1.2), 0, 1) * 0.45
    stain = np.clip(noise(shape, rng, 2.0) - 0.7, 0, 1) * 0.4
    colour = np.asarray(tone, np.float32) * (1 + fibre + waves)[..., None] * (1 - stain)[..., None]
    bare = np.array([0.40, 0.31, 0.20], np.float32)
    return np.clip(colour * (1 - rubbed)[..., None] + bare * rubbed[..., None], 0.01, 0.9)


def glazed(shape: tuple[int, int], rng: np.random.Generator, tone: tuple[float, float, float]) -> np.ndarray:
    """A glaze that ran: thin at the rim, speckled, with drops of another tone; rows from foot to rim."""
    up = np.linspace(0, 1, shape[0], dtype=np.float32)[:, None]
    run = np.clip(up + 0.10 * noise(shape, rng, 1.5, (6.0, 1.0)), 0, 1)
    deep, thin = np.asarray(tone, np.float32), np.asarray(tone, np.float32) * 0.45 + np.float32(0.16)
    share = np.clip((run - 0.55) / 0.45, 0, 1)[..., None] * 0.8
    colour = deep * (1 - share) + thin * share
    speck = np.clip(noise(shape, rng, 0.6) - 2.0, 0, 1)[..., None]
    return np.clip(colour * (1 + 0.10 * noise(shape, rng, 1.6))[..., None] * (1 - 0.7 * speck), 0.01, 0.9)


def plaster(
    shape: tuple[int, int], rng: np.random.Generator, tone: tuple[float, float, float], worn: float = 0.5
) -> tuple[np.ndarray, np.ndarray]:
    """Limewash over rough plaster, with cracks and stains: colour and height."""
    big, fine = noise(shape, rng, 1.9), noise(shape, rng, 0.8)
    colour = np.asarray(tone, np.float32) * (1 + 0.10 * big + 0.035 * fine)[..., None]
    streak = np.clip(noise(shape, rng, 1.6, (6.0, 1.0)) - 0.4, 0, 2)
    colour *= (1 - 0.14 * worn * streak)[..., None]
    peeled = np.clip((noise(shape, rng, 1.7) - 1.3) * 3, 0, 1) * worn
    colour = (
        colour * (1 - peeled[..., None])
        + np.array([0.34, 0.27, 0.20], np.float32) * (1 + 0.1 * fine)[..., None] * peeled[..., None]
    )
    ridge = np.abs(noise(shape, rng, 1.5))
    crack = np.exp(-((ridge / 0.012) ** 2)) * (noise(shape, rng, 2.0) > 0.7)
    colour *= (1 - 0.6 * crack)[..., None]
    return np.clip(colour, 0.004, 0.92), (0.4 * big + 0.16 * fine - 1.2 * peeled - crack).astype(np.float32)


def concrete(shape: tuple[int, int], rng: np.random.Generator, tone: float = 0.16) -> np.ndarray:
    """A floor that was walked on."""
    grey = tone * (1 + 0.22 * noise(shape, rng, 1.8) + 0.07 * noise(shape, rng, 0.6))
    stain = np.clip(noise(shape, rng, 1.9) - 0.8, 0, 1) * 0.5
    colour = (
        np.clip(grey, 0.01, 1)[..., None] * np.array([1.0, 0.96, 0.90], np.float32) * (1 - stain)[..., None]
    )
    return np.clip(colour, 0.004, 0.8)


def scratched(shape: tuple[int, int], rng: np.random.Generator, base: float = 0.18) -> np.ndarray:
    """Roughness of brushed steel that was used: 0…1."""
    lines = noise(shape, rng, 0.35, (1.0, 60.0))
    worn = noise(shape, rng, 1.7)
    rough = base * (1 + 0.45 * lines + 0.35 * worn)
    for _ in range(120):
        x0, y0, a = rng.uniform(0, shape[1]), rng.uniform(0, shape[0]), rng.uniform(0, np.pi)
        t = np.arange(int(rng.uniform(10, 0.3 * shape[1])))
        ys, xs = (y0 + np.sin(a) * t).astype(int) % shape[0], (x0 + np.cos(a) * t).astype(int) % shape[1]
        rough[ys, xs] = base * rng.uniform(1.6, 3.0)
    return np.clip(rough, 0.03, 0.7).astype(np.float32)


def _font(size: float, bold: bool = False, mono: bool = False) -> ImageFont.FreeTypeFont:
    name = "B612Mono-Regular.otf" if mono else "B612-Bold.otf" if bold else "B612-Regular.otf"
    return ImageFont.truetype(str(FONTS / name), max(6, round(size)))


def printed(
    size: tuple[int, int], lines: list[tuple[float, float, float, str, bool]], rng: np.random.Generator,
    paper: tuple[float, float, float] = (0.72, 0.66, 0.54), ink: float = 0.035, bars: tuple[float, ...] | None = None,
) -> np.ndarray:  # fmt: skip
    """Paper with print: `lines` of x, y and height (shares of the width) with their text, bold or not; `bars` is the frame of
    a bar code (x, y, width, height in the same shares)."""
    w, h = size
    page = Image.new("L", (2 * w, 2 * h), 0)
    draw = ImageDraw.Draw(page)
    for x, y, height, text, bold in lines:
        draw.text((2 * x * w, 2 * y * w), text, fill=255, font=_font(2 * height * w, bold))
    if bars is not None:
        x, y, wide, high = (2 * v * w for v in bars)
        place = x
        while place < x + wide:
            width = rng.choice((1.0, 2.0, 3.0)) * 2 * w / 400
            draw.rectangle((place, y, place + width, y + high), fill=255)
            place += width + rng.choice((1.0, 2.0)) * 2 * w / 400
    print_ = np.asarray(page.resize((w, h), Image.Resampling.BOX), np.float32) / 255
    spread = gaussian_filter(print_, 0.5) * np.clip(1 + 0.12 * noise((h, w), rng, 0.3), 0, 1.2)
    fibre = 1 + 0.025 * noise((h, w), rng, 0.5) + 0.05 * noise((h, w), rng, 1.9)
    base = np.asarray(paper, np.float32) * fibre[..., None]
    grime = np.clip(noise((h, w), rng, 2.0) - 1.0, 0, 1) * 0.22
    base *= (1 - grime)[..., None] * np.array([1, 0.97, 0.92], np.float32)
    t = np.clip(spread, 0, 1)[..., None]
    return np.clip(base * (1 - t) + ink * t, 0.01, 0.92)


def shifted(picture: np.ndarray, amount: float, rng: np.random.Generator) -> np.ndarray:
    """The same, slightly uneven, as nothing that is made by hand is straight."""
    h, w = picture.shape[:2]
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    y, x = y + amount * noise((h, w), rng, 2.2), x + amount * noise((h, w), rng, 2.2)
    if picture.ndim == 2:
        return map_coordinates(picture, [y, x], order=1, mode="wrap").astype(np.float32)
    return np.stack(
        [map_coordinates(picture[..., c], [y, x], order=1, mode="wrap") for c in range(3)], axis=-1
    ).astype(np.float32)
