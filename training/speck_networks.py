"""Fit the networks that tell specks (`dustpan.core.filters.speck_shapes`).

    python -m training.speck_networks WEIGHTS PHOTOS... [--seed 3] [--only added]

`first` is fitted first, then `second`, which learns from what the first leaves in doubt, then `added`. Each takes 30 to
60 minutes on two cores and is put into the file WEIGHTS. Beside it the command keeps what it needs to go on where it
was stopped, to the same weights: a list of networks that are done, the samples, and every few minutes the state of the
descent. `training.speck_export` writes the weights as the program reads them. Every fifth
photograph is held back; on these is printed how many specks are found and how many sound peaks are taken for specks, or
how far off what was added is told.
"""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import cache, partial
from pathlib import Path

import click
import numpy as np
import onnxruntime
import torch
from sklearn.neural_network import MLPClassifier
from torch import nn
from torch.nn import functional

from dustpan.core.filters.networks import make_ready
from dustpan.core.filters.speck_peaks import NEAR, scale
from dustpan.core.filters.speck_shapes import FIRST_FACTS, TOUCHED, WIDE, first_odds, is_doubtful, look
from training.speck_export import STRIDES, graph_of
from training.specks import LEVEL, Samples, gather

_FIRST_UNITS = (320, 128)
#: Networks in the order in which they are fitted.
NETWORKS = ("first", "second", "added")
_ROUNDS, _TESTED_ROUNDS = {"first": 12, "second": 40, "added": 24}, 6  # pictures made of each photograph
_STEPS = {"second": 20_000, "added": 30_000}
_MOST_SOUND = 2200  # peaks of a picture without a speck that the first look learns from
_KERNELS = (24, 40, 64)
_BATCH, _DECAY = 512, 1e-3
_RATE = 3e-3  # largest step of the descent
_SETTLED = 20_000  # samples that are described at once; the first tell the facts' means and deviations
_MIRRORED_FACTS = [0, 1, 4, 3, 2, 5, 6, 7, 8, 9, 10, 11, 14, 13, 12]  # red and blue exchanged
_ROBUST, _SCALE = 0.1, 10.0  # of the peak's height, from which errors count by their size; a loss near 1
_SAVED = 300.0  # seconds between two states
_OF_OWN = 0.5  # how much what is without specks counts, where they have touched it, beside what they have added


class Look(nn.Module):
    """A network that goes over all of a peak's surroundings before it weighs them with the facts."""

    mean: torch.Tensor
    deviation: torch.Tensor

    def __init__(self, facts: torch.Tensor, hidden: int, outputs: int) -> None:
        super().__init__()
        self.register_buffer("mean", facts.mean(0))
        self.register_buffer("deviation", facts.std(0))
        widths = (3, *_KERNELS)
        layers = zip(widths, widths[1:], STRIDES, strict=False)
        self.kernels = nn.ModuleList(nn.Conv2d(one, other, 3, stride) for one, other, stride in layers)
        side = (WIDE - 4 - 3) // 2 + 1
        self.hidden = nn.Linear(_KERNELS[-1] * side * side + facts.shape[1], hidden)
        self.last = nn.Linear(hidden, outputs)

    def forward(self, pixels: torch.Tensor, facts: torch.Tensor) -> torch.Tensor:
        """Return (n, outputs) from (n, 3, WIDE, WIDE) pixels and (n, facts)."""
        for kernel in self.kernels:
            pixels = functional.relu(kernel(pixels))
        known = torch.cat([pixels.flatten(1), (facts - self.mean) / self.deviation], dim=1)
        return self.last(functional.relu(self.hidden(known)))

    def weights(self, name: str) -> dict[str, np.ndarray]:
        """Return the weights as `speck_export` takes them: channels last, facts as they are."""
        stored: dict[str, torch.Tensor] = {}
        for layer, kernel in enumerate(self.kernels):
            stored[f"{name}_kernel{layer}"] = kernel.weight.permute(2, 3, 1, 0).flatten(0, 2)
            stored[f"{name}_kernel{layer}_bias"] = kernel.bias
        of_facts = self.hidden.weight[:, -len(self.mean) :] / self.deviation
        side = (WIDE - 4 - 3) // 2 + 1
        of_pixels = self.hidden.weight[:, : -len(self.mean)].unflatten(1, (-1, side, side)).permute(0, 2, 3, 1)
        stored[f"{name}0"] = torch.cat([of_pixels.flatten(1), of_facts], dim=1).T
        stored[f"{name}0_bias"] = self.hidden.bias - of_facts @ self.mean
        stored[f"{name}1"], stored[f"{name}1_bias"] = self.last.weight.T, self.last.bias
        return {key: values.detach().numpy().astype(np.float16) for key, values in stored.items()}


def fit_first(samples: Samples, seed: int, state: Path) -> dict[str, np.ndarray]:
    """Return the weights of the first look; it is fitted in one go, without a state."""
    network = MLPClassifier(
        _FIRST_UNITS,
        max_iter=40,
        alpha=1e-4,
        batch_size=512,
        early_stopping=True,
        random_state=seed,
        n_iter_no_change=5,
    )
    pixels, facts, _, _ = samples.described(NEAR)
    inputs = np.concatenate([pixels.reshape(len(samples), -1), facts[:, :FIRST_FACTS]], axis=1)
    network.fit(inputs, samples.speck, sample_weight=samples.weight)
    fitted = {}
    for layer, (values, bias) in enumerate(zip(network.coefs_, network.intercepts_, strict=True)):
        fitted[f"first{layer}"], fitted[f"first{layer}_bias"] = values.astype(np.float16), bias.astype(np.float16)
    return fitted


def fit_second(samples: Samples, seed: int, state: Path) -> dict[str, np.ndarray]:
    """Return the weights of the second look."""

    def loss_of(network: Look, pixels: torch.Tensor, facts: torch.Tensor, speck: torch.Tensor) -> torch.Tensor:
        return functional.binary_cross_entropy_with_logits(network(pixels, facts)[:, 0], speck)

    targets = samples.speck.astype(np.float32)
    network = Look(_first_facts(samples), hidden=128, outputs=1)
    return _fit("second", network, samples, loss_of, lambda chosen: targets[chosen], seed, state)


def fit_added(samples: Samples, seed: int, state: Path) -> dict[str, np.ndarray]:
    """Return the weights of the network that tells what specks have added."""

    def loss_of(network: Look, pixels: torch.Tensor, facts: torch.Tensor, added: torch.Tensor) -> torch.Tensor:
        error = functional.huber_loss(
            network(pixels, facts).reshape(added.shape), added, delta=_ROBUST, reduction="none"
        )
        touched = added[:, 1] != 0
        return _SCALE * (error[:, 0].mean() + _OF_OWN * error[:, 1][touched].mean())

    network = Look(_first_facts(samples), hidden=192, outputs=2 * TOUCHED * TOUCHED * 3)
    parts = [_added(samples.among(slice(n, n + _SETTLED))) for n in range(0, len(samples), _SETTLED)]
    targets = np.concatenate([part.astype(np.float16) for part in parts])
    return _fit("added", network, samples, loss_of, lambda chosen: targets[chosen].astype(np.float32), seed, state)


def _added(samples: Samples) -> np.ndarray:
    """Return (n, 2, TOUCHED, TOUCHED, 3), in heights of the peak: what specks have added, and what is without them.

    The second is beside the surroundings' median, and 0 where hardly anything was added.
    """
    _, _, height, medians = samples.described(WIDE)
    rim = (WIDE - TOUCHED) // 2
    added = samples.added.astype(np.float32)
    own = samples.patches[:, rim:-rim, rim:-rim] / np.float32(255) - added - medians[:, None, None]
    told = np.stack([added, np.where(np.abs(added) > 2 * LEVEL, own, 0)], axis=1)
    return told / height[:, None, None, None, None]


def _fit(
    name: str,
    network: Look,
    samples: Samples,
    loss_of: Callable[[Look, torch.Tensor, torch.Tensor, torch.Tensor], torch.Tensor],
    targets_of: Callable[[np.ndarray], np.ndarray],
    seed: int,
    state: Path,
) -> dict[str, np.ndarray]:
    """Return the weights of a network fitted to samples; each batch is mirrored and turned by chance."""
    facts, height, medians = _facts(samples)
    descent = _Descent(network, _STEPS[name], seed, state)
    for chosen in descent.batches(len(samples)):
        pixels = scale(samples.patches[chosen] / np.float32(255), height[chosen], medians[chosen])
        batch = _turned(pixels.transpose(0, 3, 1, 2), facts[chosen], targets_of(chosen), descent.rng)
        descent.follow(loss_of(network, *batch))
    return network.weights(name)


class _Descent:
    """A network's descent, kept in a file every few minutes and gone on with from it."""

    def __init__(self, network: Look, steps: int, seed: int, state: Path) -> None:
        self.rng, self._path, self._steps, self._step = np.random.default_rng(seed), state, steps, 0
        self._order = np.empty(0, np.int64)
        self._optimizer = torch.optim.AdamW(network.parameters(), weight_decay=_DECAY)
        self._rates = torch.optim.lr_scheduler.OneCycleLR(self._optimizer, _RATE, total_steps=steps, pct_start=0.1)
        self._parts = {"network": network, "optimizer": self._optimizer, "rates": self._rates}
        if state.exists():
            stored = torch.load(state, weights_only=True)
            for part, values in stored["parts"].items():
                self._parts[part].load_state_dict(values)
            self._step, self._order = stored["step"], stored["order"].numpy()
            self.rng.bit_generator.state = json.loads(stored["rng"])

    def batches(self, count: int) -> Iterator[np.ndarray]:
        """Yield the samples of each batch that is left, from so many in all."""
        saved = time.monotonic()
        while self._step < self._steps:
            if time.monotonic() - saved > _SAVED:
                self._save()
                saved = time.monotonic()
            if len(self._order) < _BATCH:
                self._order = self.rng.permutation(count)
            chosen, self._order = self._order[:_BATCH], self._order[_BATCH:]
            yield chosen
            self._step += 1

    def follow(self, loss: torch.Tensor) -> None:
        """Go down the slope of a loss."""
        self._optimizer.zero_grad()
        loss.backward()
        self._optimizer.step()
        self._rates.step()

    def _save(self) -> None:
        unfinished = self._path.with_suffix(".part")
        parts = {name: part.state_dict() for name, part in self._parts.items()}
        rng = json.dumps(self.rng.bit_generator.state)
        torch.save({"step": self._step, "parts": parts, "order": torch.from_numpy(self._order), "rng": rng}, unfinished)
        unfinished.replace(self._path)
        click.echo(f"{self._step} of {self._steps}")


def _first_facts(samples: Samples) -> torch.Tensor:
    """Return the facts that tell a network their means and deviations."""
    return torch.from_numpy(samples.among(slice(_SETTLED)).described(NEAR)[1])


def _facts(samples: Samples) -> list[np.ndarray]:
    """Return facts, heights and medians of all samples."""
    parts = [samples.among(slice(n, n + _SETTLED)).described(NEAR)[1:] for n in range(0, len(samples), _SETTLED)]
    return [np.concatenate(part) for part in zip(*parts, strict=True)]


def _turned(
    pixels: np.ndarray, facts: np.ndarray, targets: np.ndarray, rng: np.random.Generator
) -> tuple[torch.Tensor, ...]:
    """Return a batch mirrored, turned, and with red and blue exchanged, each by chance."""
    around = targets.ndim > 1
    if rng.random() < 0.5:
        pixels, targets = pixels[:, :, ::-1], targets[:, :, ::-1] if around else targets
    if rng.random() < 0.5:
        pixels, targets = pixels[:, :, :, ::-1], targets[:, :, :, ::-1] if around else targets
    if rng.random() < 0.5:
        pixels, targets = pixels.swapaxes(2, 3), targets.swapaxes(2, 3) if around else targets
    if rng.random() < 0.5:
        pixels, targets = pixels[:, ::-1], targets[..., ::-1] if around else targets
        facts = facts[:, _MIRRORED_FACTS]
    return tuple(torch.from_numpy(np.ascontiguousarray(part)) for part in (pixels, facts, targets))


def _thinned(samples: Samples) -> Samples:
    """Return a picture's peaks with some of the sound ones standing for all."""
    sound = np.flatnonzero(~samples.speck)
    kept = np.random.default_rng(len(samples)).permutation(sound)[:_MOST_SOUND]
    weight = samples.weight.copy()
    weight[kept] = len(sound) / max(len(kept), 1)
    chosen = np.sort(np.concatenate([np.flatnonzero(samples.speck), kept]))
    return replace(samples, weight=weight).among(chosen)


def _doubtful(samples: Samples, first: bytes) -> Samples:
    return samples.among(is_doubtful(first_odds(_ready(first), *samples.described(NEAR)[:2])))


@cache
def _ready(graph: bytes) -> onnxruntime.InferenceSession:
    return make_ready(graph)


def _specks(samples: Samples) -> Samples:
    return samples.among(samples.speck)


def _report(name: str, samples: Samples, fitted: dict[str, np.ndarray]) -> None:
    """Print how well a network does on photographs held back."""
    network = make_ready(graph_of(fitted, name).SerializeToString())
    if name == "first":
        return _print_odds(first_odds(network, *samples.described(NEAR)[:2]), samples)
    told = look(network, *samples.described(WIDE)[:2])
    if name == "second":
        return _print_odds(told[:, 0], samples)
    right = _added(samples)
    error = np.abs(told.reshape(right.shape) - right)[:, 1][right[:, 0] != 0]
    click.echo(f"what is without specks is told wrong by {error.mean():.3f} of their height on average")


def _print_odds(odds: np.ndarray, samples: Samples) -> None:
    for limit in range(-1, 6):
        found = (odds[samples.speck] > limit).mean()
        wrong = np.average(odds[~samples.speck] > limit, weights=samples.weight[~samples.speck])
        click.echo(f"odds over {limit}: {found:.3f} of specks, {wrong:.4f} of sound peaks")


@click.command()
@click.argument("weights", type=click.Path(path_type=Path))
@click.argument("photos", nargs=-1, required=True, type=click.Path(exists=True, path_type=Path))
@click.option("--seed", default=3)
@click.option("--only", type=click.Choice(NETWORKS), help="Fit one network; the others stay.")
def main(weights: Path, photos: tuple[Path, ...], seed: int, only: str | None) -> None:
    """Fit the networks to folders of photographs and put them into the file WEIGHTS."""
    paths = [path for folder in photos for path in sorted(folder.glob("*.png"))]
    held = paths[4::5]
    shown = [path for path in paths if path not in held]
    listed = weights.with_suffix(".done")
    for network in NETWORKS if only is None else (only,):
        done = listed.read_text().splitlines() if listed.exists() else []
        line = f"{network} of seed {seed}"
        if line in done:
            continue
        click.echo(line)
        _fit_and_keep(network, weights, shown, held, seed)
        listed.write_text("\n".join([*done, line]) + "\n")
    listed.unlink(missing_ok=True)


def _fit_and_keep(network: str, weights: Path, shown: list[Path], held: list[Path], seed: int) -> None:
    """Fit a network and put it into the file."""
    stored = dict(np.load(weights)) if weights.exists() else {}
    keep = {"first": _thinned, "added": _specks}.get(network)
    if keep is None:
        keep = partial(_doubtful, first=graph_of(stored, "first").SerializeToString())
    gathered, state = (weights.with_suffix(f".{network}-{seed}.{ending}") for ending in ("npz", "pt"))
    if gathered.exists():
        samples = Samples.load(gathered)
    else:
        samples = gather(shown, _ROUNDS[network], seed, keep)
        samples.save(gathered)
    click.echo(f"{len(samples)} peaks, {samples.speck.sum()} of them specks")
    torch.manual_seed(seed)
    fit = {"first": fit_first, "second": fit_second, "added": fit_added}[network]
    fitted = fit(samples, seed, state)
    np.savez_compressed(weights, **{**stored, **fitted})
    for left in (gathered, state):
        left.unlink(missing_ok=True)
    _report(network, gather(held, _TESTED_ROUNDS, seed + 6, keep), fitted)


if __name__ == "__main__":
    main()
