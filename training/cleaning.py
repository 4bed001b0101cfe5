"""Fit the network that corrects what the quick engine has cleaned: `dustpan.core.filters.correction` runs it.

    python -m training.cleaning SAMPLES STATE [--steps 60000] [--begin STATE]

STATE holds the weights, what the descent remembers, and how far it is. It is written every few minutes, so that the
command goes on where it was stopped, also with more steps or on another machine. The newest are `jpeg_state.pt`, 5,600
steps on 1,600 JPEGs after 3,100 on all kinds of noise, and `whole_state.pt`, 5,800 steps on 2,700 pictures that were
never compressed, begun from the weights of the former. Samples that are drawn meanwhile
(`training.cleaned`) take part. Every twentieth chunk is only used to report the gain.
"""

from __future__ import annotations

import time
from pathlib import Path

import click
import numpy as np
import torch
from torch import nn
from torch.nn import functional

from dustpan.core.filters.correction import BOUND, PLANES, network_input
from dustpan.core.noise.facts import FACTS

WIDTHS = (48, 96, 128)  # channels at pixels of 2, 4 and 8 px; no fewer than the planes that enter the finest

_FACT_UNITS = 64
_SIDE, _BATCH = 128, 8  # px of a square, squares of a step
_RATE, _WARM, _LAST = 6e-4, 300, 0.02  # of the descent; steps of rising; part of the rate at the end
_KEPT = 0.998  # of the running mean of the weights with each step
_FAINT = 0.4 / 255  # error that every sample has beside its own
_SAVED = 300.0  # seconds between two states
_TESTED = 20  # every so many chunks one is only reported
_HELD = 100  # chunks in memory at a time
_STAYS = 600  # steps before some chunks in memory are exchanged


class Block(nn.Module):
    """Two layers, whose result is added to their input."""

    def __init__(self, width: int) -> None:
        super().__init__()
        self.first, self.second = (nn.Conv2d(width, width, 3, padding=1) for _ in range(2))

    def forward(self, planes: torch.Tensor) -> torch.Tensor:
        """Return planes of the same shape."""
        return planes + self.second(functional.relu(self.first(planes)))


class Corrector(nn.Module):
    """A network of three levels that looks 60 px around."""

    def __init__(self) -> None:
        super().__init__()
        one, two, three = WIDTHS
        self.enter = nn.Conv2d(4 * PLANES, one, 3, padding=1)
        self.facts = nn.Sequential(nn.Linear(FACTS, _FACT_UNITS), nn.ReLU(), nn.Linear(_FACT_UNITS, sum(WIDTHS)))
        self.down = nn.ModuleList([nn.Conv2d(one, two, 2, 2), nn.Conv2d(two, three, 2, 2)])
        self.encode = nn.ModuleList([Block(one), Block(two), nn.Sequential(Block(three), Block(three))])
        self.up = nn.ModuleList([nn.ConvTranspose2d(two, one, 2, 2), nn.ConvTranspose2d(three, two, 2, 2)])
        self.decode = nn.ModuleList([Block(one), Block(two)])
        self.leave = nn.Conv2d(one, 12, 3, padding=1)
        nn.init.zeros_(self.leave.weight)
        nn.init.zeros_(self.leave.bias)

    def forward(self, planes: torch.Tensor, facts: torch.Tensor) -> torch.Tensor:
        """Return (n, 3, h, w) corrections in deviations of the noise, from (n, PLANES, h, w) and (n, FACTS)."""
        moved = self.facts(facts)[:, :, None, None].split(WIDTHS, dim=1)
        fine = self.encode[0](functional.relu(self.enter(functional.pixel_unshuffle(planes, 2)) + moved[0]))
        middle = self.encode[1](functional.relu(self.down[0](fine) + moved[1]))
        coarse = self.encode[2](functional.relu(self.down[1](middle) + moved[2]))
        middle = self.decode[1](middle + self.up[1](coarse))
        fine = self.decode[0](fine + self.up[0](middle))
        return functional.pixel_shuffle(self.leave(functional.relu(fine)), 2)


class Chunks:
    """Samples in memory, some of which are exchanged now and then."""

    def __init__(self, folder: Path, rng: np.random.Generator):
        self.folder, self.rng = folder, rng
        self.samples: list[tuple[np.ndarray, ...]] = []

    @property
    def files(self) -> list[Path]:
        """Return the chunks to learn from that are there by now."""
        return [path for path in _chunks(self.folder) if not _only_reported(path)]

    def exchange(self) -> None:
        """Take a third of the chunks anew."""
        files = self.files
        chosen = self.rng.permutation(len(files))[: _HELD if not self.samples else _HELD // 3]
        fresh = [sample for n in chosen for sample in samples_of(files[n])]
        kept = len(self.samples) * 2 // 3 if len(files) > _HELD else 0
        self.samples = [self.samples[n] for n in self.rng.permutation(len(self.samples))[:kept]] + fresh

    def batch(self) -> tuple[torch.Tensor, ...]:
        """Return squares of some samples, turned by chance."""
        chosen = self.rng.integers(0, len(self.samples), _BATCH)
        return stack([square(self.samples[n], self.rng) for n in chosen])


def _chunks(folder: Path) -> list[Path]:
    return sorted(folder.glob("?????.npz"))


def _only_reported(chunk: Path) -> bool:
    return int(chunk.stem) % _TESTED == 0  # by its number: more chunks may come


def samples_of(path: Path) -> list[tuple[np.ndarray, ...]]:
    """Return the samples of a chunk: noisy, cleaned and true planes, deviations and facts of each."""
    with np.load(path) as stored:
        columns = [stored[name] for name in ("noisy", "cleaned", "truth", "sigma", "facts")]
    return list(zip(*columns))


def square(sample: tuple[np.ndarray, ...], rng: np.random.Generator) -> tuple[np.ndarray, ...]:
    """Return a square of a sample, perhaps mirrored and turned."""
    *planes, facts = sample
    y, x = (8 * int(rng.integers(0, (side - _SIDE) // 8 + 1)) for side in planes[0].shape[1:])
    turn, mirrored = int(rng.integers(4)), rng.random() < 0.5
    cut = []
    for plane in planes:
        part = np.rot90(plane[:, y : y + _SIDE, x : x + _SIDE].astype(np.float32), turn, (1, 2))
        cut.append(np.ascontiguousarray(part[:, :, ::-1] if mirrored else part))
    return (*cut, facts.astype(np.float32))


def stack(parts: list[tuple[np.ndarray, ...]]) -> tuple[torch.Tensor, ...]:
    """Return input, facts, cleaned planes, deviations and truth of some squares."""
    inputs = np.stack([network_input(noisy, cleaned, sigma) for noisy, cleaned, _, sigma, _ in parts])
    _, cleaned, truth, sigma, facts = (np.stack(column) for column in zip(*parts))
    planes = torch.from_numpy(inputs).contiguous(memory_format=torch.channels_last)
    return planes, *(torch.from_numpy(part) for part in (facts, cleaned, sigma, truth))


def corrected(network: nn.Module, inputs, facts, cleaned, sigma) -> torch.Tensor:
    """Return the cleaned planes with the network's correction, held within `BOUND` deviations."""
    return cleaned + sigma * network(inputs, facts).clamp(-BOUND, BOUND)


def loss_of(network: nn.Module, batch: tuple[torch.Tensor, ...]) -> torch.Tensor:
    """Return by how many dB the correction lowers each sample's error, in the mean, with the other sign.

    Each sample counts alike, whatever its noise; what is hardly wrong counts for little.
    """
    inputs, facts, cleaned, sigma, truth = batch
    after = corrected(network, inputs, facts, cleaned, sigma)
    wrong = [((side - truth) ** 2).mean(dim=(1, 2, 3)) + _FAINT**2 for side in (cleaned, after)]
    return 10 * torch.log10(wrong[1] / wrong[0]).mean()


def gains(network: nn.Module, folder: Path) -> np.ndarray:
    """Return by how many dB the correction lowers the error of each sample that is only reported."""
    found = []
    with torch.no_grad():
        for path in filter(_only_reported, _chunks(folder)):
            for *planes, facts in samples_of(path):
                whole = (*(plane.astype(np.float32) for plane in planes), facts.astype(np.float32))
                inputs, facts, cleaned, sigma, truth = stack([whole])
                after = corrected(network, inputs, facts, cleaned, sigma)
                errors = [float(((side - truth)[..., 16:-16, 16:-16] ** 2).mean()) + 1e-8 for side in (cleaned, after)]
                found.append(10 * np.log10(errors[0] / errors[1]))
    return np.array(found)


class Descent:
    """The network, the running mean of its weights, and what the descent remembers."""

    def __init__(self, state: Path, seed: int, begin: Path | None = None):
        torch.manual_seed(seed)
        self.path, self.step = state, 0
        self.network, self.mean = Corrector().to(memory_format=torch.channels_last), Corrector()
        self.mean.load_state_dict(self.network.state_dict())
        self.optimizer = torch.optim.AdamW(self.network.parameters(), lr=_RATE, weight_decay=1e-4)
        if begin is not None:
            weights = torch.load(begin, weights_only=True)["mean"]
            for network in (self.network, self.mean):
                network.load_state_dict(weights)
        if state.exists():
            stored = torch.load(state, weights_only=True)
            self.step = stored["step"]
            for name, part in self._parts.items():
                part.load_state_dict(stored[name])

    @property
    def _parts(self):
        return {"network": self.network, "mean": self.mean, "optimizer": self.optimizer}

    def save(self) -> None:
        """Write the state whole or not at all."""
        unfinished = self.path.with_suffix(".part")
        torch.save({"step": self.step, **{name: part.state_dict() for name, part in self._parts.items()}}, unfinished)
        unfinished.rename(self.path)

    def go(self, batch: tuple[torch.Tensor, ...], steps: int) -> float:
        """Take one step of so many; return the loss."""
        part = min(self.step / steps, 1.0)
        rate = _RATE * min(1.0, (self.step + 1) / _WARM) * (_LAST + (1 - _LAST) * 0.5 * (1 + np.cos(np.pi * part)))
        for group in self.optimizer.param_groups:
            group["lr"] = float(rate)  # no NumPy value: a state holds plain ones alone
        loss = loss_of(self.network, batch)
        self.optimizer.zero_grad()
        loss.backward()
        nn.utils.clip_grad_norm_(self.network.parameters(), 1.0)
        self.optimizer.step()
        self.step += 1
        kept = min(_KEPT, self.step / (self.step + 10))
        with torch.no_grad():
            for own, new in zip(self.mean.parameters(), self.network.parameters()):
                own.lerp_(new, 1 - kept)
        return float(loss.detach())


def fit(samples: Path, descent: Descent, steps: int, seed: int) -> None:
    """Take the steps that are left, with a word now and then."""
    chunks = Chunks(samples, np.random.default_rng([seed, descent.step]))
    saved, losses = time.monotonic(), []
    while descent.step < steps:
        if not chunks.samples or descent.step % _STAYS == 0:
            chunks.exchange()
        losses.append(descent.go(chunks.batch(), steps))
        if time.monotonic() - saved > _SAVED:
            descent.save()
            found = gains(descent.mean, samples)
            low, middle = np.quantile(found, (0.05, 0.5))
            told = f"mean {found.mean():+.3f} dB, median {middle:+.3f}, lowest twentieth {low:+.3f}"
            click.echo(f"step {descent.step}: loss {np.mean(losses):.4f}; gain {told} ({len(found)})")
            saved, losses = time.monotonic(), []
    descent.save()


@click.command(help=__doc__.splitlines()[0])
@click.argument("samples", type=click.Path(exists=True, file_okay=False, path_type=Path))
@click.argument("state", type=click.Path(dir_okay=False, path_type=Path))
@click.option("--steps", default=60_000, show_default=True)
@click.option("--seed", default=0, show_default=True)
@click.option("--threads", default=1, show_default=True)
@click.option("--begin", type=click.Path(exists=True, dir_okay=False, path_type=Path), help="Weights to begin from.")
def main(samples: Path, state: Path, steps: int, seed: int, threads: int, begin: Path | None) -> None:
    """Go on from the state, if there is one."""
    torch.set_num_threads(threads)
    fit(samples, Descent(state, seed, begin), steps, seed)


if __name__ == "__main__":
    main()
