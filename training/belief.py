"""Fit by what a shape that was cut out is believed to be a subject (``irvane.core.regions.belief``); prints the weights.

    python training/belief.py

Shapes that carry one photograph over another count as good where they were cut out well (intersection over union above 0.7), as bad below
0.5. To them come photographs whose subject was cut out well, and others that have none, looked at one by one, and parts of these. A half
of the shapes is held out.
"""

from __future__ import annotations

import cv2
import numpy as np
from scenes import photographs
from scipy.optimize import minimize

from irvane.core.regions.belief import FEATURES
from irvane.core.regions.subject import cut_out
from subject import composed, fitted, seen

#: Photographs with a subject, and without one.
WITH = (
    "flower.jpg",
    "YellowFlower",
    "Picture_0B",
    "Wine",
    "friends",
    "seeding",
    "FallenLeaf",
    "OneStandsOut",
    "free_by",
    "LadyBird",
)
WITHOUT = ("Blinds", "Dune", "GreenMeadow", "Storm", "Bridge", "aitzgorri", "life_by", "picosdeeuropa", "sunset", "BytheWater", "EveningGlow",
           "Path", "Grey")  # fmt: skip
_SHAPES, _PARTS, _HELD = 160, 4, 0.015
#: What the kinds weigh: shapes are many, and photographs are what is meant.
_WEIGHS = {"photograph": 1.0, "shape": 0.4}


def rows() -> list[tuple[np.ndarray, bool, str]]:
    """Features, whether it is a subject well cut out, and the kind."""
    rng = np.random.default_rng(17)
    names = {w: next(n for n in photographs.TRAINING if w in n) for w in (*WITH, *WITHOUT)}
    made = []
    for word, name in names.items():
        picture = photographs.load(name, 1000)[..., :3] * 0.8
        good = word in WITH
        for part in range(1 if good else _PARTS):
            light = picture if part == 0 else fitted(picture, 600, 900, rng)
            found = cut_out(seen(light, rng))[1]
            if found is not None:
                made.append((found, good, "photograph"))
    pictures = [photographs.load(n, 2000) for n in names.values()]
    for _ in range(_SHAPES):
        reference, alpha = composed(pictures, rng)
        whole, found = cut_out(reference)
        truth = cv2.resize(alpha, whole.shape[::-1], interpolation=cv2.INTER_AREA) > 0.5
        both = float((whole & truth).sum() / max((whole | truth).sum(), 1))
        if found is not None and not 0.5 <= both <= 0.7:
            made.append((found, both > 0.7, "shape"))
    return made


def fit(x: np.ndarray, good: np.ndarray, counts: np.ndarray) -> np.ndarray:
    """Weights of a logistic model, what is added last, all held small."""
    middle, spread = x.mean(axis=0), x.std(axis=0) + 1e-9
    z = (x - middle) / spread

    def off(b: np.ndarray) -> float:
        wrong = np.logaddexp(0, -(2.0 * good - 1) * (z @ b[:-1] + b[-1]))
        return float((counts * wrong).sum() + _HELD * (b[:-1] ** 2).sum())

    b = minimize(off, np.zeros(x.shape[1] + 1)).x
    return np.append(b[:-1] / spread, b[-1] - float((b[:-1] * middle / spread).sum()))


def main() -> None:
    made = rows()
    x = np.array([row[0] for row in made])
    good = np.array([row[1] for row in made])
    kind = np.array([row[2] for row in made])
    counts = np.zeros(len(made))
    for k in ("photograph", "shape"):
        for g in (True, False):
            here = (kind == k) & (good == g)
            counts[here] = _WEIGHS[k] / max(int(here.sum()), 1)
            print(k, "good" if g else "bad", int(here.sum()))
    held = (kind == "shape") & (np.arange(len(made)) % 2 == 0)
    for words, used, asked in (("held out", ~held, held), ("all", held | True, held | True)):
        b = fit(x[used], good[used], counts[used])
        sure = 1 / (1 + np.exp(-(x[asked] @ b[:-1] + b[-1]))) > 0.5
        print(
            f"{words}: {sure[good[asked]].mean():.0%} of the good believed, {sure[~good[asked]].mean():.0%} of the bad"
        )
    photo = kind == "photograph"
    sure = 1 / (1 + np.exp(-(x[photo] @ b[:-1] + b[-1]))) > 0.5
    print(
        f"photographs: {sure[good[photo]].mean():.0%} of those with a subject, {sure[~good[photo]].mean():.0%} of the others"
    )
    surest = 1 / (1 + np.exp(-(x[photo & ~good] @ b[:-1] + b[-1])))
    print(f"of the others no more than one in twenty is believed from {np.quantile(surest, 0.95):.2f} on")
    print(dict(zip((*FEATURES, "added"), b.round(2).tolist(), strict=True)))


if __name__ == "__main__":
    main()
