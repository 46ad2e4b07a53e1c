"""The shelf wall: wide enough for a panorama, with a bare bulb at one end and a door to the day at the other. Centimetres."""

from __future__ import annotations

import numpy as np

from materials import bumped, camera, coated, dull, metal, panel, rgb, shining_ball
from shapes import box, grid, joined, moved, shape, swept
from stock import crate, stock
from textures import bricks, concrete, noise, plaster, printed, scratched, wood
from things import POWDERS, Scene, facing, jar, start, tube, vase

#: Horizontal angle of the whole map in degrees.
ANGLE = 58
_BOARDS = (48, 82, 116, 150, 184, 218)
_LEFT, _RIGHT = -205.0, 118.0


def shelf(rng: np.random.Generator) -> Scene:
    """Boards of vessels, jars and boxes along a plastered wall; a ladder, crates, a door that stands open."""
    scene = start(11)
    scene["sensor"] = camera((-6, -430, 124), (-6, 0, 124), ANGLE, 415, 0.35)
    colour, height = plaster((1800, 3200), rng, (0.36, 0.33, 0.28), 0.9)
    z, x = np.meshgrid(np.linspace(300, 0, 600), np.linspace(-300, 300, 1200), indexing="ij")
    door = (x > 146) & (x < 224) & (z < 212)
    raised = -0.4 * height[:: 1800 // 600, :: 3200 // 1200][:600, :1200]
    p, f, uv = grid(np.stack([x, raised, z], -1))
    f = f[~door.ravel()[f].any(axis=1)]
    scene["wall"] = shape(p, f, uv, bumped(dull(colour), height, 0.2))
    scene |= _boards(rng)
    scene |= _door(rng)
    scene |= _around(rng)
    # it leans before the boards, whose edges are at −30
    rails = [tube([(s * 17 + 84, -78, 2), (s * 14 + 84, -33, 262)], 2.2) for s in (-1, 1)]
    rungs = [tube([(84 - 16.6 + 0.3 * k, -73.2 + 4.15 * k, 30 + 24 * k), (84 + 16.6 - 0.3 * k, -73.2 + 4.15 * k, 30 + 24 * k)], 1.5)
             for k in range(9)]  # fmt: skip
    scene["ladder"] = shape(
        *joined([*rails, *rungs]),
        coated(wood((900, 300), rng, (0.42, 0.30, 0.17), (0.24, 0.15, 0.08), 1)[0], 0.5),
    )
    cord = swept(np.array([[-172, -60, 300], [-172, -60, 222]]), 0.4, 10)
    scene["cord"] = shape(*cord, dull((0.03, 0.03, 0.03)))
    scene["socket"] = shape(*moved(box((4, 4, 8), 1.2), (-172, -60, 219)), coated((0.05, 0.05, 0.05), 0.3))
    scene["bulb"] = shining_ball((-172, -60, 211), 3.6, (150, 104, 60))
    scene["day"] = {
        "type": "rectangle", "bsdf": {"type": "diffuse", "reflectance": rgb((0, 0, 0))},
        "to_world": facing((185, 600, 420), (900, 520)),
        "emitter": {"type": "area", "radiance": rgb((5.0, 6.4, 8.4)), "sampling_weight": 0.35},
    }  # fmt: skip
    scene["sun"] = panel((460, 420, 620), (190, 60, 60), (130, 130), (190, 172, 140))
    scene["sun"]["emitter"]["sampling_weight"] = 0.3
    scene["fill"] = panel((60, -560, 285), (-20, 0, 100), (260, 120), (3.4, 3.5, 3.9))
    return scene


def _boards(rng: np.random.Generator) -> Scene:
    made: Scene = {}
    middle, long = (_LEFT + _RIGHT) / 2, _RIGHT - _LEFT
    for k, z in enumerate(_BOARDS):
        colour, grain = wood((500, 3000), rng, (0.33, 0.21, 0.12), (0.17, 0.10, 0.05), 1)
        made[f"board{k}"] = shape(
            *moved(
                box((long, 30, 2.6), 0.35), (middle, -15, z - 1.3), 0, (0, float(rng.uniform(-0.15, 0.15)))
            ),
            bumped(coated(colour, 0.45, 0.4), grain, 0.3),
        )
    posts = [moved(box((5, 5, 250), 0.5), (x0, y, 125)) for x0 in (_LEFT, -98, 10, _RIGHT) for y in (-28, -3)]
    made["posts"] = shape(
        *joined(posts), coated(wood((2000, 300), rng, (0.30, 0.19, 0.11), (0.15, 0.09, 0.05), 1)[0], 0.5)
    )
    for k, z in enumerate(_BOARDS):
        for part, (a, b) in enumerate(((_LEFT + 4, -101), (-94, 7), (14, _RIGHT - 4))):
            if (k, part) not in ((2, 1), (1, 0), (3, 2)):
                made |= stock(rng, (a + float(rng.uniform(0, 6)), b), (-21, z), f"things{k}{part}")
                back = (a + float(rng.uniform(0, 30)), b - float(rng.uniform(0, 40)))
                made |= stock(rng, back, (-8, z), f"back{k}{part}")
    places = iter(np.linspace(-88, 0, 5))
    for (name, fill), turn in zip(
        zip(POWDERS, (0.8, 0.7, 0.9, 0.65, 0.75), strict=True), (6, -9, 3, -5, 10), strict=True
    ):
        jar_ = jar(name, (0.0, 0.0), rng, fill, turn)
        made |= _lifted(jar_, (float(next(places)), -17, _BOARDS[2]))
    tints = (
        (0.22, 0.50, 0.95),
        (0.97, 0.62, 0.16),
        (0.90, 0.15, 0.24),
        (0.94, 0.95, 0.96),
        (0.20, 0.80, 0.52),
        (0.80, 0.55, 0.90),
    )
    for k, tint in enumerate(tints):
        made |= vase((-195 + 17.5 * k, -16, _BOARDS[1] + 0.05), 20 + 3 * (k % 3), k % 4, tint, f"glass{k}")
        made |= vase(
            (22 + 16 * k, -16, _BOARDS[3] + 0.05), 22 - 2 * (k % 3), (k + 1) % 4, tints[-1 - k], f"tall{k}"
        )
    names = ("Lot 3  bowls", "Lot 5  carafes", "Lot 8  lamps", "Lot 11  seconds", "Lot 12  repairs", "Lot 14  orders",
             "Lot 17  samples", "Lot 20  stoppers", "Lot 21  feet", "Lot 24  lids", "Lot 26  amber", "Lot 30  opal")  # fmt: skip
    for k, name in enumerate(names):
        tag = printed((420, 130), [(0.05, 0.075, 0.115, name, True)], rng, (0.66, 0.62, 0.52))
        gx, gz = np.meshgrid(np.linspace(-6.2, 6.2, 12), np.linspace(1.5, -1.9, 6))
        paper = np.stack([gx, -0.15 - 0.08 * np.clip(-gz - 0.5, 0, 2) ** 2, gz], -1)
        x = (-175 if k % 3 == 0 else -50 if k % 3 == 1 else 62) + float(rng.uniform(-18, 18))
        made[f"tag{k}"] = shape(
            *moved(grid(paper), (x, -30, _BOARDS[k // 3 + (k // 3 > 1) + (k // 3 > 2)] - 1.6)),
            coated(tag, 0.6, 0.2),
        )
    return made


def _lifted(scene: Scene, by: tuple[float, float, float]) -> Scene:
    """Shapes moved as a whole."""
    import mitsuba as mi

    return {
        key: {**part, "to_world": mi.ScalarTransform4f().translate(list(by))} for key, part in scene.items()
    }


def _door(rng: np.random.Generator) -> Scene:
    """The opening to the yard, its frame and leaf, and what is seen through it."""
    made: Scene = {}
    paint = np.clip(0.20 + 0.03 * noise((900, 300), rng, 1.0), 0.03, 1)[..., None] * np.array(
        [0.55, 0.85, 0.80], np.float32
    )
    frame = [moved(box((7, 12, 216), 0.5), (x, 2, 108)) for x in (143, 227)] + [
        moved(box((91, 12, 7), 0.5), (185, 2, 215))
    ]
    made["frame"] = shape(*joined(frame), coated(paint, 0.4))
    sign = printed(
        (900, 300),
        [(0.09, 0.06, 0.12, "YARD", True), (0.09, 0.20, 0.055, "keep shut in frost: glass cracks", False)],
        rng,
        (0.50, 0.47, 0.36),
    )
    gx, gz = np.meshgrid(np.linspace(-24, 24, 8), np.linspace(8, -8, 6))
    made["sign"] = shape(
        *moved(grid(np.stack([gx, 0 * gx - 1.2, gz], -1)), (185, 0, 232)), coated(sign, 0.25, 0.6)
    )
    made["leaf"] = shape(*moved(box((4, 76, 208), 0.5), (224, 42, 105), 14), coated(paint, 0.35))
    wall = np.stack(np.meshgrid(np.linspace(-500, 500, 4), np.linspace(165, 0, 4)), -1)
    wall = np.stack([wall[..., 0], 0 * wall[..., 0], wall[..., 1]], -1)
    made["yard_wall"] = shape(
        *moved(grid(wall), (150, 420, 0)), dull(bricks((900, 3000), rng, 26, 50, age=0.8)[0])
    )
    yard = np.stack(np.meshgrid(np.linspace(-500, 500, 60), np.linspace(440, 8, 40)), -1)
    lumps = np.concatenate([yard, 0.8 * noise((40, 60), rng, 1.6)[..., None]], -1)
    made["yard"] = shape(*moved(grid(lumps), (150, 0, -1)), dull(concrete((900, 1600), rng, 0.22)))
    made["barrel"] = shape(
        *moved(box((46, 46, 62), 6), (176, 240, 31), 20),
        metal(scratched((400, 500), rng, 0.4), (0.24, 0.26, 0.30)),
    )
    return made


def _around(rng: np.random.Generator) -> Scene:
    """Floor, crates, ceiling and side walls."""
    made: Scene = {}
    floor = np.stack(np.meshgrid(np.linspace(-420, 420, 90), np.linspace(6, -700, 70)), -1)
    made["floor"] = shape(
        *grid(np.concatenate([floor, 0.5 * noise((70, 90), rng, 1.8)[..., None]], -1)),
        coated(
            concrete((1600, 2000), rng), np.clip(0.5 + 0.12 * noise((800, 1000), rng, 1.5), 0.2, 0.9), 0.3
        ),
    )
    for k, (x, y, turn, text, load) in enumerate((
        (-150, -78, 9, "CULLET CLEAR", "40 kg"), (-92, -84, -12, "CULLET AMBER", "35 kg"), (30, -92, 6, "RETURNS", "mind the edges"),
    )):  # fmt: skip
        made |= crate(rng, (x, y, 0.6), turn, (text, load), f"crate{k}")
    shell = [
        moved(box((900, 720, 8), 0.5), (0, -340, 306)),
        *(moved(box((8, 720, 320), 0.5), (s * 330, -360, 150)) for s in (-1, 1)),
    ]
    shell += [moved(box((330, 10, 320), 0.5), (400, 8, 150)), moved(box((330, 10, 320), 0.5), (-400, 8, 150))]
    made["shell"] = shape(*joined(shell), dull((0.26, 0.24, 0.21)))
    return made
