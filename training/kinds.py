"""Kinds of noise and of processing, each of which spoils a clean picture: for the sweep, and to fit the noise prior.

A kind takes a clean picture (h x w x 3, display tones 0 to 1) and a generator and returns a `Spoiled`. The families are
functions with settings; `KINDS` are the fixed ones that the sweep scores, `draw_kind` draws settings by chance.
"""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

import cv2
import numpy as np
from PIL import Image

from dustpan.core.filters.colour import from_opponent
from dustpan.core.picture.curve import decode_curve, encode_curve
from dustpan.core.picture.source import Compression, Source
from dustpan.simulate import camera as simulated
from training.camera import Camera, draw_camera, edge_aware, fast, photograph, process

_BALANCE = np.array([1.9, 1.0, 1.5], np.float32)


@dataclass(frozen=True, eq=False)
class Spoiled:
    """A spoiled picture.

    Attributes
    ----------
    noisy : h x w x 3 (or x 1) display tones before they were stored, which may lie outside 0 to 1.
    truth : the same without noise.
    pixels : as a file holds them.
    compression : of a JPEG.
    linear : whether `pixels` are linear light.
    inside : rows and columns that hold the photograph, where the rest was drawn around it.
    sharp : the truth as a better lens would show it, where it is another.
    """

    noisy: np.ndarray
    truth: np.ndarray
    pixels: np.ndarray
    compression: Compression | None = None
    linear: bool = False
    inside: tuple[slice, slice] = (slice(None), slice(None))
    sharp: np.ndarray | None = None

    @property
    def wanted(self) -> np.ndarray:
        """What the picture should look like in the end."""
        return self.truth if self.sharp is None else self.sharp

    @property
    def source(self) -> Source:
        """The picture as it would be opened."""
        return Source(self.pixels, compression=self.compression, linear=self.linear)


Kind = Callable[[np.ndarray, np.random.Generator], Spoiled]


def bytes_of(tones: np.ndarray) -> np.ndarray:
    """Return display tones as 8-bit values."""
    return np.clip(np.rint(tones * 255), 0, 255).astype(np.uint8)


def stored(noisy: np.ndarray, truth: np.ndarray) -> Spoiled:
    """Return a picture as 8 bits hold it."""
    return Spoiled(noisy, truth.astype(np.float32), bytes_of(noisy))


def as_jpeg(pixels: np.ndarray, quality: int, *, halved: bool = True) -> tuple[np.ndarray, Compression]:
    """Return 8-bit pixels as a JPEG holds them, and how it was compressed."""
    buffer = io.BytesIO()
    grey = pixels.shape[2] == 1
    Image.fromarray(pixels[..., 0] if grey else pixels).save(
        buffer, "JPEG", quality=quality, subsampling=2 if halved else 0
    )
    image = Image.open(buffer)
    tables = [np.array(table, np.float32).reshape(8, 8) for table in image.quantization.values()]
    read = np.array(image)
    return (read[..., None] if grey else read), Compression(tables[0], tables[-1], halved and not grey)


# -- noise ------------------------------------------------------------------------------------------------------


def white(clean, rng, *, levels: float = 15.0, channels=(1.0, 1.0, 1.0)) -> Spoiled:
    """Independent noise of every pixel and channel."""
    deviation = np.float32(levels / 255) * np.asarray(channels, np.float32)
    return stored(clean + deviation * rng.standard_normal(clean.shape, np.float32), clean)


def camera(clean, rng, *, electrons: float = 600.0, demosaic=edge_aware, **settings) -> Spoiled:
    """A camera with so many electrons at white."""
    made = Camera(electrons, 2.0, _BALANCE, 0.6, demosaic, 0.7, 0.0)
    return stored(*photograph(clean, replace(made, **settings), rng))


def grain(clean, rng, *, levels: float = 15.0, blur: float = 0.8) -> Spoiled:
    """Grey grain as film has it, strongest in midtones."""
    plane = _unit(cv2.GaussianBlur(rng.standard_normal(clean.shape[:2], np.float32), (0, 0), blur))
    tone = clean.mean(axis=2)
    strength = np.float32(levels / 255) * (0.5 + 2 * tone * (1 - tone))
    return stored(clean + (plane * strength)[..., None], clean)


def blotches(clean, rng, *, levels: float = 12.0, size: float = 5.0, fine: float = 3.0) -> Spoiled:
    """Colour noise in blotches of some pixels, over faint noise of luminance."""
    planes = rng.standard_normal((3, *clean.shape[:2])).astype(np.float32)
    planes[0] *= np.float32(fine / 255)
    for n in (1, 2):
        planes[n] = _unit(cv2.GaussianBlur(planes[n], (0, 0), size / 2)) * np.float32(levels / 255)
    return stored(clean + from_opponent(planes), clean)


def pattern(clean, rng, *, levels: float = 5.0, height: float = 6.0, period: float = 5.3) -> Spoiled:
    """A faint regular pattern over white noise."""
    y, x = np.mgrid[: clean.shape[0], : clean.shape[1]].astype(np.float32)
    angle = rng.uniform(0, np.pi)
    wave = np.cos(2 * np.pi / period * (x * np.cos(angle) + y * np.sin(angle)) + rng.uniform(0, 6)).astype(np.float32)
    noise = np.float32(levels / 255) * rng.standard_normal(clean.shape, np.float32)
    return stored(clean + noise + np.float32(height / 255) * wave[..., None], clean)


def speckle(clean, rng, *, part: float = 0.12) -> Spoiled:
    """Noise in proportion to the tone, grey."""
    noise = np.float32(part) * rng.standard_normal(clean.shape[:2], np.float32)
    return stored(clean * (1 + noise[..., None]), clean)


def salt_and_pepper(clean, rng, *, share: float = 0.005, levels: float = 4.0) -> Spoiled:
    """Single pixels at black and white over faint noise."""
    noisy = clean + np.float32(levels / 255) * rng.standard_normal(clean.shape, np.float32)
    hit = rng.random(clean.shape[:2]) < share
    noisy[hit] = rng.integers(0, 2, (int(hit.sum()), 1))
    return stored(noisy, clean)


def by_place(clean, rng, *, levels: float = 8.0, times: float = 3.0) -> Spoiled:
    """White noise that grows from the middle to the corners, as behind a lens correction."""
    y, x = (np.linspace(-1, 1, side, dtype=np.float32) for side in clean.shape[:2])
    gain = 1 + np.float32(times - 1) * np.minimum((x[None] ** 2 + y[:, None] ** 2) / 2, 1)
    noise = np.float32(levels / 255) * rng.standard_normal(clean.shape, np.float32)
    return stored(clean + noise * gain[..., None], clean)


def render(clean, rng, *, samples: int = 64) -> Spoiled:
    """Light paths by chance: noise in linear light whose variance grows with light, with a long tail."""
    light = decode_curve(clean)
    shape = np.float32(samples / 24)
    noisy = (light * rng.gamma(shape, 1 / shape, clean.shape)).astype(np.float32)
    return Spoiled(encode_curve(noisy), clean.astype(np.float32), noisy, linear=True)


# -- processing of what a family has made ------------------------------------------------------------------------


def grey(clean, rng, *, of: Kind) -> Spoiled:
    """The same of a picture with one channel."""
    made = of(np.repeat(clean.mean(axis=2, keepdims=True), 3, axis=2), rng)
    noisy, truth = (side.mean(axis=2, keepdims=True) for side in (made.noisy, made.truth))
    return Spoiled(noisy, truth, bytes_of(noisy))


def one_channel(clean, rng, *, of: Kind) -> Spoiled:
    """The same of a picture with one channel, whose noise is that of one channel, not of the mean of three."""
    made = of(np.repeat(clean.mean(axis=2, keepdims=True), 3, axis=2), rng)
    noisy, truth = made.noisy[..., 1:2], made.truth[..., 1:2]
    return Spoiled(noisy, truth, bytes_of(noisy))


def jpeg(clean, rng, *, of: Kind, quality: int = 90, halved: bool = True) -> Spoiled:
    """The same saved as JPEG."""
    made = of(clean, rng)
    pixels, compression = as_jpeg(bytes_of(made.noisy), quality, halved=halved)
    return replace(made, pixels=pixels, compression=compression)


def saved_again(clean, rng, *, of: Kind, quality: int = 85) -> Spoiled:
    """The same saved as JPEG, cropped, and saved as another that is finer."""
    made = of(clean, rng)
    once, _ = as_jpeg(bytes_of(made.noisy), quality)
    pixels, compression = as_jpeg(np.ascontiguousarray(once[3:, 5:]), 95)
    return Spoiled(made.noisy[3:, 5:], made.truth[3:, 5:], pixels, compression)


def resized(clean, rng, *, of: Kind, factor: float) -> Spoiled:
    """The same enlarged or reduced, the truth with it."""
    made = of(clean, rng)
    height, width = (round(side * factor) for side in clean.shape[:2])
    how = cv2.INTER_CUBIC if factor > 1 else cv2.INTER_AREA
    noisy, truth = (cv2.resize(side, (width, height), interpolation=how) for side in (made.noisy, made.truth))
    return stored(noisy, np.clip(truth, 0, 1))


def smoothed(clean, rng, *, of: Kind, blur: float = 0.8, amount: float = 1.0, quality: int = 90) -> Spoiled:
    """The same smoothed, sharpened and saved as JPEG, as small cameras do; the truth as well, but for the JPEG."""
    made = of(clean, rng)

    def finish(picture: np.ndarray) -> np.ndarray:
        soft = cv2.bilateralFilter(np.clip(picture, 0, 1).astype(np.float32), 5, 0.08, blur)
        tone = soft.mean(axis=2)
        return soft + (amount * (tone - cv2.GaussianBlur(tone, (0, 0), 1.0)))[..., None]

    noisy, truth = finish(made.noisy), np.clip(finish(made.truth), 0, 1)
    pixels, compression = as_jpeg(bytes_of(noisy), quality)
    return Spoiled(noisy, truth, pixels, compression)


def lifted(clean, rng, *, of: Kind, stops: float = 3.0) -> Spoiled:
    """The same taken too dark and lifted again, stored with 16 bits."""
    made = of(encode_curve(decode_curve(clean) * np.float32(2.0**-stops)), rng)
    light = [decode_curve(side) * np.float32(2.0**stops) for side in (made.noisy, made.truth)]
    noisy, truth = (encode_curve(np.minimum(side, 1)) for side in light)
    return Spoiled(noisy, truth, np.clip(np.rint(noisy * 65535), 0, 65535).astype(np.uint16))


def deep(clean, rng, *, of: Kind) -> Spoiled:
    """The same stored with 16 bits."""
    made = of(clean, rng)
    return replace(made, pixels=np.clip(np.rint(made.noisy * 65535), 0, 65535).astype(np.uint16))


def rounded(clean, rng, *, of: Kind, bits: int = 5) -> Spoiled:
    """The same rounded to few values."""
    made = of(clean, rng)
    steps = 2**bits - 1
    return replace(made, pixels=bytes_of(np.rint(np.clip(made.noisy, 0, 1) * steps) / steps))


def framed(clean, rng, *, of: Kind, part: float = 0.2) -> Spoiled:
    """The same with a broad black frame."""
    made = of(clean, rng)
    rim = [int(part * side) for side in clean.shape[:2]]
    noisy, truth = (side.copy() for side in (made.noisy, made.truth))
    for side in (noisy, truth):
        side[: rim[0]] = side[-rim[0] :] = 0
        side[:, : rim[1]] = side[:, -rim[1] :] = 0
    return replace(stored(noisy, truth), inside=(slice(rim[0], -rim[0]), slice(rim[1], -rim[1])))


def on_a_page(clean, rng, *, of: Kind) -> Spoiled:
    """The same in the middle of a white page of letters without noise."""
    made = of(clean, rng)
    page = lettering(clean.shape[:2])
    height, width = clean.shape[:2]
    top, left = height // 4, width // 4
    noisy, truth, inside = page.copy(), page.copy(), (slice(top, -top), slice(left, -left))
    for side, picture in ((noisy, made.noisy), (truth, made.truth)):
        side[inside] = picture[inside]
    return replace(stored(noisy, truth), inside=inside)


def soft(clean, rng, *, of: Kind, blur: float = 1.3) -> Spoiled:
    """The same through a lens that blurs everything alike; what is wanted is the picture without that."""
    return replace(of(cv2.GaussianBlur(clean, (0, 0), blur), rng), sharp=clean)


def drawn(clean, rng, *, of: Kind, what: Callable[[tuple[int, int]], np.ndarray]) -> Spoiled:
    """The same over a drawing of the picture's size."""
    return of(what(clean.shape[:2]), rng)


def sound(clean, rng) -> Spoiled:
    """A clean picture."""
    return stored(clean, clean)


# -- drawings ----------------------------------------------------------------------------------------------------


def lettering(size: tuple[int, int]) -> np.ndarray:
    """Return a page of letters, black on white."""
    page = np.full((*size, 3), 235, np.uint8)
    for row, top in enumerate(range(30, size[0], 26)):
        cv2.putText(page, f"Tarn Street clock, line {row}: the hands stand at ten past {row}", (12, top), 0, 0.5, (25, 25, 30), 1, cv2.LINE_AA)  # fmt: skip  # noqa: E501
    return page.astype(np.float32) / 255


def line_art(size: tuple[int, int]) -> np.ndarray:
    """Return lines and filled shapes of flat colour."""
    rng = np.random.default_rng(7)
    page = np.full((*size, 3), 245, np.uint8)
    for _ in range(40):
        points = rng.integers(0, min(size), (4, 2)).astype(np.int32)
        colour = tuple(int(v) for v in rng.integers(20, 235, 3))
        if rng.random() < 0.4:
            cv2.fillConvexPoly(page, cv2.convexHull(points), colour, cv2.LINE_AA)
        else:
            cv2.polylines(page, [points], False, colour, int(rng.integers(1, 4)), cv2.LINE_AA)
    return page.astype(np.float32) / 255


def stars(size: tuple[int, int], seed: int = 11) -> np.ndarray:
    """Return a night sky."""
    rng = np.random.default_rng(seed)
    sky = np.zeros((*size, 3), np.float32)
    for _ in range(size[0] * size[1] // 1500):
        y, x = rng.integers(3, size[0] - 3), rng.integers(3, size[1] - 3)
        sky[y, x] += np.float32(min(rng.pareto(1.2) * 0.25, 12)) * (1 + rng.uniform(-0.2, 0.2, 3)).astype(np.float32)
    glow = np.linspace(0.015, 0.05, size[0], dtype=np.float32)[:, None, None]
    return encode_curve(np.minimum(cv2.GaussianBlur(sky, (0, 0), 1.0) + glow, 1))


# -- the sweep ---------------------------------------------------------------------------------------------------

_MILD, _STRONG = partial(camera, electrons=2400.0), partial(camera, electrons=160.0)

#: By name; three more of `HELD_BACK_KINDS` are only used to check.
KINDS: dict[str, Kind] = {
    "white 3": partial(white, levels=3),
    "white 10": partial(white, levels=10),
    "white 25": partial(white, levels=25),
    "white 50": partial(white, levels=50),
    "one channel worse": partial(white, levels=8, channels=(1, 1, 3)),
    "camera, low ISO": partial(camera, electrons=9000.0),
    "camera": camera,
    "camera, high ISO": _STRONG,
    "camera, bilinear": partial(camera, demosaic=simulated.demosaic_fast),
    "camera, linear filters": partial(camera, demosaic=simulated.demosaic_fine),
    "camera, nearest sites": partial(camera, demosaic=fast),
    "three layers": partial(camera, demosaic=None),
    "camera, JPEG 92": partial(jpeg, of=camera, quality=92),
    "camera, JPEG 75": partial(jpeg, of=camera, quality=75),
    "camera, saved twice": partial(saved_again, of=camera),
    "camera, grey": partial(grey, of=camera),
    "white 15, grey": partial(one_channel, of=partial(white, levels=15)),
    "grain, 0.8 px": partial(grain, blur=0.8),
    "grain, 1.6 px": partial(grain, blur=1.6),
    "blotches of colour": blotches,
    "pattern": pattern,
    "small camera": partial(smoothed, of=_STRONG),
    "speckle, grey": partial(one_channel, of=speckle),
    "enlarged 2 times": partial(resized, of=partial(white, levels=15), factor=2.0),
    "camera, enlarged 1.5 times": partial(resized, of=camera, factor=1.5),
    "camera, reduced": partial(resized, of=_STRONG, factor=0.6),
    "corrected corners": by_place,
    "lifted 3 stops": partial(lifted, of=_MILD),
    "16 bits": partial(deep, of=camera),
    "rounded to 5 bits": partial(rounded, of=camera),
    "salt and pepper": salt_and_pepper,
    "lettering": partial(drawn, of=partial(white, levels=8), what=lettering),
    "line art": partial(drawn, of=partial(white, levels=8), what=line_art),
    "stars": partial(drawn, of=camera, what=stars),
    "render": render,
    "soft lens": partial(soft, of=partial(white, levels=4)),
    "black frame": partial(framed, of=camera),
    "photograph on a page": partial(on_a_page, of=camera),
    "sound": sound,
    "sound, JPEG 90": partial(jpeg, of=sound, quality=90),
    "camera, hardly any": partial(camera, electrons=60_000.0),
}
HELD_BACK_KINDS: dict[str, Kind] = {
    "uniform noise": lambda clean, rng: stored(clean + (rng.random(clean.shape) - 0.5).astype(np.float32) / 8, clean),
    "grain, JPEG 88": partial(jpeg, of=partial(grain, levels=12, blur=1.1), quality=88),
    "camera, turned": lambda clean, rng: _turned(camera(clean, rng)),
}


def _turned(made: Spoiled) -> Spoiled:
    """Return a picture turned by 7 degrees, which correlates its noise."""
    height, width = made.truth.shape[:2]
    turn = cv2.getRotationMatrix2D((width / 2, height / 2), 7, 1.15)
    sides = [cv2.warpAffine(side.astype(np.float32), turn, (width, height)) for side in (made.noisy, made.truth)]
    return stored(sides[0], np.clip(sides[1], 0, 1))


def _unit(plane: np.ndarray) -> np.ndarray:
    return plane / plane.std()


# -- by chance ---------------------------------------------------------------------------------------------------


def _levels(rng: np.random.Generator, low: float = 0.5, high: float = 45.0) -> float:
    return float(np.exp(rng.uniform(np.log(low), np.log(high))))


#: Of noise, from which `draw_kind` draws.
FAMILIES = ("white", "camera", "planes", "grain", "blotches", "pattern", "speckle", "place", "none")
_SHARES = (0.22, 0.38, 0.10, 0.10, 0.05, 0.03, 0.05, 0.04, 0.03)


def _draw_family(name: str, rng: np.random.Generator) -> Kind:
    if name == "white":
        channels = np.exp(rng.normal(0, 0.4, 3)) if rng.random() < 0.25 else np.ones(3)
        return partial(white, levels=_levels(rng), channels=channels)
    if name == "camera":
        drawn_camera = draw_camera(rng)
        return lambda clean, rng: stored(*photograph(clean, drawn_camera, rng))
    if name == "planes":
        return _planes
    if name == "grain":
        return partial(grain, levels=_levels(rng, 1, 35), blur=float(rng.uniform(0.4, 2.4)))
    if name == "blotches":
        return partial(blotches, levels=_levels(rng, 2, 25), size=float(rng.uniform(2, 9)), fine=_levels(rng, 0.7, 15))
    if name == "pattern":
        height, period = _levels(rng, 1, 10), float(rng.uniform(2.5, 12))
        return partial(pattern, levels=_levels(rng, 1, 20), height=height, period=period)
    if name == "speckle":
        return partial(speckle, part=float(np.exp(rng.uniform(np.log(0.01), np.log(0.3)))))
    if name == "place":
        return partial(by_place, levels=_levels(rng, 1, 15), times=float(rng.uniform(1.5, 4)))
    return sound


def _planes(clean: np.ndarray, rng: np.random.Generator) -> Spoiled:
    """Noise of its own strength and coarseness in each plane."""
    planes = rng.standard_normal((3, *clean.shape[:2])).astype(np.float32)
    blur = rng.uniform(0.3, 1.8, 2)
    planes = np.stack([_unit(cv2.GaussianBlur(p, (0, 0), blur[min(n, 1)])) for n, p in enumerate(planes)])
    strength = np.float32(_levels(rng, 0.5, 30) / 255) * np.exp(rng.normal(0, 0.7, 3)).astype(np.float32)
    over_tone = 1 + rng.uniform(-0.8, 1.5) * (clean.mean(axis=2) - 0.5)
    return stored(clean + from_opponent(planes * strength[:, None, None] * over_tone), clean)


def draw_kind(rng: np.random.Generator) -> tuple[str, Kind]:
    """Return a family and a kind of it by chance: perhaps in grey, processed, another size, and stored in some way."""
    family = str(rng.choice(FAMILIES, p=_SHARES))
    return family, _stored_by_chance(_processed_by_chance(_draw_family(family, rng), rng), rng)


def draw_rare_kind(rng: np.random.Generator) -> tuple[str, Kind]:
    """Return a family and a kind of it that `draw_kind` seldom draws: enlarged, patterned, grey, rounded, by place."""
    how = str(
        rng.choice(["enlarged", "pattern", "grey", "rounded", "place", "speckle"], p=[0.3, 0.25, 0.15, 0.1, 0.1, 0.1])
    )
    if how in ("pattern", "place", "speckle"):
        return how, _stored_by_chance(_draw_family(how, rng), rng)
    family = str(rng.choice(["white", "camera", "planes", "grain"]))
    kind = _draw_family(family, rng)
    if how == "enlarged":
        return family, _stored_by_chance(partial(resized, of=kind, factor=float(rng.uniform(1.2, 2.6))), rng)
    if how == "grey":
        return family, _stored_by_chance(partial(grey if rng.random() < 0.5 else one_channel, of=kind), rng)
    return family, partial(rounded, of=kind, bits=int(rng.integers(4, 7)))


def _processed_by_chance(kind: Kind, rng: np.random.Generator) -> Kind:
    if rng.random() < 0.4:
        kind = partial(_processed, of=kind)
    if rng.random() < 0.12:
        factor = float(rng.choice([rng.uniform(1.2, 2.2), rng.uniform(0.5, 0.9)], p=[0.7, 0.3]))
        kind = partial(resized, of=kind, factor=factor)
    if rng.random() < 0.12:
        kind = partial(grey if rng.random() < 0.5 else one_channel, of=kind)
    return kind


def draw_compressed_kind(rng: np.random.Generator) -> tuple[str, Kind]:
    """Return a family and a kind of it by chance, stored as JPEG."""
    return _draw_stored(rng, {"jpeg": 0.78, "twice": 0.1, "small": 0.12})


def draw_whole_kind(rng: np.random.Generator) -> tuple[str, Kind]:
    """Return a family and a kind of it by chance, stored without loss."""
    return _draw_stored(rng, {"8": 0.85, "16": 0.15})


def _draw_stored(rng: np.random.Generator, ways: dict[str, float]) -> tuple[str, Kind]:
    """Return a family and a kind of it by chance; `ways` : how it may be stored, and the chance of each."""
    family = str(rng.choice(FAMILIES, p=_SHARES))
    kind = _processed_by_chance(_draw_family(family, rng), rng)
    return family, _stored(kind, str(rng.choice([*ways], p=[*ways.values()])), rng)


def _stored_by_chance(kind: Kind, rng: np.random.Generator) -> Kind:
    return _stored(kind, str(rng.choice(["8", "16", "jpeg", "twice", "small"], p=[0.42, 0.10, 0.34, 0.06, 0.08])), rng)


def _stored(kind: Kind, how: str, rng: np.random.Generator) -> Kind:
    quality, halved = int(rng.integers(70, 100)), bool(rng.random() < 0.55)
    if how == "16":
        return partial(deep, of=kind)
    if how == "jpeg":
        return partial(jpeg, of=kind, quality=quality, halved=halved)
    if how == "twice":
        return partial(jpeg, of=partial(_cut_jpeg, of=kind, quality=quality), quality=int(rng.integers(90, 99)))
    if how == "small":
        blur, amount = float(rng.uniform(0.5, 1.5)), float(rng.uniform(0, 1.5))
        return partial(_small, of=kind, blur=blur, amount=amount, quality=int(rng.integers(80, 98)))
    return kind


def _processed(clean, rng, *, of: Kind) -> Spoiled:
    made = of(clean, rng)
    if made.linear:
        return made
    return stored(*process((made.noisy, made.truth), rng))


def _cut_jpeg(clean, rng, *, of: Kind, quality: int) -> Spoiled:
    made = jpeg(clean, rng, of=of, quality=quality)
    return replace(made, noisy=made.noisy[3:, 5:], truth=made.truth[3:, 5:], pixels=made.pixels[3:, 5:])


def _small(clean, rng, *, of: Kind, blur: float, amount: float, quality: int) -> Spoiled:
    made = of(clean, rng)
    if made.noisy.shape[2] == 1:
        return made
    return smoothed(clean, rng, of=lambda *_: made, blur=blur, amount=amount, quality=quality)
