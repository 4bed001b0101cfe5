"""Fit the networks that tell specks (`dustpan.core.filters.speck_shapes`), and write their weights.

    python -m training.specks WEIGHTS PHOTOS... [--seed 3]

(half an hour on two cores).

Hot pixels of known size are put on photographs (every fifth is held back), before and after their mosaic is
interpolated, single, in clusters, bright and dark; stars are drawn too, which are none. Prints how many are found and
how many sound peaks are taken for specks on the photographs held back.
"""

from __future__ import annotations

import io
from dataclasses import dataclass
from pathlib import Path

import click
import cv2
import numpy as np
from PIL import Image
from sklearn.neural_network import MLPClassifier, MLPRegressor

from dustpan.core.filters import mosaic as own
from dustpan.core.filters.speck_shapes import SIDE, TOUCHED, count_detail, describe, tell_odds
from dustpan.core.filters.specks import BRIGHT, standing_out
from dustpan.core.picture.curve import decode_curve, encode_curve
from dustpan.simulate import camera

_LEVEL = 1 / 255
_GATE = 10.0  # display values that a peak stands out by
_ROUNDS = 20  # pictures made of each photograph
_SPECKS, _STARS = 350, 250  # in a picture
_MOST_SOUND, _MOST_BESIDE = 2000, 200  # peaks of a picture without a speck, and beside one, that are kept
_SEEN = 20 * _LEVEL  # what a speck has to add at its peak
_ODDS_UNITS, _ADDED_UNITS = (320, 128), (384, 160)
_PATTERN = np.array([[0, 1], [1, 2]], np.uint8)


@dataclass(frozen=True, eq=False)
class Peaks:
    """Peaks of pictures.

    Attributes
    ----------
    patches : (n, 9, 9, 3), turned so that the peak is bright.
    sigma : (n, 3) noise.
    speck : (n,) bool.
    added : (n, 5, 5, 3), what a speck has added.
    detail : (n, 5), fine detail around it.
    weight : (n,), how many peaks of its picture it stands for.
    """

    patches: np.ndarray
    sigma: np.ndarray
    speck: np.ndarray
    added: np.ndarray
    detail: np.ndarray
    weight: np.ndarray

    @classmethod
    def joined(cls, parts: list[Peaks]) -> Peaks:
        """Return the peaks of several pictures."""
        names = ("patches", "sigma", "speck", "added", "detail", "weight")
        return cls(*(np.concatenate([getattr(part, name) for part in parts]) for name in names))

    def turned(self, rng: np.random.Generator) -> Peaks:
        """Return them mirrored and turned by chance, each picture's in one way."""
        patches, added = self.patches, self.added
        if rng.random() < 0.5:
            patches, added = patches.swapaxes(1, 2), added.swapaxes(1, 2)
        across, down = (slice(None, None, -1 if rng.random() < 0.5 else 1) for _ in range(2))
        colours = slice(None, None, -1 if rng.random() < 0.5 else 1)
        patches, added = (a[:, down, across, colours] for a in (patches, added))
        return Peaks(patches.copy(), self.sigma[:, colours].copy(), self.speck, added.copy(), self.detail, self.weight)


def draw_peaks(photo: np.ndarray, rng: np.random.Generator) -> Peaks:
    """Return the peaks of one picture made of a photograph (h x w x 3 working values)."""
    if rng.random() < 0.25:
        photo = 1 - photo  # dark specks are bright ones of the negative
    if rng.random() < 0.3:
        photo = with_stars(photo if rng.random() < 0.5 else 0.15 * photo, rng)
    deviation = float(rng.uniform(0, 8) * _LEVEL)
    make = (_on_mosaic, _on_picture, _interpolated)[rng.choice(3, p=[0.35, 0.35, 0.3])]
    sound, hot = make(photo, deviation, rng)
    if rng.random() < 0.15:
        quality = int(rng.integers(88, 100))
        sound, hot = (_as_jpeg(picture, quality) for picture in (sound, hot))
    sound, hot = (np.clip(np.rint(p * 255), 0, 255).astype(np.float32) / 255 for p in (sound, hot))
    return _peaks(sound, hot, max(deviation, 2.5 * _LEVEL), rng)


def with_stars(photo: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Return a picture with points of light that are spread as through a lens."""
    light = decode_curve(photo)
    spread = rng.uniform(0.6, 1.4)
    y, x = np.mgrid[-5:6, -5:6]
    for _ in range(_STARS):
        row, column = rng.integers(6, photo.shape[0] - 6), rng.integers(6, photo.shape[1] - 6)
        dy, dx = rng.uniform(-0.5, 0.5, 2)
        shape = np.exp(-((x - dx) ** 2 + (y - dy) ** 2) / (2 * spread**2))
        colour = np.clip(1 + 0.25 * rng.standard_normal(3), 0.3, 2) * 10 ** rng.uniform(-2, 0.3)
        light[row - 5 : row + 6, column - 5 : column + 6] += shape[..., None] * colour
    return np.minimum(encode_curve(light), 1)


def _sites(shape: tuple[int, int], rng: np.random.Generator) -> np.ndarray:
    """Return (h, w) heights of hot sites, some in clusters of two to four."""
    heights = np.zeros(shape, np.float32)
    rows, columns = rng.integers(6, shape[0] - 6, _SPECKS), rng.integers(6, shape[1] - 6, _SPECKS)
    for row, column in zip(rows, columns, strict=True):
        height = np.float32(np.exp(rng.uniform(np.log(25), np.log(400))) * _LEVEL)
        heights[row, column] = height
        if rng.random() < 0.12:
            for dy, dx in rng.integers(0, 2, (3, 2)):
                heights[row + dy, column + dx] = height * rng.uniform(0.5, 1)
    return heights


def _on_picture(photo: np.ndarray, deviation: float, rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """Specks of all colours on a developed picture."""
    sound = photo + rng.normal(0, deviation, photo.shape)
    heights = _sites(photo.shape[:2], rng)[..., None]
    shape = (*photo.shape[:2], 1)
    tint = np.where(rng.random(shape) < 0.5, rng.uniform(0.6, 1, photo.shape), np.eye(3)[rng.integers(0, 3, shape[:2])])
    return sound, sound + heights * tint


def _interpolated(photo: np.ndarray, deviation: float, rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """Specks as interpolation has smeared them, on a picture that is sharper than interpolation leaves it."""
    sound = photo + rng.normal(0, deviation, photo.shape)
    interpolate = (camera.demosaic_fast, camera.demosaic_fine)[rng.integers(2)]
    gain = rng.uniform(0.8, 1.6, 3)
    return sound, sound + interpolate(_sites(photo.shape[:2], rng)) * gain


def _on_mosaic(photo: np.ndarray, deviation: float, rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """Hot sites of a sensor, interpolated and given a tone curve."""
    balance = np.array([rng.uniform(1.1, 2.2), 1.0, rng.uniform(1.1, 2.4)], np.float32)
    interpolate = (camera.demosaic_fast, camera.demosaic_fine, _edge_aware)[rng.integers(3)]
    light = decode_curve(photo) / balance
    plane = np.empty(photo.shape[:2], np.float32)
    for (row, column), colour in np.ndenumerate(_PATTERN):
        plane[row::2, column::2] = light[row::2, column::2, colour]
    plane = plane + rng.normal(0, 0.5 * deviation, plane.shape) * np.sqrt(plane + 0.05)
    hot = np.minimum(plane + _sites(plane.shape, rng) * np.sqrt(plane + 0.05), 1)
    to_display = _colour_matrix(rng)
    developed = (np.minimum(interpolate(p.astype(np.float32)) * balance, 1) @ to_display.T for p in (plane, hot))
    pictures = (encode_curve(np.asarray(light, np.float32)) for light in developed)
    sound, specked = (np.clip(picture, 0, 1) for picture in pictures)
    return sound, specked


def _colour_matrix(rng: np.random.Generator) -> np.ndarray:
    """Return 3 x 3 camera colours to display colours: filters overlap, so a hot site darkens the other channels."""
    strength = rng.uniform(0, 0.35, (3, 3)) * (rng.random() < 0.7)
    matrix = -strength * rng.uniform(0.1, 1, (3, 3))
    np.fill_diagonal(matrix, 0)
    return (np.eye(3) * (1 - matrix.sum(axis=1)) + matrix).astype(np.float32)


def _edge_aware(plane: np.ndarray) -> np.ndarray:
    colours = np.tile(_PATTERN, (plane.shape[0] // 2, plane.shape[1] // 2))
    return own.demosaic_fine(plane, colours, floor=0.02)


def _as_jpeg(picture: np.ndarray, quality: int) -> np.ndarray:
    buffer = io.BytesIO()
    Image.fromarray(np.clip(np.rint(picture * 255), 0, 255).astype(np.uint8)).save(buffer, "JPEG", quality=quality)
    return np.asarray(Image.open(buffer), np.float32) / 255


def _peaks(sound: np.ndarray, hot: np.ndarray, deviation: float, rng: np.random.Generator) -> Peaks:
    """Return the peaks of a picture with specks: all that are, some that are not; what is neither clearly is left."""
    sigma = np.full((3, *hot.shape[:2]), deviation, np.float32)
    gate = max(_GATE * _LEVEL / deviation, 3.5)
    standing = standing_out(hot, sigma, np.float32(gate), BRIGHT, coloured=True)
    rows, columns = np.nonzero(standing > 0)
    inside = (np.minimum(rows, columns) >= 5) & (rows < hot.shape[0] - 5) & (columns < hot.shape[1] - 5)
    rows, columns = rows[inside], columns[inside]
    added = hot - sound
    most = added.max(axis=2)
    around = cv2.dilate(np.abs(added).max(axis=2), np.ones((TOUCHED + 2, TOUCHED + 2), np.uint8))
    peak = cv2.dilate(most, np.ones((TOUCHED, TOUCHED), np.uint8))
    here = most[rows, columns]
    speck = (here >= _SEEN) & (here >= 0.7 * peak[rows, columns])
    clean = np.flatnonzero(around[rows, columns] < 3 * _LEVEL)
    beside = np.flatnonzero(~speck & (here < 0.5 * peak[rows, columns]) & (peak[rows, columns] > _SEEN))
    kept = np.concatenate([np.flatnonzero(speck), rng.permutation(clean)[:_MOST_SOUND], beside[:_MOST_BESIDE]])
    weight = np.ones(len(kept), np.float32)
    specks, sound_kept = np.count_nonzero(speck), min(len(clean), _MOST_SOUND)
    weight[specks : specks + sound_kept] = len(clean) / max(sound_kept, 1)
    rows, columns = rows[kept], columns[kept]
    detail = count_detail(hot, np.stack([rows, columns], axis=1))
    return Peaks(
        _cut(hot, rows, columns, SIDE),
        np.full((len(kept), 3), deviation, np.float32),
        speck[kept],
        _cut(added, rows, columns, TOUCHED) * speck[kept][:, None, None, None],
        detail,
        weight,
    )


def _cut(picture: np.ndarray, rows: np.ndarray, columns: np.ndarray, side: int) -> np.ndarray:
    around = np.arange(side) - side // 2
    return picture[rows[:, None, None] + around[:, None], columns[:, None, None] + around].astype(np.float32)


def fit(peaks: Peaks, seed: int) -> dict[str, np.ndarray]:
    """Return the weights of both networks."""
    inputs, height = describe(peaks.patches, peaks.sigma, peaks.detail)
    options = {"batch_size": 512, "early_stopping": True, "random_state": seed, "n_iter_no_change": 5}
    odds = MLPClassifier(_ODDS_UNITS, max_iter=40, alpha=1e-4, **options).fit(
        inputs, peaks.speck, sample_weight=peaks.weight
    )
    targets = np.concatenate([_flat(peaks.added), _flat(_sound(peaks))], axis=1) / height[:, None]
    # Hardly any decay of the weights: the mean square over 150 numbers, most of them near 0, is small.
    regressor = MLPRegressor(hidden_layer_sizes=_ADDED_UNITS, max_iter=90, alpha=1e-8, tol=3e-6, **options)
    added = regressor.fit(inputs[peaks.speck], targets[peaks.speck])
    return {
        f"{name}{layer}{part}": values.astype(np.float16)
        for name, network in (("odds", odds), ("added", added))
        for part, layers in (("", network.coefs_), ("_bias", network.intercepts_))
        for layer, values in enumerate(layers)
    }


def _sound(peaks: Peaks) -> np.ndarray:
    """Return (n, 5, 5, 3) what specks have touched, as it would be without them, less the surroundings' median."""
    rim = (SIDE - TOUCHED) // 2
    median = np.median(_flat(peaks.patches).reshape(len(peaks.patches), -1, 3), axis=1)[:, None, None]
    own = peaks.patches[:, rim:-rim, rim:-rim] - peaks.added - median
    return np.where(np.abs(peaks.added) > 2 * _LEVEL, own, 0)


def _flat(array: np.ndarray) -> np.ndarray:
    return array.reshape(len(array), -1)


def gather(paths: list[Path], rounds: int, seed: int) -> Peaks:
    """Return the peaks of pictures made of photographs."""
    parts = []
    for number, path in enumerate(paths):
        photo = np.asarray(Image.open(path).convert("RGB"), np.float32) / 255
        for turn in range(rounds):
            rng = np.random.default_rng([seed, number, turn])
            parts.append(draw_peaks(photo, rng).turned(rng))
    return Peaks.joined(parts)


@click.command()
@click.argument("weights", type=click.Path(path_type=Path))
@click.argument("photos", nargs=-1, required=True, type=click.Path(exists=True, path_type=Path))
@click.option("--seed", default=3)
def main(weights: Path, photos: tuple[Path, ...], seed: int) -> None:
    """Fit the networks to folders of photographs and write their WEIGHTS."""
    paths = [path for folder in photos for path in sorted(folder.glob("*.png"))]
    held = paths[4::5]
    peaks = gather([path for path in paths if path not in held], _ROUNDS, seed)
    click.echo(f"{len(peaks.speck)} peaks, {peaks.speck.sum()} of them specks")
    fitted = fit(peaks, seed)
    np.savez_compressed(weights, **fitted)
    tested = gather(held, 2, seed + 1)
    odds = tell_odds(tested.patches, tested.sigma, tested.detail, weights=fitted)
    for limit in (-1, 0, 1, 2, 3, 4, 5):
        found = (odds[tested.speck] > limit).mean()
        wrong = np.average(odds[~tested.speck] > limit, weights=tested.weight[~tested.speck])
        click.echo(f"odds over {limit}: {found:.3f} of specks, {wrong:.4f} of sound peaks")


if __name__ == "__main__":
    main()
