"""Write the small pictures of the scenes, which the start page shows.

python scenes/small.py
"""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from PIL import Image

from dustpan.core.picture.working import from_working
from dustpan.simulate.camera import tone_curve
from dustpan.simulate.scenes import SCENES, clean_picture, load_truth

_FOLDER = Path(__file__).parent.parent / "src/dustpan/simulate/data"
_LIT = 5.0
_WIDTH = 336  # px, twice what is shown
_PART = {"postcard": (0.3, 0.12, 0.8, 0.62)}  # of the scene where not all of it is shown: left, top, right, bottom

for name in SCENES:
    pixels = clean_picture(name, dtype=np.float32).pixels
    if SCENES[name].stops:  # lit so far that one sees what it is
        pixels = tone_curve(load_truth(name) * np.float32(_LIT))
    height, width = pixels.shape[:2]
    left, top, right, bottom = _PART.get(name, (0, 0, 1, 1))
    pixels = pixels[int(top * height) : int(bottom * height), int(left * width) : int(right * width)]
    size = (_WIDTH, round(_WIDTH * pixels.shape[0] / pixels.shape[1]))
    small = from_working(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)
    Image.fromarray(small).save(_FOLDER / f"{name}-small.jpg", quality=82)
