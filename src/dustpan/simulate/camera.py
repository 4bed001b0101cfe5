"""The made-up camera Quillmark Q3: what its sensor and its processing make of a clean picture.

Light is turned into electrons (fewer at higher ISO), shot and read noise are drawn, a mosaic of red, green and
blue is read out, interpolated, balanced, brought to display colours and given the camera's tone curve.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from dustpan.core.picture.curve import decode_curve, encode_curve

MODEL = ("Quillmark", "Q3")
FULL_WELL = 52_000.0  # electrons at white, ISO 100
READ_NOISE = 2.6  # electrons
ROW_NOISE = 0.35  # electrons, the same along a row
HOT_SHARE = 1.6e-4  # of the pixels
SERIAL = 417  # of the camera: its hot pixels are its own
RESPONSE = 0.006  # relative deviation of pixels' response
WHITE_BALANCE = np.array([1.35, 1.0, 2.1], np.float32)  # under lamp light blue is faint and so its noise is lifted
KNEE = 0.55
LINE_PERIOD, LINE_PHASE = 12, 5  # rows with phase-detect sites
FRINGE_WIDTH = 2.2  # px
BAYER = np.array([[0, 1], [1, 2]], np.uint8)  # colours of the sites: red, green, blue
SIX_BY_SIX = np.array(
    [
        [1, 1, 0, 1, 1, 2],
        [1, 1, 2, 1, 1, 0],
        [2, 0, 1, 0, 2, 1],
        [1, 1, 2, 1, 1, 0],
        [1, 1, 0, 1, 1, 2],
        [0, 2, 1, 2, 0, 1],
    ],
    np.uint8,
)
BLACK, WHITE = 512, 16383  # what the sensor's numbers are between, 14 bits
#: Camera colours to linear display colours: sensor filters overlap, undoing that mixes the channels' noise.
TO_DISPLAY = np.array([[1.52, -0.40, -0.12], [-0.18, 1.43, -0.25], [0.02, -0.42, 1.40]], np.float32)


@dataclass(frozen=True)
class Settings:
    """How a photograph is taken and processed in the camera.

    Attributes
    ----------
    iso : 100 to 102400.
    seconds : exposure; more hot pixels show in a longer one.
    temperature : of the sensor, degrees Celsius.
    demosaic : "fine" or "fast".
    sharpening : 0 to 1, as the camera itself sharpens.
    lines : strength of the rows that hold phase-detect sites, worst where bright light spreads over the sensor.
    fringe : strength of violet rims: the lens does not bring red and blue to the focus of green.
    """

    iso: int = 12800
    seconds: float = 1 / 30
    temperature: float = 22.0
    demosaic: str = "fine"
    sharpening: float = 0.0
    lines: float = 0.0
    fringe: float = 0.0

    @property
    def white(self) -> float:
        """Electrons at which the picture is white."""
        return FULL_WELL * 100.0 / self.iso


def take_photograph(truth: np.ndarray, settings: Settings, *, seed: int) -> np.ndarray:
    """Return the camera's picture of a scene as working pixels.
    Parameters
    ----------
    truth : H x W x 3 linear light, 1 is where the sensor clips.
    seed : the same seed gives the same noise.
    """
    mosaic = read_sensor(truth, settings, seed=seed)
    interpolate = {"fine": demosaic_fine, "fast": demosaic_fast}[settings.demosaic]
    picture = develop(interpolate(mosaic))
    return sharpen_in_camera(picture, settings.sharpening) if settings.sharpening else picture


def read_sensor(truth: np.ndarray, settings: Settings, *, seed: int, pattern: np.ndarray | None = None) -> np.ndarray:
    """Return the sensor's mosaic (H x W, 0 to 1) of a scene, by default through the `BAYER` pattern."""
    rng = np.random.default_rng([seed, settings.iso])
    truth = fringed(truth, settings.fringe) if settings.fringe else truth
    return expose_mosaic(sensor_light(truth), settings, rng=rng, pattern=BAYER if pattern is None else pattern)


def sensor_light(truth: np.ndarray) -> np.ndarray:
    """Return linear light as the sensor's filters pass it, H x W x 3."""
    return np.clip(truth @ np.linalg.inv(TO_DISPLAY).T, 0, None) / WHITE_BALANCE


def develop(camera: np.ndarray) -> np.ndarray:
    """Balance camera colours, bring them to display colours and give them the tone curve."""
    light = np.minimum(camera * WHITE_BALANCE, 1.0) @ TO_DISPLAY.T
    return tone_curve(light)


def roll_off(light: np.ndarray, *, knee: float) -> np.ndarray:
    """Bend light above the knee so that it approaches 1; knee 1 leaves it unchanged."""
    if knee >= 1:
        return light
    room = np.float32(1 - knee)
    over = np.maximum(light - np.float32(knee), 0) / room
    return np.where(light > knee, np.float32(knee) + room * (1 - np.exp(-over)), light)


def tone_curve(light: np.ndarray) -> np.ndarray:
    """Return working pixels, 0 to 1: a soft shoulder, then the display curve."""
    return np.clip(encode_curve(roll_off(light.astype(np.float32), knee=KNEE)), 0, 1)


def expose_mosaic(
    sensor: np.ndarray, settings: Settings, *, rng: np.random.Generator, pattern: np.ndarray
) -> np.ndarray:
    """Return the mosaic (H x W, 0 to 1) read from sensor colours through a pattern of filters."""
    plane = np.empty(sensor.shape[:2], np.float32)
    period = len(pattern)
    for (row, column), channel in np.ndenumerate(pattern):
        plane[row::period, column::period] = sensor[row::period, column::period, channel]
    white = settings.white
    response = 1 + RESPONSE * rng.standard_normal(plane.shape, np.float32)
    expected = np.minimum(plane, 1.2) * response.clip(0.5) * white
    rows, columns, dark = hot_pixels((sensor.shape[0], sensor.shape[1]), settings)
    expected[rows, columns] += dark
    if settings.lines:
        expected += line_light(sensor, settings.lines) * white
    electrons = rng.poisson(expected).astype(np.float32)
    electrons += READ_NOISE * rng.standard_normal(plane.shape, np.float32)
    electrons += ROW_NOISE * rng.standard_normal((len(plane), 1), np.float32)
    return np.minimum(electrons / white, 1.0).astype(np.float32)


def hot_pixels(shape: tuple[int, int], settings: Settings) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return rows, columns and dark electrons of the sensor's hot pixels for an exposure.

    They are the sensor's own: the same pixels in every photograph of that size. Their current doubles every
    six degrees and adds up over the exposure.
    """
    rng = np.random.default_rng([SERIAL, *shape])
    count = round(HOT_SHARE * shape[0] * shape[1])
    index = rng.choice(shape[0] * shape[1], count, replace=False)
    rate = 10 ** rng.normal(3.7, 0.55, count) * 2 ** ((settings.temperature - 22.0) / 6.0)
    return index // shape[1], index % shape[1], rate * settings.seconds


def line_light(sensor: np.ndarray, strength: float) -> np.ndarray:
    """Return what the rows of phase-detect sites read too much (H x W, 1 is white): more near bright light."""
    bright = np.clip(sensor.max(axis=2) - 0.9 / WHITE_BALANCE.max(), 0, None)
    spread = scipy.ndimage.gaussian_filter(bright, sensor.shape[1] / 22.0, truncate=3.0)
    added = np.zeros(bright.shape, np.float32)
    added[LINE_PHASE::LINE_PERIOD] = 0.004 + 0.05 * (spread / max(float(spread.max()), 1e-6))[LINE_PHASE::LINE_PERIOD]
    return strength * added


def fringed(light: np.ndarray, strength: float) -> np.ndarray:
    """Return light (H x W x 3) through a lens that spreads red a little and blue more than green."""
    spread = light.copy()
    for channel, share in ((0, 0.45), (2, 0.85)):
        wide = scipy.ndimage.gaussian_filter(light[..., channel], FRINGE_WIDTH)
        spread[..., channel] += np.float32(share * strength) * (wide - light[..., channel])
    return spread


def sharpen_in_camera(picture: np.ndarray, amount: float) -> np.ndarray:
    """Sharpen luminance as cameras do: a plain unsharp mask of a small radius."""
    tone = picture.mean(axis=2)
    detail = tone - scipy.ndimage.gaussian_filter(tone, 0.9)
    return np.clip(picture + (1.2 * amount * detail)[..., None], 0, 1).astype(np.float32)


_SITES = ((0, 0, 0), (0, 1, 1), (1, 0, 1), (1, 1, 2))  # row, column, channel
_BILINEAR = np.array([[1, 2, 1], [2, 4, 2], [1, 2, 1]], np.float32)
_GREEN = (
    np.array([[0, 0, -1, 0, 0], [0, 0, 2, 0, 0], [-1, 2, 4, 2, -1], [0, 0, 2, 0, 0], [0, 0, -1, 0, 0]], np.float32) / 8
)
_ROW = (
    np.array(
        [[0, 0, 0.5, 0, 0], [0, -1, 0, -1, 0], [-1, 4, 5, 4, -1], [0, -1, 0, -1, 0], [0, 0, 0.5, 0, 0]], np.float32
    )
    / 8
)
_CROSS = (
    np.array(
        [[0, 0, -1.5, 0, 0], [0, 2, 0, 2, 0], [-1.5, 0, 6, 0, -1.5], [0, 2, 0, 2, 0], [0, 0, -1.5, 0, 0]], np.float32
    )
    / 8
)


def demosaic_fine(mosaic: np.ndarray) -> np.ndarray:
    """Interpolate a mosaic to H x W x 3 by gradient-corrected linear filters.

    References
    ----------
    Malvar, H., He, L. and Cutler, R. (2004), High-quality linear interpolation for demosaicing of
        Bayer-patterned color images, doi 10.1109/ICASSP.2004.1326587.
    """
    green, along, cross = (scipy.ndimage.correlate(mosaic, k, mode="mirror") for k in (_GREEN, _ROW, _CROSS))
    down = scipy.ndimage.correlate(mosaic, _ROW.T.copy(), mode="mirror")
    colour = np.repeat(mosaic[..., None], 3, axis=2)
    colour[0::2, 0::2, 1], colour[1::2, 1::2, 1] = green[0::2, 0::2], green[1::2, 1::2]
    for channel, (row, column) in ((0, (0, 0)), (2, (1, 1))):
        colour[row::2, 1 - column :: 2, channel] = along[row::2, 1 - column :: 2]
        colour[1 - row :: 2, column::2, channel] = down[1 - row :: 2, column::2]
        colour[1 - row :: 2, 1 - column :: 2, channel] = cross[1 - row :: 2, 1 - column :: 2]
    return colour


def demosaic_fast(mosaic: np.ndarray) -> np.ndarray:
    """Interpolate a mosaic to H x W x 3 bilinearly."""
    colour = np.empty((*mosaic.shape, 3), np.float32)
    for channel in range(3):
        known = np.zeros_like(mosaic)
        for row, column, own in _SITES:
            if own == channel:
                known[row::2, column::2] = 1
        sums, counts = (scipy.ndimage.correlate(plane, _BILINEAR, mode="mirror") for plane in (mosaic * known, known))
        colour[..., channel] = sums / counts
    return colour


def light_of(stored: np.ndarray) -> np.ndarray:
    """Return linear light from a stored truth (uint16 in the display curve over 0 to `STORED_WHITE`)."""
    return decode_curve(stored.astype(np.float32) * np.float32(STORED_WHITE / 65535))


def stored_of(light: np.ndarray) -> np.ndarray:
    """Return the stored form of linear light, rounded to 12 bits so that it packs well."""
    steps = np.clip(np.rint(encode_curve(light) * (4095 / STORED_WHITE)), 0, 4095)
    return (steps * (65535 / 4095)).round().astype(np.uint16)


STORED_WHITE = 1.25
