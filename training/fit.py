"""Fit the network that tells noise (`dustpan.core.noise.prior`) to samples, and write its weights.

    python -m training.fit SAMPLES WEIGHTS [--seed 0]

Prints its errors on the last tenth of the samples, beside those of the flattest blocks alone.
"""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

import click
import numpy as np
from sklearn.neural_network import MLPRegressor

from dustpan.core.noise.model import TONES
from dustpan.core.noise.prior import COEFFICIENTS, CORRELATIONS, LIMIT
from dustpan.core.noise.statistics import FINE_PARTS, TABLES
from training.kinds import FAMILIES

_COMPONENTS = 60  # of the targets
_UNITS, _DOUBT_UNITS = (160, 96), (24,)
_TRANSPOSED = np.arange(64).reshape(8, 8).T.ravel()
_CORRELATION_COUNTS = 4.0  # how much more an error of a correlation counts than one of a logarithm
_ROUNDS, _BATCH = 40, 128
_DECAY = 1.0  # of the weights; under it worst errors are larger
_RATE = 1e-3
_FAINT = 0.7  # display values of noise, under which a sample counts for less
_TESTED = 0.1
_FARTHEST = 4.0  # logarithm that the power at a tone may differ from the mean by


class Samples(NamedTuple):
    """Descriptions, targets relative to the unit of each, and facts (kind, compressed, deviation)."""

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
    def tones(self) -> tuple[np.ndarray, np.ndarray]:
        """Logarithms of the power at each tone, (N, 3, 17) relative, 0 for none; and the tones' shares, (N, 17)."""
        count, first = len(TONES), FINE_PARTS * 3 * 63
        powers = self.inputs[:, first : first + 3 * count].reshape(-1, count, 3).swapaxes(1, 2)
        presence = self.inputs[:, first + 3 * count : first + 4 * count] ** 2
        return powers, presence / np.maximum(presence.sum(axis=1, keepdims=True), 1e-9)

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
    """A network for standardised inputs, fitted with a learning rate that falls to nothing."""

    def __init__(self, samples: Samples, targets: np.ndarray, units: tuple[int, ...], seed: int, rounds: int = _ROUNDS):
        self.centre, self.spread = samples.inputs.mean(axis=0), samples.inputs.std(axis=0) + 1e-3
        self.net = MLPRegressor(
            hidden_layer_sizes=units, alpha=_DECAY, batch_size=_BATCH, max_iter=1, warm_start=True, random_state=seed
        )
        inputs = self.standardise(samples.inputs)
        for number in range(rounds):
            rate = _RATE * 0.5 * (1 + np.cos(np.pi * number / rounds)) + 1e-5
            self.net.learning_rate_init = rate  # each call of fit begins with it
            self.net.fit(inputs, targets, sample_weight=samples.weights)

    def standardise(self, inputs: np.ndarray) -> np.ndarray:
        """Return inputs with mean 0 and deviation 1, held within limits."""
        return np.clip((inputs - self.centre) / self.spread, -LIMIT, LIMIT).astype(np.float32)

    def predict(self, inputs: np.ndarray) -> np.ndarray:
        """Return what the network tells of descriptions."""
        return self.net.predict(self.standardise(inputs))


class Teller:
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
        self.network = Network(samples, components / scale, _UNITS, seed)

    def predict(self, inputs: np.ndarray) -> np.ndarray:
        """Return targets, relative to the unit of each description."""
        return self.network.predict(inputs) @ self.basis + self.mean


def level_errors(told: np.ndarray, truth: np.ndarray) -> np.ndarray:
    """Return (N, 2): logarithmic error of the deviation of luminance and of colour."""
    wrong = (told - truth)[:, : 3 * 63].reshape(-1, 3, 63) / 2
    return np.stack([wrong[:, 0].mean(axis=1), wrong[:, 1:].mean(axis=(1, 2))], axis=1)


def errors(told: np.ndarray, samples: Samples) -> np.ndarray:
    """Return (N, 4), how far off deviations are: mean of luminance and of colour, their course over tone."""
    course = (told - samples.targets)[:, COEFFICIENTS:-CORRELATIONS].reshape(-1, 3, len(TONES)) / 2
    off = (np.abs(course) * samples.tones[1][:, None]).sum(axis=2)
    return np.stack([*np.abs(level_errors(told, samples.targets)).T, off[:, 0], off[:, 1:].mean(axis=1)], axis=1)


def fit_doubt(samples: Samples, seed: int) -> Network:
    """Return the network that tells how far off the other may be, and the flattest blocks alone.

    The first from samples that it was not fitted to.
    """
    half = np.arange(len(samples.inputs)) % 2 == 0
    wrong = np.zeros((len(half), 4))
    for part in (half, ~half):
        teller = Teller(samples.part(part).with_transposed(), seed)
        wrong[~part] = errors(teller.predict(samples.inputs[~part]), samples.part(~part))
    wrong = np.concatenate([wrong, errors(flat_blocks_alone(samples), samples)], axis=1)
    # The logarithm's mean lies under the logarithm of the mean: 0.635 for a normal error.
    return Network(samples, np.log(wrong + 0.005) + 0.635, _DOUBT_UNITS, seed, rounds=20)


def report(told: np.ndarray, samples: Samples, name: str) -> None:
    """Print median and worst tenth of the errors for each kind of noise, in percent."""
    wrong = 100 * np.abs(np.expm1(level_errors(told, samples.targets)))
    for kind, squeezed in [(kind, squeezed) for kind in range(len(FAMILIES)) for squeezed in (0, 1)]:
        rows = (samples.facts[:, 0] == kind) & (samples.facts[:, 1] == squeezed) & (samples.facts[:, 2] > 1.5)
        if rows.sum() > 9:
            middle, worst = np.median(wrong[rows], axis=0), np.quantile(wrong[rows], 0.9, axis=0)
            figures = "  ".join(f"{m:5.1f} {w:5.1f}" for m, w in zip(middle, worst))
            click.echo(f"{name:8} {FAMILIES[kind]:9}{' JPEG' if squeezed else '     '} {rows.sum():5} {figures}")


def flat_blocks_alone(samples: Samples) -> np.ndarray:
    """Return targets in which the powers are those that the flattest blocks tell."""
    told = samples.targets.copy()
    told[:, : 3 * 63] = samples.inputs[:, (FINE_PARTS - 1) * 3 * 63 : FINE_PARTS * 3 * 63]
    steps = np.arange(len(TONES))
    for row, powers, presence in zip(told, *samples.tones):
        seen = np.flatnonzero(powers.any(axis=0))
        course = np.stack([np.interp(steps, seen, plane[seen]) for plane in powers])
        mean = np.log(np.maximum(np.exp(course) @ presence, 1e-9))
        row[COEFFICIENTS:-CORRELATIONS] = np.clip(course - mean[:, None], -_FARTHEST, _FARTHEST).ravel()
    return told


def write(path: Path, teller: Teller, doubt: Network) -> None:
    """Write the weights with half precision."""
    arrays = {"basis": teller.basis, "mean": teller.mean}
    for name, net in (("w", teller.network.net), ("d", doubt.net)):
        for layer, (matrix, bias) in enumerate(zip(net.coefs_, net.intercepts_)):
            arrays |= {f"{name}{layer}": matrix, f"{name}{layer}_bias": bias}
    halves = {name: array.astype(np.float16) for name, array in arrays.items()}
    standard = {"centre": teller.network.centre, "spread": teller.network.spread}
    np.savez_compressed(path, **halves, **{name: array.astype(np.float32) for name, array in standard.items()})


@click.command(help=__doc__.splitlines()[0])
@click.argument("samples", type=click.Path(exists=True, file_okay=False, path_type=Path))
@click.argument("weights", type=click.Path(path_type=Path))
@click.option("--seed", default=0)
def main(samples: Path, weights: Path, seed: int) -> None:
    """Fit, report and write."""
    found = load(samples)
    tested = round(_TESTED * len(found.inputs))
    fitted, kept = found.part(slice(None, -tested)), found.part(slice(-tested, None))
    click.echo(f"{len(fitted.inputs)} samples; errors in %, median and worst tenth, luminance and colour")
    report(flat_blocks_alone(kept), kept, "flat")
    teller = Teller(fitted.with_transposed(), seed)
    report(teller.predict(kept.inputs), kept, "network")
    write(weights, teller, fit_doubt(fitted, seed))


if __name__ == "__main__":
    main()
