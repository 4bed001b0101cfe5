"""The roof line under stars: a night's series of frames as the made-up camera takes them, with its darks and flats."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np

from dustpan.simulate.camera import HOT_SHARE, SERIAL

SIZE = (900, 600)
FRAMES = 24
SATELLITE, CLOUDY = 9, 15  # numbers of the frames that show one, from 0
_FULL = 9000.0  # electrons at white
_READ = 3.0  # electrons
_DRIFT = np.array([2.31, -0.87])  # px from frame to frame
_TURN = 0.055  # degrees from frame to frame
_POLE = (0.62, -0.9)  # about which the sky turns, in parts of the picture
_WIDTH = 1.15  # px, deviation of a star
_DARK = 0.0022  # light that the sensor adds by itself
_SKY = np.array([0.020, 0.024, 0.034])


@dataclass(frozen=True)
class Night:
    """A series of frames.

    Attributes
    ----------
    size : width and height, px.
    seed : the same seed gives the same series.
    """

    size: tuple[int, int] = SIZE
    seed: int = 1

    @property
    def shape(self) -> tuple[int, int, int]:
        """Height, width and channels."""
        return self.size[1], self.size[0], 3

    def matrix(self, number: int) -> np.ndarray:
        """Return the (2, 3) map that takes places of the sky in the first frame to those of another."""
        angle = np.radians(_TURN * number)
        turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
        pole = np.array(_POLE) * self.size
        return np.c_[turn, pole - turn @ pole + _DRIFT * number * self.size[0] / SIZE[0]]

    @cached_property
    def stars(self) -> tuple[np.ndarray, np.ndarray]:
        """Places (n, 2) in the first frame, also beyond its rim, and light (n, 3)."""
        rng = np.random.default_rng([SERIAL, 5])
        count = round(0.0016 * self.size[0] * self.size[1] * 1.7)
        places = rng.uniform(-0.15, 1.15, (count, 2)) * self.size
        light = 0.05 * (1 - rng.random(count)) ** -0.75
        warm = rng.normal(0, 0.28, count)
        colour = np.stack([np.exp(0.6 * warm), np.ones(count), np.exp(-0.6 * warm)], axis=1)
        return places, np.minimum(light, 9.0)[:, None] * colour

    def sky(self, number: int, *, trails: bool = True) -> np.ndarray:
        """Return the light of a frame without any noise, h x w x 3; `trails` : with satellite and cloud."""
        light = self._glow(number)
        clouded = trails and number == CLOUDY
        self._draw_stars(light, number, 0.35 if clouded else 1.0)
        if trails and number == SATELLITE:
            light += self._satellite()
        if clouded:
            light += self._cloud()
        roof = self._roof[..., None]
        return (light * (1 - roof) + roof * np.array([0.0035, 0.0033, 0.003])).astype(np.float32)

    def _glow(self, number: int) -> np.ndarray:
        """Return the band of faint light across the sky, and the town's glow over the roofs."""
        rng = np.random.default_rng([SERIAL, 6])
        height, width = self.shape[:2]
        cloudy = sum(
            cv2.resize(
                rng.normal(0, 1, (n, n)).astype(np.float32), (2 * width, 2 * height), interpolation=cv2.INTER_CUBIC
            )
            / n**0.7
            for n in (5, 11, 23, 47)
        )
        y, x = np.mgrid[0 : 2 * height, 0 : 2 * width].astype(np.float32)
        across = (0.8 * (x - width) + 0.9 * (y - height)) / width
        band = np.exp(-((across / 0.28) ** 2)) * np.clip(1 + 0.9 * cloudy, 0.1, 3)
        shift = np.array([[1, 0, width / 2], [0, 1, height / 2]])
        matrix = np.vstack([self.matrix(number), [0, 0, 1]])
        wide = (np.vstack([shift, [0, 0, 1]]) @ np.linalg.inv(matrix))[:2]
        seen = cv2.warpAffine(band, wide, self.size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
        town = np.exp((np.arange(height, dtype=np.float32) / height - 1) / 0.22)[:, None, None]
        light = _SKY * 0.55 + seen[..., None] * np.array([0.021, 0.021, 0.025])
        return light + town * np.array([0.06, 0.042, 0.022])

    def _draw_stars(self, light: np.ndarray, number: int, part: float) -> None:
        places, colours = self.stars
        matrix = self.matrix(number)
        height, width = self.shape[:2]
        for (x, y), colour in zip(places @ matrix[:, :2].T + matrix[:, 2], colours * part):
            left, top = int(np.floor(x)) - 8, int(np.floor(y)) - 8
            columns = np.arange(max(left, 0), min(left + 17, width))
            rows = np.arange(max(top, 0), min(top + 17, height))
            if len(columns) and len(rows):
                spread = (
                    np.exp(-0.5 * ((columns - x) / _WIDTH) ** 2) * np.exp(-0.5 * ((rows - y) / _WIDTH) ** 2)[:, None]
                )
                wings = 0.02 / (1 + ((columns - x) ** 2 + ((rows - y) ** 2)[:, None]) / 9) ** 2
                spot = (spread + wings)[..., None] * colour / (2 * np.pi * _WIDTH**2)
                light[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1] += spot

    def _satellite(self) -> np.ndarray:
        line = np.zeros(self.shape[:2], np.float32)
        width, height = self.size
        cv2.line(line, (0, round(0.12 * height)), (width, round(0.55 * height)), 1.0, 1, cv2.LINE_AA)
        return cv2.GaussianBlur(line, (0, 0), 1.0)[..., None] * np.array([0.45, 0.45, 0.42])

    def _cloud(self) -> np.ndarray:
        rng = np.random.default_rng([SERIAL, 8])
        veil = cv2.resize(rng.random((4, 6)).astype(np.float32), self.size, interpolation=cv2.INTER_CUBIC)
        return veil[..., None] * np.array([0.075, 0.06, 0.05])

    @cached_property
    def _roof(self) -> np.ndarray:
        """Return (h, w), 1 where roofs, chimneys and the tower stand before the sky."""
        width, height = self.size
        outline = [(0, 0.86), (0.1, 0.80), (0.2, 0.86), (0.2, 0.82), (0.225, 0.82), (0.225, 0.87), (0.34, 0.87)]
        outline += [(0.42, 0.78), (0.5, 0.87), (0.545, 0.87), (0.545, 0.76), (0.57, 0.76), (0.57, 0.87), (0.66, 0.89)]
        outline += [(0.66, 0.60), (0.69, 0.60), (0.715, 0.44), (0.74, 0.60), (0.77, 0.60), (0.77, 0.88), (0.86, 0.82)]
        outline += [(1.0, 0.9), (1, 1.1), (0, 1.1)]
        scaled = (np.array(outline) * self.size * 16).astype(np.int32)
        drawn = np.zeros((height, width), np.uint8)
        cv2.fillPoly(drawn, [scaled], 255, cv2.LINE_AA, 4)
        return cv2.GaussianBlur(drawn.astype(np.float32) / 255, (0, 0), 0.7)

    # -- what the camera makes of it ----------------------------------------------------------------------------

    @cached_property
    def response(self) -> np.ndarray:
        """Return h x w x 3: light lost in the corners, dust, and pixels that are not alike; 1 in the mean."""
        rng = np.random.default_rng([SERIAL, 9])
        height, width = self.shape[:2]
        y, x = np.mgrid[-1 : 1 : height * 1j, -1 : 1 : width * 1j]
        fall = 1 - 0.34 * (x**2 + y**2) / 2
        dust = np.ones((height, width))
        for at_x, at_y in rng.uniform(-0.9, 0.9, (4, 2)):
            dust -= 0.16 * np.exp(-(((x - at_x) * width / height) ** 2 + (y - at_y) ** 2) / 0.0016)
        whole = (fall * dust)[..., None] * (1 + 0.008 * rng.standard_normal(self.shape))
        return (whole / whole.mean()).astype(np.float32)

    @cached_property
    def hot(self) -> np.ndarray:
        """Return h x w x 3, light that hot pixels add in an exposure: single sites, of one colour each."""
        rng = np.random.default_rng([SERIAL, 10])
        added = np.zeros(self.shape, np.float32)
        count = round(4 * HOT_SHARE * self.size[0] * self.size[1])
        rows, columns = rng.integers(0, self.size[1], count), rng.integers(0, self.size[0], count)
        added[rows, columns, rng.integers(0, 3, count)] = 10 ** rng.normal(-1.1, 0.5, count)
        return added

    def frame(self, number: int) -> np.ndarray:
        """Return a frame, h x w x 3 float32: 0 black, 1 where the sensor clips."""
        rng = np.random.default_rng([self.seed, number])
        light = self.sky(number) * self.response + self.hot + _DARK
        return self._read(light + self._cosmic_rays(rng), rng)

    def dark(self, number: int) -> np.ndarray:
        """Return a frame of the same exposure with the cap on."""
        return self._read(self.hot + _DARK, np.random.default_rng([self.seed, 1000 + number]))

    def flat(self, number: int) -> np.ndarray:
        """Return a frame of an even surface, exposed for a moment."""
        return self._read(0.5 * self.response, np.random.default_rng([self.seed, 2000 + number]))

    def _read(self, light: np.ndarray, rng: np.random.Generator) -> np.ndarray:
        electrons = rng.poisson(np.clip(light, 0, 1.3) * _FULL) + rng.normal(0, _READ, light.shape)
        return np.minimum(electrons / _FULL, 1.0).astype(np.float32)

    def _cosmic_rays(self, rng: np.random.Generator) -> np.ndarray:
        """Return short bright tracks at places of their own in each frame."""
        tracks = np.zeros(self.shape, np.float32)
        for _ in range(rng.poisson(7)):
            x, y = rng.uniform(0, 1, 2) * self.size
            end = (round(x + rng.normal(0, 4)), round(y + rng.normal(0, 4)))
            track = np.zeros(self.shape[:2], np.float32)
            cv2.line(track, (round(x), round(y)), end, 1.0, 1)
            tracks += (track * rng.uniform(0.1, 0.7))[..., None] * rng.uniform(0.4, 1, 3).astype(np.float32)
        return tracks
