"""The loop that both networks are trained by: resumable, with a smoothed copy of the weights that is what is shipped."""

from __future__ import annotations

import argparse
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import TypeVar

import numpy as np
import torch
from torch import nn

Made = TypeVar("Made")


def ahead(make: Callable[[], Made]) -> Iterator[Made]:
    """What `make` gives, again and again, each made in another thread while the one before is used."""
    with ThreadPoolExecutor(1) as thread:
        coming = thread.submit(make)
        while True:
            ready, coming = coming.result(), thread.submit(make)
            yield ready


def fit(
    net: nn.Module,
    smooth: nn.Module,
    state: Path,
    steps: int,
    rate: Callable[[int], float],
    losses: Callable[[int], Callable[[], torch.Tensor]],
    told: Callable[[], str],
    decay: float,
    save_every: int,
) -> None:
    """Train `net` up to so many steps, going on from `state` where that exists.

    Parameters
    ----------
    smooth : the same kind of network; it becomes a moving average of the weights (1 − `decay` per step).
    rate : learning rate of a step.
    losses : given the first step, returns what gives the loss of the next batch.
    told : how good `smooth` is, for the log.
    """
    smooth.load_state_dict(net.state_dict())
    optimiser = torch.optim.AdamW(net.parameters(), lr=rate(0), weight_decay=1e-4)
    first, seconds = 0, 0.0
    if state.exists():
        saved = torch.load(state, weights_only=True)
        net.load_state_dict(saved["net"])
        smooth.load_state_dict(saved["smooth"])
        optimiser.load_state_dict(saved["optimiser"])
        first, seconds = saved["step"], saved["seconds"]
    loss_of_next = losses(first)
    started, total = time.monotonic() - seconds, 0.0
    for step in range(first, steps):
        for group in optimiser.param_groups:
            group["lr"] = float(rate(step))
        loss = loss_of_next()
        optimiser.zero_grad()
        loss.backward()
        nn.utils.clip_grad_norm_(net.parameters(), 1.0)
        optimiser.step()
        with torch.no_grad():
            kept_share = min(decay, (step + 1) / (step + 10))
            for kept, new in zip(smooth.parameters(), net.parameters(), strict=True):
                kept.lerp_(new, 1 - kept_share)
        total += loss.item()
        if (step + 1) % save_every == 0 or step + 1 == steps:
            seconds = time.monotonic() - started
            torch.save(
                {"net": net.state_dict(), "smooth": smooth.state_dict(), "optimiser": optimiser.state_dict(),
                 "step": step + 1, "seconds": seconds},
                state.with_suffix(".part"),
            )  # fmt: skip
            state.with_suffix(".part").replace(state)
            print(
                f"{step + 1} steps, {seconds / 60:.1f} min, loss {total / save_every:.5f}, {told()}",
                flush=True,
            )
            total = 0.0


def commands(
    words: str | None, make: Callable[[Path, int], None], train: Callable[[Path, int, int], None], export: Callable[[Path], None],
    steps: int,
) -> None:  # fmt: skip
    """The command line of a training with samples: make them, train, export."""
    parser = argparse.ArgumentParser(description=words)
    parser.add_argument("what", choices=("make", "train", "export"))
    parser.add_argument("--work", type=Path, required=True, help="folder for samples and states")
    parser.add_argument("--count", type=int, default=3000)
    parser.add_argument("--steps", type=int, default=steps)
    parser.add_argument("--threads", type=int, default=2)
    args = parser.parse_args()
    if args.what == "make":
        make(args.work, args.count)
    elif args.what == "train":
        train(args.work, args.steps, args.threads)
    else:
        export(args.work)


def falling(steps: int, highest: float, last: float, warm_up: int) -> Callable[[int], float]:
    """A learning rate that rises over some steps and falls along a cosine."""

    def rate(step: int) -> float:
        if step < warm_up:
            return highest * (step + 1) / warm_up
        return float(last + (highest - last) * 0.5 * (1 + np.cos(np.pi * step / steps)))

    return rate
