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

from dustpan.core.noise.prior import COEFFICIENTS, LIMIT

_COMPONENTS = 60  # of the targets
_UNITS, _DOUBT_UNITS = (160, 96), (24,)
_ROUNDS = 70
_RATE = 1e-3
_FAINT = 0.7  # display values of noise, under which a sample counts for less
_TESTED = 0.1
_KINDS = ("white", "camera", "grain", "none")


class Samples(NamedTuple):
    """Descriptions, targets relative to the unit of each, and facts (kind, compressed, deviation, tables known)."""

    inputs: np.ndarray
    targets: np.ndarray
    facts: np.ndarray

    def part(self, rows: np.ndarray | slice) -> Samples:
        """Return some of the samples."""
        return Samples(*(column[rows] for column in self))

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
            hidden_layer_sizes=units, alpha=1e-3, batch_size=64, max_iter=1, warm_start=True, random_state=seed
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
        _, _, rows = np.linalg.svd(samples.targets - self.mean, full_matrices=False)
        components = (samples.targets - self.mean) @ rows[:_COMPONENTS].T
        scale = components.std()
        self.basis = rows[:_COMPONENTS] * scale
        self.network = Network(samples, components / scale, _UNITS, seed)

    def predict(self, inputs: np.ndarray) -> np.ndarray:
        """Return targets, relative to the unit of each description."""
        return self.network.predict(inputs) @ self.basis + self.mean


def level_errors(told: np.ndarray, truth: np.ndarray) -> np.ndarray:
    """Return (N, 2): logarithmic error of the deviation of luminance and of colour."""
    wrong = (told - truth)[:, : 3 * 63].reshape(-1, 3, 63) / 2
    return np.stack([wrong[:, 0].mean(axis=1), wrong[:, 1:].mean(axis=(1, 2))], axis=1)


def fit_doubt(samples: Samples, seed: int) -> Network:
    """Return the network that tells how far off the other may be, from samples that it was not fitted to."""
    half = np.arange(len(samples.inputs)) % 2 == 0
    wrong = np.zeros((len(half), 2))
    for part in (half, ~half):
        teller = Teller(samples.part(part), seed)
        wrong[~part] = level_errors(teller.predict(samples.inputs[~part]), samples.targets[~part])
    # The logarithm's mean lies under the logarithm of the mean: 0.635 for a normal error.
    return Network(samples, np.log(np.abs(wrong) + 0.005) + 0.635, _DOUBT_UNITS, seed, rounds=20)


def report(told: np.ndarray, samples: Samples, name: str) -> None:
    """Print median and worst tenth of the errors for each kind of noise, in percent."""
    wrong = 100 * np.abs(np.expm1(level_errors(told, samples.targets)))
    for kind, squeezed in [(kind, squeezed) for kind in range(3) for squeezed in (0, 1)]:
        rows = (samples.facts[:, 0] == kind) & (samples.facts[:, 1] == squeezed) & (samples.facts[:, 2] > 1.5)
        if rows.sum() > 9:
            middle, worst = np.median(wrong[rows], axis=0), np.quantile(wrong[rows], 0.9, axis=0)
            figures = "  ".join(f"{m:5.1f} {w:5.1f}" for m, w in zip(middle, worst))
            click.echo(f"{name:8} {_KINDS[kind]:7}{' JPEG' if squeezed else '     '} {rows.sum():5} {figures}")


def flat_blocks_alone(samples: Samples) -> np.ndarray:
    """Return targets in which the powers are those that the flattest blocks tell."""
    told = samples.targets.copy()
    told[:, : 3 * 63] = samples.inputs[:, 9 * 3 * 63 : 10 * 3 * 63]
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
    teller = Teller(fitted, seed)
    report(teller.predict(kept.inputs), kept, "network")
    write(weights, teller, fit_doubt(fitted, seed))


if __name__ == "__main__":
    main()
