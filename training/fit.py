"""Fit the network that predicts noise (`dustpan.core.noise.prior`) to samples, and write its weights.

    python -m training.fit SAMPLES WEIGHTS [--seed 0]

Prints its errors on a tenth of the samples, beside those of the flattest blocks alone.
"""

from __future__ import annotations

import itertools
from pathlib import Path
from typing import NamedTuple

import click
import numpy as np
import torch
from torch import nn

from dustpan.core.noise.model import TONES
from dustpan.core.noise.prior import COEFFICIENTS, CORRELATIONS, LIMIT
from dustpan.core.noise.statistics import FINE_PARTS, TABLES
from training.kinds import FAMILIES

_COMPONENTS = 80  # of the targets
_UNITS, _DOUBT_UNITS = (256, 128), (32,)
_TRANSPOSED = np.arange(64).reshape(8, 8).T.ravel()
_CORRELATION_COUNTS = 12.0  # how much more an error of a correlation counts than one of a logarithm
_ROUNDS, _DOUBT_ROUNDS, _BATCH = 60, 30, 128
_RATE, _DECAY, _DROPPED = 2e-3, 1e-2, 0.15
_JITTER = 0.1  # deviations by which inputs are moved by chance
_FAINT = 0.7  # display values of noise, under which a sample counts for less
_TESTED = 10  # every so many samples one is only used to report errors
_COVERED = 0.9  # of the errors, by the doubt


class Samples(NamedTuple):
    """Descriptions, targets relative to the unit of each, and facts (family, compressed, deviation)."""

    inputs: np.ndarray
    targets: np.ndarray
    facts: np.ndarray

    def part(self, rows: np.ndarray | slice) -> Samples:
        """Return some of the samples."""
        return Samples(*(column[rows] for column in self))

    def with_transposed(self) -> Samples:
        """Return these samples and those of the same pictures with rows and columns exchanged."""
        inputs, targets = self.inputs.copy(), self.targets.copy()
        fine = inputs[:, : FINE_PARTS * 3 * 63].reshape(len(inputs), -1, 63)
        fine[:] = fine[:, :, _TRANSPOSED[1:] - 1]
        tables = inputs[:, -TABLES - 1 : -3].reshape(len(inputs), 2, 64)
        inputs[:, -TABLES - 1 : -3] = tables[:, :, _TRANSPOSED].reshape(len(inputs), -1)
        powers = targets[:, :COEFFICIENTS].reshape(len(targets), -1, 63)
        targets[:, :COEFFICIENTS] = powers[:, :, _TRANSPOSED[1:] - 1].reshape(len(targets), -1)
        return Samples(*(np.concatenate(pair) for pair in zip(self, (inputs, targets, self.facts))))

    @property
    def presence(self) -> np.ndarray:
        """Shares of the tones, (N, 17)."""
        first = FINE_PARTS * 3 * 63 + 3 * len(TONES)
        presence = self.inputs[:, first : first + len(TONES)] ** 2
        return presence / np.maximum(presence.sum(axis=1, keepdims=True), 1e-9)

    @property
    def weights(self) -> np.ndarray:
        """How much each counts."""
        return 1 / (1 + (_FAINT / np.maximum(self.facts[:, 2], 0.05)) ** 2)


def load(folder: Path) -> Samples:
    """Return the samples of all chunks of a folder, in order."""
    chunks = [np.load(file) for file in sorted(folder.glob("?????.npz"))]
    inputs, targets, facts = (np.concatenate([chunk[name] for chunk in chunks]) for name in Samples._fields)
    targets[:, :COEFFICIENTS] -= inputs[:, -1:]
    return Samples(inputs, targets, facts)


class Network:
    """A network for standardised inputs, fitted with a learning rate that rises and falls to nothing."""

    def __init__(self, samples: Samples, targets: np.ndarray, units: tuple[int, ...], seed: int, loss, rounds: int):
        torch.manual_seed(seed)
        turned = samples.with_transposed().inputs  # so that all networks of these samples share one standardisation
        self.centre, self.spread = turned.mean(axis=0), turned.std(axis=0) + 1e-3
        widths = (samples.inputs.shape[1], *units)
        self.layers = [nn.Linear(*pair) for pair in itertools.pairwise(widths)] + [
            nn.Linear(widths[-1], targets.shape[1])
        ]
        hidden = [part for layer in self.layers[:-1] for part in (layer, nn.ReLU(), nn.Dropout(_DROPPED))]
        self.net = nn.Sequential(*hidden, self.layers[-1])
        self._descend(samples, torch.from_numpy(targets.astype(np.float32)), loss, rounds, np.random.default_rng(seed))
        self.net.eval()

    def _descend(self, samples: Samples, targets: torch.Tensor, loss, rounds: int, rng: np.random.Generator) -> None:
        inputs, weights = self.standardise(samples.inputs), torch.from_numpy(samples.weights.astype(np.float32))
        count = len(inputs) // _BATCH
        descent = torch.optim.AdamW(self.net.parameters(), lr=_RATE, weight_decay=_DECAY)
        rates = torch.optim.lr_scheduler.OneCycleLR(descent, _RATE, total_steps=rounds * count, pct_start=0.1)
        for _ in range(rounds):
            for chosen in rng.permutation(len(inputs))[: count * _BATCH].reshape(count, _BATCH):
                moved = inputs[chosen] + _JITTER * torch.randn(len(chosen), inputs.shape[1])
                wrong = (loss(self.net(moved), targets[chosen]).mean(dim=1) * weights[chosen]).mean()
                descent.zero_grad()
                wrong.backward()
                descent.step()
                rates.step()

    def standardise(self, inputs: np.ndarray) -> torch.Tensor:
        """Return inputs with mean 0 and deviation 1, held within limits."""
        held = np.clip((inputs - self.centre) / self.spread, -LIMIT, LIMIT)
        return torch.from_numpy(held.astype(np.float32))

    def predict(self, inputs: np.ndarray) -> np.ndarray:
        """Return what the network predicts for descriptions."""
        with torch.no_grad():
            return self.net(self.standardise(inputs)).numpy()


class Predictor:
    """The network of the powers, which works on components of the targets."""

    def __init__(self, samples: Samples, seed: int):
        self.mean = samples.targets.mean(axis=0)
        counts = np.ones(len(self.mean))
        counts[-CORRELATIONS:] = _CORRELATION_COUNTS
        centred = (samples.targets - self.mean) * counts
        _, rows = np.linalg.eigh(centred.T @ centred)
        rows = rows.T[: -_COMPONENTS - 1 : -1]
        components = centred @ rows.T
        scale = components.std()
        self.basis = rows * scale / counts
        loss = nn.HuberLoss(reduction="none")
        self.network = Network(samples, components / scale, _UNITS, seed, loss, _ROUNDS)

    def predict(self, inputs: np.ndarray) -> np.ndarray:
        """Return targets, relative to the unit of each description."""
        return self.network.predict(inputs) @ self.basis + self.mean


def level_errors(predicted: np.ndarray, truth: np.ndarray) -> np.ndarray:
    """Return (N, 2): logarithmic error of the deviation of luminance and of colour."""
    wrong = (predicted - truth)[:, : 3 * 63].reshape(-1, 3, 63) / 2
    return np.stack([wrong[:, 0].mean(axis=1), wrong[:, 1:].mean(axis=(1, 2))], axis=1)


def errors(predicted: np.ndarray, samples: Samples) -> np.ndarray:
    """Return (N, 4), absolute errors of deviations: mean of luminance and of colour, their shape over tone."""
    course = (predicted - samples.targets)[:, COEFFICIENTS:-CORRELATIONS].reshape(-1, 3, len(TONES)) / 2
    off = (np.abs(course) * samples.presence[:, None]).sum(axis=2)
    means = np.abs(level_errors(predicted, samples.targets))
    return np.stack([*means.T, off[:, 0], off[:, 1:].mean(axis=1)], axis=1)


def fit_doubt(samples: Samples, seed: int) -> Network:
    """Return the network that predicts within what nine of ten errors lie, from samples not used for the other."""
    half = np.arange(len(samples.inputs)) % 2 == 0
    wrong = np.zeros((len(half), 4))
    for part in (half, ~half):
        predictor = Predictor(samples.part(part).with_transposed(), seed)
        wrong[~part] = errors(predictor.predict(samples.inputs[~part]), samples.part(~part))

    def pinball(predicted: torch.Tensor, truth: torch.Tensor) -> torch.Tensor:
        above = truth - predicted
        return torch.maximum(_COVERED * above, (_COVERED - 1) * above)

    return Network(samples, np.log(wrong + 0.005), _DOUBT_UNITS, seed, pinball, _DOUBT_ROUNDS)


def report(predicted: np.ndarray, samples: Samples, name: str) -> None:
    """Print median and worst tenth of the errors for each family of noise, in percent."""
    wrong = 100 * np.abs(np.expm1(level_errors(predicted, samples.targets)))
    for family, squeezed in [(family, squeezed) for family in range(len(FAMILIES)) for squeezed in (0, 1)]:
        rows = (samples.facts[:, 0] == family) & (samples.facts[:, 1] == squeezed) & (samples.facts[:, 2] > 1.5)
        if rows.sum() > 9:
            middle, worst = np.median(wrong[rows], axis=0), np.quantile(wrong[rows], 0.9, axis=0)
            figures = "  ".join(f"{m:5.1f} {w:5.1f}" for m, w in zip(middle, worst))
            click.echo(f"{name:8} {FAMILIES[family]:9}{' JPEG' if squeezed else '     '} {rows.sum():5} {figures}")


def report_doubt(doubt: Network, predicted: np.ndarray, samples: Samples) -> None:
    """Print the share of errors within the doubt."""
    seen = samples.facts[:, 2] > 1.5
    within = errors(predicted, samples)[seen] < np.exp(doubt.predict(samples.inputs[seen]))
    click.echo("within the doubt, %: " + "  ".join(f"{100 * share:.0f}" for share in within.mean(axis=0)))


def flat_blocks_alone(samples: Samples) -> np.ndarray:
    """Return targets in which the powers are those that the flattest blocks tell."""
    told = samples.targets.copy()
    told[:, : 3 * 63] = samples.inputs[:, (FINE_PARTS - 1) * 3 * 63 : FINE_PARTS * 3 * 63]
    return told


def write(path: Path, predictor: Predictor, doubt: Network) -> None:
    """Write the weights with half precision."""
    arrays = {"basis": predictor.basis, "mean": predictor.mean}
    for name, network in (("w", predictor.network), ("d", doubt)):
        for number, layer in enumerate(network.layers):
            arrays[f"{name}{number}"] = layer.weight.detach().numpy().T
            arrays[f"{name}{number}_bias"] = layer.bias.detach().numpy()
    halves = {name: array.astype(np.float16) for name, array in arrays.items()}
    standard = {"centre": predictor.network.centre, "spread": predictor.network.spread}
    np.savez_compressed(path, **halves, **{name: array.astype(np.float32) for name, array in standard.items()})


@click.command(help=__doc__.splitlines()[0])
@click.argument("samples", type=click.Path(exists=True, file_okay=False, path_type=Path))
@click.argument("weights", type=click.Path(path_type=Path))
@click.option("--seed", default=0)
def main(samples: Path, weights: Path, seed: int) -> None:
    """Fit, report and write."""
    found = load(samples)
    tested = np.arange(len(found.inputs)) % _TESTED == _TESTED - 1
    fitted, kept = found.part(~tested), found.part(tested)
    click.echo(f"{len(fitted.inputs)} samples; errors in %, median and worst tenth, luminance and colour")
    report(flat_blocks_alone(kept), kept, "flat")
    predictor = Predictor(fitted.with_transposed(), seed)
    predicted = predictor.predict(kept.inputs)
    report(predicted, kept, "network")
    doubt = fit_doubt(fitted, seed)
    report_doubt(doubt, predicted, kept)
    write(weights, predictor, doubt)


if __name__ == "__main__":
    main()
