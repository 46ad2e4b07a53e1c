"""The rooms of the workshop: what stands where, and the light. Centimetres; x to the right, y away, z up."""

from __future__ import annotations

import numpy as np

from materials import (
    bitmap,
    bumped,
    camera,
    coated,
    dull,
    metal,
    panel,
    rgb,
    shining_ball,
)
from shapes import box, grid, joined, moved, relief, shape, swept, turned
from textures import bricks, concrete, noise, plaster, printed, scratched, wood
from things import (
    POWDERS,
    Scene,
    brick_wall,
    brush,
    duster,
    facing,
    figure,
    foliage,
    jar,
    leafy,
    mouth,
    paddle,
    shelf_things,
    start,
    table,
    tongs,
    tube,
    vase,
)


def bench(rng: np.random.Generator) -> Scene:
    """The tool bench: jars of glass powder, a brush, a ruler, orders; tools on a rail before the wall."""
    scene = start()
    scene["sensor"] = camera((4, -104, 42), (0.5, 2, 14.5), 48, 111, 0.36)
    scene["wall"] = brick_wall(
        rng, (170, 95), 24, 13, 6.6, pale=(0.42, 0.34, 0.26), brick=(0.30, 0.21, 0.15), soot=0.25
    )
    scene["table"] = table(rng, (190, 78), -14)
    places = ((-31, 6), (-15.5, 8), (-0.5, 5.5), (14.5, 7.5), (29, 5))
    for (name, _), at, fill, turn in zip(
        POWDERS.items(), places, (0.82, 0.7, 0.9, 0.62, 0.78), (6, -9, 3, -5, 10), strict=True
    ):
        scene |= jar(name, at, rng, fill, turn)
    scene |= brush((-14, -19, 0.0), 8, rng, "brush", (0.42, 0.022, 0.03))
    scene |= brush((-24, -10, 0.0), -24, rng, "brush2", (0.03, 0.06, 0.05))
    scene |= duster((47, 8, 26), rng)
    rail = swept(
        np.array([[-62, 19.5, 39.5], [-20, 19.5, 39.2], [20, 19.5, 39.2], [62, 19.5, 39.6]]), 0.55, 24
    )
    scene["rail"] = shape(*rail, metal(scratched((200, 1500), rng, 0.3), (0.16, 0.155, 0.15)))
    for k, x in enumerate((-50, -36, -24, 4, 18, 36)):
        scene |= tongs((x, 18.8, 36.8), f"tongs{k}", rng, float(rng.uniform(13, 19)))
    for k, x in enumerate((-43, -9, 28)):
        scene |= paddle((x, 18.6, 38.5), f"paddle{k}", rng)
    marks = [(0.012 + 0.96 * k / 30, 0.55 if k % 5 else 0.42, 0.014, "|", False) for k in range(31)]
    marks += [(0.008 + 0.96 * k / 6, 0.10, 0.020, f"{50 * k}", False) for k in range(7)]
    face = printed(
        (2400, 190),
        [(x, y * 190 / 2400, s, text, bold) for x, y, s, text, bold in marks],
        rng,
        (0.62, 0.60, 0.52),
    )
    rule = np.stack(np.meshgrid(np.linspace(-15.5, 15.5, 40), np.linspace(1.25, -1.25, 6)), axis=-1)
    rule = np.concatenate([rule, 0.42 + 0 * rule[..., :1]], axis=-1)
    scene["ruler"] = shape(*moved(grid(rule), (-7, -31, 0), 3), coated(face, 0.35, 0.5))
    scene["ruler_body"] = shape(
        *moved(box((31.4, 2.7, 0.36), 0.08), (-7, -31, 0.2), 3), coated((0.42, 0.40, 0.34), 0.4)
    )
    text = [
        (0.05, 0.05, 0.040, "Orders for the archive week", True),
        *((0.05, 0.15 + 0.085 * k, 0.027, line, False) for k, line in enumerate((
            "Mon   lamp chimneys, 6 pieces, wall 2.2 mm", "Tue   bowls, foot ring ground flat",
            "Wed   repair of the blue carafe (handle)", "Thu   samples: amber over opal, 40 × 40",
            "Fri   annealer 510 °C, hold 90 min, then 35 °C an hour", "mind the shears: the left blade is nicked",
        ))),
    ]  # fmt: skip
    sheet = printed((1500, 1050), text, rng, (0.70, 0.66, 0.56))
    gx, gy = np.meshgrid(np.linspace(-11, 11, 60), np.linspace(7.7, -7.7, 44))
    curl = 0.10 + 0.9 * np.clip((gx + gy * 0.6 - 11) / 9, 0, 2) ** 2 + 0.06 * noise((44, 60), rng, 2)
    scene["orders"] = shape(
        *moved(grid(np.stack([gx, gy, curl], -1)), (26, -22, 0.1), -7), coated(sheet, 0.6, 0.2)
    )
    scene["lamp"] = panel((38, -38, 92), (2, 2, 0), (30, 22), (62, 40, 21))
    scene["day"] = panel((-150, -70, 70), (0, 0, 10), (110, 120), (1.35, 1.7, 2.3))
    scene["room"] = {"type": "constant", "radiance": rgb((0.045, 0.04, 0.035))}
    return scene


def furnace(rng: np.random.Generator, pose: float | None = 0.0) -> Scene:
    """The furnace mouth in the dark room; `pose` −1…1 moves the glassmaker, None leaves him out."""
    scene = start(9)
    scene["sensor"] = camera((0, -520, 128), (12, 0, 112), 49, 520, 1.2)
    colour, height = bricks((2400, 3000), rng, 45, 25, soot=0.6)
    # the mouth is a hole in the wall: an arch
    wide, high = 46.0, 58.0
    z, x = np.meshgrid(np.linspace(325, 0, 900), np.linspace(-310, 310, 1125), indexing="ij")
    inside = (
        (np.abs(x - 24) < wide / 2)
        & (z > 78)
        & ((z < 78 + high - wide / 2) | ((x - 24) ** 2 + (z - (78 + high - wide / 2)) ** 2 < (wide / 2) ** 2))
    )
    from scipy.ndimage import binary_dilation, zoom

    relief_ = zoom(height, (900 / height.shape[0], 1125 / height.shape[1]), order=1)
    points = np.stack([x, -1.1 * relief_, z], axis=-1)
    p, f, uv = grid(points)
    hole = inside.ravel()
    f = f[~hole[f].any(axis=1)]
    rim = binary_dilation(zoom(inside.astype(float), (2400 / 900, 3000 / 1125), order=0) > 0.5, iterations=90)
    stone = np.clip(0.20 + 0.03 * noise(height.shape, rng, 0.8), 0.02, 1)[..., None] * np.array(
        [1, 0.80, 0.62], np.float32
    )
    colour = np.where(rim[..., None], stone, colour)
    scene["wall"] = shape(p, f, uv, bumped(dull(colour), height, 0.25))
    arch = []
    angle = np.linspace(0, np.pi, 15)
    top = 78 + high - wide / 2
    for k in range(14):
        a = (angle[k] + angle[k + 1]) / 2
        r = wide / 2 + 5.5
        arch.append(
            moved(
                box((9.2, 14, 10.5), 0.7),
                (24 + r * np.cos(a), -2, top + r * np.sin(a)),
                0,
                (0, float(90 - np.degrees(a))),
            )
        )
    for s in (-1, 1):
        arch += [
            moved(box((10.5, 14, 9.4), 0.7), (24 + s * (wide / 2 + 5.5), -2, 82 + 9.9 * k)) for k in range(4)
        ]
    arch.append(moved(box((wide + 30, 22, 7), 0.8), (24, -6, 74)))
    scene["arch"] = shape(
        *joined(arch),
        dull(
            np.clip(0.25 + 0.07 * noise((500, 500), rng, 1.2), 0.02, 1)[..., None]
            * np.array([1, 0.78, 0.58], np.float32)
        ),
    )
    heat = mouth(rng)
    scene["fire"] = {
        "type": "rectangle", "bsdf": {"type": "diffuse", "reflectance": rgb((0.1, 0.1, 0.1))},
        "to_world": facing((24, 30, 106), (wide, 84)), "emitter": {"type": "area", "radiance": bitmap(heat)},
    }  # fmt: skip
    tunnel = [moved(box((1.5, 40, 90), 0.2), (24 + s * (wide / 2 + 2), 12, 106)) for s in (-1, 1)]
    tunnel.append(moved(box((wide + 6, 40, 1.5), 0.2), (24, 12, 77)))
    scene["tunnel"] = shape(*joined(tunnel), dull((0.5, 0.42, 0.34)))
    floor = np.stack(np.meshgrid(np.linspace(-330, 330, 80), np.linspace(40, -480, 70)), axis=-1)
    scene["floor"] = shape(*grid(np.concatenate([floor, 0.5 * noise((70, 80), rng, 1.8)[..., None]], -1)),
                           coated(concrete((1600, 2000), rng), np.clip(0.5 + 0.12 * noise((800, 1000), rng, 1.5), 0.2, 0.9), 0.3))  # fmt: skip
    for k, (z0, a, b) in enumerate(((196, -235, -70), (150, -235, -110), (176, 120, 240))):
        scene[f"board{k}"] = shape(
            *moved(box((b - a, 24, 2.6), 0.4), ((a + b) / 2, -14, z0)), coated(wood((400, 1400), rng)[0], 0.5)
        )
        scene |= shelf_things(rng, a + 4, b - 4, -13, z0 + 1.3, f"things{k}")
    for k in range(7):
        x = 150 + 11.5 * k + float(rng.uniform(-2, 2))
        rod = tube(
            [
                (x, -4, 6),
                (x + rng.uniform(-3, 3), -5, 90),
                (x + rng.uniform(-5, 5), -3, 150 + rng.uniform(0, 25)),
            ],
            1.1,
        )
        scene[f"rod{k}"] = shape(*rod, metal(scratched((200, 900), rng, 0.3), (0.36, 0.34, 0.32)))
    scene["marver"] = shape(*joined([moved(box((70, 46, 5), 0.8), (-62, -120, 84)),
                                     *(moved(box((5, 5, 82), 0.5), (-62 + a * 29, -120 + b * 18, 41)) for a in (-1, 1) for b in (-1, 1))]),
                            metal(scratched((700, 900), rng, 0.25), (0.40, 0.39, 0.38)))  # fmt: skip
    frame = []
    for k in range(4):
        frame.append(moved(box((2.2, 5, 62), 0.3), (-214 + 21 * k, -3, 222)))
    for k in range(3):
        frame.append(moved(box((66, 5, 2.2), 0.3), (-182.5, -3, 192 + 30 * k)))
    scene["casement"] = shape(*joined(frame), coated((0.10, 0.11, 0.10), 0.4))
    scene["evening"] = {
        "type": "rectangle", "bsdf": {"type": "diffuse", "reflectance": rgb((0, 0, 0))},
        "to_world": facing((-182.5, -1.5, 222), (64, 62)),
        "emitter": {"type": "area", "radiance": bitmap(np.clip(0.75 + 0.12 * noise((200, 200), rng, 2.0), 0.2, 2)[..., None] * np.array([0.8, 1.35, 2.2], np.float32))},
    }  # fmt: skip
    scene["bulb"] = shining_ball((262, -120, 235), 4.0, (150, 108, 66))
    scene["room"] = {"type": "constant", "radiance": rgb((0.006, 0.0055, 0.0055))}
    if pose is not None:
        scene |= figure(rng, (-58 + 26 * pose, -95 - 12 * pose), (20 + 6 * pose, -16 + 4 * pose, 104))
    return scene


def window(rng: np.random.Generator) -> Scene:
    """The window: vessels on the sill before a bright yard with leaves."""
    scene = start(12)
    scene["sensor"] = camera((0, -150, 118), (1, 30, 126), 40, 176, 0.75)
    colour, height = plaster((1600, 2200), rng, (0.40, 0.37, 0.32), 0.8)
    z, x = np.meshgrid(np.linspace(230, 30, 500), np.linspace(-150, 150, 640), indexing="ij")
    hole = (np.abs(x) < 56) & (z > 96) & (z < 186)
    points = np.stack([x, -0.5 * height[:: 1600 // 500, :: 2200 // 640][:500, :640] * 0.6, z], -1)
    p, f, uv = grid(points)
    f = f[~hole.ravel()[f].any(axis=1)]
    scene["wall"] = shape(p, f, uv, bumped(dull(colour), height, 0.2))
    paint = coated(
        np.clip(
            0.33
            + 0.03 * noise((600, 600), rng, 1.0)
            - 0.2 * np.clip(noise((600, 600), rng, 1.4) - 1.4, 0, 1),
            0.05,
            1,
        )[..., None]
        * np.array([0.95, 1.0, 0.92], np.float32),
        0.35,
    )
    frame = [moved(box((5, 7, 92), 0.5), (s * 56, 8, 141)) for s in (-1, 1)]
    frame += [moved(box((116, 7, 5), 0.5), (0, 8, zz)) for zz in (96, 187)]
    frame += [moved(box((3, 5, 90), 0.4), (xx, 8, 141)) for xx in (-19, 19)]
    frame += [moved(box((112, 5, 3), 0.4), (0, 8, zz)) for zz in (126, 157)]
    scene["frame"] = shape(*joined(frame), paint)
    reveal = [moved(box((3, 26, 96), 0.3), (s * 60, 6, 141)) for s in (-1, 1)] + [
        moved(box((124, 26, 3), 0.3), (0, 6, 191))
    ]
    scene["reveal"] = shape(*joined(reveal), dull((0.42, 0.40, 0.36)))
    boards, grain = wood((600, 2000), rng, (0.40, 0.30, 0.20), (0.22, 0.15, 0.09), 1)
    scene["sill"] = shape(
        *moved(box((140, 34, 4), 0.6), (0, -9, 93)), bumped(coated(boards, 0.35, 0.5), grain, 0.3)
    )
    for k, (x0, h, kind, tint) in enumerate(((-40, 24, 0, (0.30, 0.62, 0.97)), (-26, 19, 2, (0.97, 0.66, 0.20)), (14, 27, 1, (0.90, 0.20, 0.30)),
                                             (31, 20, 3, (0.25, 0.85, 0.60)), (43, 15, 2, (0.92, 0.93, 0.95)))):  # fmt: skip
        scene |= vase((x0, -10 + float(rng.uniform(-3, 3)), 95), h, kind, tint, f"vase{k}")
    near = foliage(rng, (-25, 85, 165), (80, 30, 50), 1500, 9.0) + foliage(
        rng, (50, 110, 140), (60, 40, 60), 1300, 8.0
    )
    far = foliage(rng, (0, 320, 170), (420, 80, 160), 5200, 16.0)
    scene |= leafy("near", near, rng, (0.085, 0.21, 0.03)) | leafy("far", far, rng, (0.07, 0.17, 0.035))
    branches = [tube([(-120, 130, 60), (-70, 100, 130), (-20, 88, 170), (40, 80, 190), (90, 90, 230)], 2.0),
                tube([(-70, 100, 130), (-40, 90, 150), (10, 92, 150), (40, 110, 140)], 1.1),
                tube([(120, 150, 20), (80, 130, 110), (55, 115, 150), (30, 110, 200)], 2.4)]  # fmt: skip
    scene["branches"] = shape(*joined(branches), dull((0.09, 0.065, 0.045)))
    scene["house"] = shape(*moved(grid(np.stack([*np.meshgrid(np.linspace(-700, 700, 4), np.linspace(330, -40, 4))], -1) @ np.array([[1, 0, 0], [0, 0, 1.0]])), (0, 560, 0)),
                           dull(bricks((1400, 2600), rng, 50, 32, brick=(0.36, 0.16, 0.10))[0]))  # fmt: skip
    lawn = np.stack(np.meshgrid(np.linspace(-900, 900, 4), np.linspace(700, 20, 4)), -1)
    scene["yard"] = shape(
        *grid(np.concatenate([lawn, 0 * lawn[..., :1]], -1)), dull(concrete((900, 1200), rng, 0.26))
    )
    around = [moved(box((520, 700, 6), 0.5), (0, -345, 300)), *(moved(box((6, 700, 330), 0.5), (s * 250, -345, 150)) for s in (-1, 1)),
              moved(box((620, 10, 420), 0.5), (-460, 12, 150)), moved(box((620, 10, 420), 0.5), (460, 12, 150)), moved(box((420, 10, 90), 0.5), (0, 12, 275)),
              moved(box((420, 10, 90), 0.5), (0, 14, -14))]  # fmt: skip
    scene["inside"] = shape(*joined(around), dull((0.22, 0.20, 0.18)))
    scene["sky"] = panel((0, 900, 1300), (0, 700, 0), (3000, 2000), (9.5, 11.5, 14.5))
    scene["sun"] = panel((700, -300, 1500), (0, 200, 100), (150, 150), (2100, 1900, 1580))
    scene["inner"] = panel((90, -260, 240), (0, 0, 110), (60, 40), (1.1, 0.9, 0.66))
    scene["room"] = {"type": "constant", "radiance": rgb((0.030, 0.029, 0.027))}
    return scene


def vases(rng: np.random.Generator, behind: bool = False) -> Scene:
    """Vessels on a dark board by a window; `behind`: the lens is stopped down and focused on the wall behind them."""
    scene = start(14)
    at, towards = np.array([8.0, -92, 34]), np.array([1.0, 4, 14])
    focus, opening = (152.0, 0.4) if behind else (float(np.linalg.norm(towards - at)), 1.5)
    scene["sensor"] = camera(tuple(at), tuple(towards), 38, focus, opening)
    scene["board"] = table(rng, (170, 110), 8)
    colour, height = plaster((1400, 2000), rng, (0.24, 0.25, 0.27), 0.6)
    scene["wall"] = shape(
        *moved(relief(height, (230, 140), 0.35, 500), (0, 62, 0)), bumped(dull(colour), height, 0.2)
    )
    for k, (x, y, h, kind, tint) in enumerate((
        (-22, 8, 26, 0, (0.22, 0.50, 0.95)), (-7, -4, 20, 2, (0.97, 0.62, 0.16)), (7, 10, 30, 1, (0.90, 0.15, 0.24)),
        (20, -2, 22, 3, (0.94, 0.95, 0.96)), (31, 16, 25, 2, (0.20, 0.80, 0.52)), (-36, 22, 17, 3, (0.80, 0.55, 0.90)),
    )):  # fmt: skip
        scene |= vase((x, y, 0.05), h, kind, tint, f"vase{k}")
    tag = printed((600, 380), [(0.07, 0.06, 0.10, "Lot 14", True), (0.07, 0.22, 0.062, "five vessels, blown", False),
                               (0.07, 0.32, 0.062, "lead-free, 2.1 mm wall", False), (0.07, 0.42, 0.062, "hold by the foot", False)], rng)  # fmt: skip
    gx, gy = np.meshgrid(np.linspace(-5.5, 5.5, 20), np.linspace(3.5, -3.5, 14))
    card_ = np.stack([gx, 0.35 * gy, 3.4 + 0.93 * gy], -1)
    scene["tag"] = shape(*moved(grid(card_), (3, -17, 0), -6), coated(tag, 0.6, 0.2))
    scene["day"] = panel((-120, -10, 75), (0, 0, 12), (90, 110), (4.2, 4.9, 5.9))
    scene["lamp"] = panel((70, -60, 100), (0, 5, 5), (26, 20), (20, 14.5, 9))
    scene["room"] = {"type": "constant", "radiance": rgb((0.05, 0.05, 0.052))}
    return scene


def yard(rng: np.random.Generator) -> Scene:
    """The yard wall under the sky: a drainpipe, aerials on the roof's edge, a thin wire."""
    scene = start(6)
    scene["sensor"] = camera((-40, -900, 160), (10, 0, 330), 47, 930, 0.6)
    tones = {"brick": (0.33, 0.13, 0.075), "pale": (0.44, 0.26, 0.16)}
    colour, height = bricks((3000, 4000), rng, 62, 34, age=1.0, **tones)
    # a window that was closed by later bricks: rows, columns of its place
    rows, columns = slice(1380, 2080), slice(1840, 2360)
    later, raised = bricks(
        (700, 520), rng, 13, 4.4, age=0.8, brick=(0.24, 0.12, 0.085), pale=(0.40, 0.30, 0.22)
    )
    colour[rows, columns], height[rows, columns] = later, raised - 0.9
    points = relief(height, (860, 470), 1.2, 1500)
    scene["wall"] = shape(*points, bumped(dull(colour), height, 0.25))
    grey = np.clip(0.30 + 0.06 * noise((300, 900), rng, 1.4), 0.05, 1)[..., None] * np.array(
        [1, 0.95, 0.86], np.float32
    )
    stones = [
        moved(box((134, 6, 15), 1.0), (21.5, -1.2, 260.5)),
        moved(box((126, 11, 7), 1.0), (21.5, -3.2, 141)),
    ]
    scene["stones"] = shape(
        *joined(stones),
        bumped(
            dull(grey * (1 - 0.5 * np.clip(noise((300, 900), rng, 1.7, (5, 1)), 0, 1))[..., None]),
            noise((300, 900), rng, 0.9),
            0.1,
        ),
    )
    plates = [
        moved(
            turned([(0.01, 0), (13, 0), (14, 1.2), (5, 2.6), (4, 5), (0.01, 5.4)], 64),
            (x, -1.0, 392),
            0,
            (90, 0),
        )
        for x in (-250, -60, 150)
    ]
    scene["plates"] = shape(
        *joined(plates),
        coated(
            np.clip(0.06 + 0.03 * noise((300, 300), rng, 1.4), 0.01, 1)[..., None]
            * np.array([1.3, 0.8, 0.6], np.float32),
            0.5,
        ),
    )
    coping = [
        moved(
            box((44, 34, 8), 1.0),
            (-410 + 45.2 * k, 4, 474 + float(rng.uniform(-0.5, 0.5))),
            float(rng.uniform(-0.6, 0.6)),
        )
        for k in range(19)
    ]
    scene["coping"] = shape(
        *joined(coping),
        bumped(
            dull(
                np.clip(0.42 + 0.07 * noise((500, 900), rng, 1.3), 0.05, 1)[..., None]
                * np.array([1, 0.96, 0.88], np.float32)
            ),
            noise((500, 900), rng, 0.9),
            0.1,
        ),
    )
    pipe = [tube([(250, -10, 480), (250, -10, 440), (242, -11, 300), (242, -11, 20)], 5.0)]
    pipe += [
        moved(turned([(5.6, -3), (6.3, -2), (6.3, 2), (5.6, 3)], 48), (242, -11, zz)) for zz in (60, 160, 260)
    ]
    rust = np.clip(noise((1200, 400), rng, 1.5, (3, 1)) - 0.5, 0, 1)[..., None]
    zinc = np.array([0.26, 0.27, 0.27], np.float32) * (1 + 0.06 * noise((1200, 400), rng, 1.0))[..., None]
    scene["pipe"] = shape(
        *joined(pipe),
        coated(
            np.clip(zinc * (1 - rust) + np.array([0.20, 0.085, 0.03], np.float32) * rust, 0.01, 1), 0.4, 0.5
        ),
    )
    rods = [tube([(-150, 20, 470), (-150, 20, 700)], 1.3), tube([(120, 26, 470), (121, 26, 655)], 1.1)]
    for k in range(9):
        half = 46 - 3.4 * k
        rods.append(tube([(-150 - half, 20 - 0 * k, 690 - 0 * k), (-150 + half, 20, 690)], 0.45) if k == 0 else
                    tube([(-150 + 9 * k - 40, 20 - half / 2, 668), (-150 + 9 * k - 40, 20 + half / 2, 668)], 0.4))  # fmt: skip
    rods += [tube([(-195, 20, 668), (-105, 20, 668)], 0.8)]
    for k in range(6):
        rods.append(tube([(98, 26, 640 - 13 * k), (144, 26, 640 - 13 * k)], 0.4))
    scene["aerials"] = shape(*joined(rods), metal(0.35, (0.42, 0.42, 0.43)))
    t = np.linspace(0, 1, 120)
    wires = [swept(np.stack([-520 + 1100 * t, 60 + 0 * t, 640 - 60 * 4 * t * (1 - t) + 40 * t], 1), 0.32, 8),
             swept(np.stack([-520 + 1100 * t, 40 + 0 * t, 585 - 44 * 4 * t * (1 - t) - 20 * t], 1), 0.22, 8)]  # fmt: skip
    scene["wires"] = shape(*joined(wires), dull((0.02, 0.02, 0.02)))
    scene |= leafy("ivy", foliage(rng, (-330, -14, 120), (110, 8, 170), 5200, 9.0), rng, (0.055, 0.15, 0.03))
    ground = np.stack(np.meshgrid(np.linspace(-900, 900, 4), np.linspace(30, -1000, 4)), -1)
    scene["ground"] = shape(
        *grid(np.concatenate([ground, 0 * ground[..., :1]], -1)),
        dull(concrete((1400, 2000), rng, 0.2), (2, 2)),
    )
    clouds = np.clip(0.5 + 0.55 * noise((1000, 2000), rng, 1.75), 0, 1) * np.linspace(0.25, 1, 1000)[:, None]
    depth = np.linspace(1.0, 0.35, 1000)[:, None, None]
    blue = np.array([0.55, 0.95, 1.75], np.float32) * depth[::-1] + np.array(
        [0.75, 0.8, 0.85], np.float32
    ) * (1 - depth[::-1])
    sky = blue * (1 - clouds[..., None]) + np.array([2.6, 2.6, 2.65], np.float32) * clouds[..., None]
    scene["sky"] = {
        "type": "rectangle", "bsdf": {"type": "diffuse", "reflectance": rgb((0, 0, 0))},
        "to_world": facing((0, 2600, 1500), (6400, 4200)), "emitter": {"type": "area", "radiance": bitmap(sky.astype(np.float32))},
    }  # fmt: skip
    scene["dome"] = {"type": "constant", "radiance": rgb((0.55, 0.72, 1.0))}
    scene["sun"] = panel((-1500, -2300, 2600), (0, 0, 300), (190, 190), (420, 385, 330))
    return scene


def night(rng: np.random.Generator) -> Scene:
    """A corner at night: one lamp within the frame, the rest in the dark."""
    scene = start(10)
    scene["sensor"] = camera((0, -150, 60), (2, 10, 40), 50, 165, 0.8)
    scene["wall"] = brick_wall(rng, (280, 170), 60, 23, 11, soot=0.4)
    scene["table"] = table(rng, (260, 150), -10)
    x, y = 34, 22
    stand = [
        tube([(x, y, 2), (x, y, 20), (x - 5, y - 4, 38), (x - 22, y - 10, 50)], 0.9),
        moved(turned([(0.01, 2.4), (8, 2.0), (9, 0.6), (9, 0)], 64), (x, y, 0)),
    ]
    scene["stand"] = shape(*joined(stand), coated((0.03, 0.03, 0.032), 0.3))
    shade = turned([(2.2, 9), (3.0, 8.6), (9.5, 0.2), (9.3, 0.0), (2.9, 8.2), (2.2, 8.6)], 72)
    scene["shade"] = shape(
        *moved(shade, (x - 22, y - 10, 46), 0, (14, 18)), coated((0.05, 0.16, 0.09), 0.2, 0.7)
    )
    scene["bulb"] = shining_ball((x - 22.4, y - 10.6, 48.5), 2.6, (95, 62, 31))
    for k, name in enumerate(("AMBER", "SEA GREEN")):
        scene |= jar(name, (-34 + 15 * k, 12 - 3 * k), rng, 0.8, 6.0 - 9 * k)
    scene |= vase((-2, 8, 0.05), 24, 1, (0.90, 0.25, 0.2), "vase")
    scene |= brush((-16, -22, 0), 14, rng, "brush", (0.03, 0.09, 0.22))
    scene["shelf"] = shape(
        *moved(box((120, 26, 3), 0.4), (-64, 46, 92)), coated(wood((400, 1400), rng)[0], 0.5)
    )
    scene |= shelf_things(rng, -120, -10, 46, 93.5, "things")
    text = [(0.06, 0.05, 0.05, "Night list", True), *((0.06, 0.2 + 0.11 * k, 0.034, line, False) for k, line in enumerate(
        ("23:10   furnace 1,140 °C", "01:30   annealer off at 370 °C", "04:00   charge: 12 kg cullet, 3 kg batch", "06:15   wake Ines")))]  # fmt: skip
    gx, gy = np.meshgrid(np.linspace(-9, 9, 40), np.linspace(6.5, -6.5, 30))
    scene["list"] = shape(
        *moved(grid(np.stack([gx, gy, 0.12 + 0.5 * np.clip((gx - 4) / 5, 0, 1) ** 2], -1)), (4, -24, 0), 9),
        coated(printed((1100, 800), text, rng), 0.6),
    )
    scene["moon"] = panel((-200, -160, 190), (0, 0, 30), (70, 90), (0.02, 0.028, 0.045))
    return scene
