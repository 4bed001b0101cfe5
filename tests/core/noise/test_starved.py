"""Places of a render with too few samples: told where they are, textures and stray pixels are none."""

from __future__ import annotations

import itertools

import numpy as np

from dustpan.core.noise.starved import bands, starved_cells


def test_noise_of_places_is_told_and_neither_texture_nor_fireflies_count():
    rng, tile = np.random.default_rng(1), np.full((256, 320, 3), 0.4, np.float32)
    tile[:128, :160] += rng.normal(0, 25 / 255, (128, 160, 1)).astype(np.float32)
    tile[:128, 160:] += rng.normal(0, 4 / 255, (128, 160, 1)).astype(np.float32)
    y, x = np.mgrid[0:128, 0:160]
    tile[128:, :160] += (0.3 * np.sin((x + y) / 9.0))[..., None].astype(np.float32)  # a smooth texture
    tile[128:, 160:][rng.random((128, 160)) < 0.02] = 1.0  # fireflies
    places, count = starved_cells(tile, (1000, 500, 1320, 756))
    assert count == 8 * 10 and len(places) == 4 * 5
    assert (places[:, 0] < 1160).all() and (places[:, 1] < 628).all() and places.min() > 500
    whole = [(x0, y0, x1, y1) for x0, y0, x1, y1 in bands((90, 700))]
    assert whole[0][1] == 0 and whole[-1][3] == 700 and all(a[3] == b[1] for a, b in itertools.pairwise(whole))
