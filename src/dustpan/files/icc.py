"""Colour profiles for primaries that a file names without one."""

from __future__ import annotations

import struct
from collections.abc import Sequence

import numpy as np

from dustpan.core.picture.curve import decode_curve
from dustpan.core.picture.file_curve import Decode

_D50 = np.array([0.9642, 1.0, 0.8249])
_BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
_ENTRIES = 1024  # of the curve
_PRINT = b"\0\0\0\0"


def profile_of(chromaticities: Sequence[float], name: str, decode: Decode = decode_curve) -> bytes:
    """Return an ICC profile (version 2, for displays) of primaries and a tone curve.

    Parameters
    ----------
    chromaticities : x and y of red, green, blue and white.
    name : that other programs show.
    decode : gives the light of values from 0 to 1; the sRGB curve by default.

    Raises
    ------
    ValueError where they span no colours.

    References
    ----------
    ICC.1:2001-04, File format for color profiles. Lam, K. M. (1985): chromatic adaptation by the Bradford matrix.
    """
    columns = xyz_of(chromaticities)
    curve = np.clip(np.rint(decode(np.linspace(0, 1, _ENTRIES, dtype=np.float32)) * 65535), 0, 65535)
    trc = b"curv" + _PRINT + struct.pack(">I", _ENTRIES) + curve.astype(">u2").tobytes()
    text = name.encode("ascii", "replace") + b"\0"
    description = b"desc" + _PRINT + struct.pack(">I", len(text)) + text + b"\0" * 78
    tags = [
        (b"desc", description),
        (b"cprt", b"text" + _PRINT + b"no copyright\0"),
        (b"wtpt", _xyz(_D50)),
        *((sign, _xyz(column)) for sign, column in zip((b"rXYZ", b"gXYZ", b"bXYZ"), columns.T, strict=True)),
        *((sign, trc) for sign in (b"rTRC", b"gTRC", b"bTRC")),
    ]
    return _packed(tags)


def xyz_of(chromaticities: Sequence[float]) -> np.ndarray:
    """Return the 3 x 3 matrix that takes linear light of the primaries to XYZ under D50."""
    points = np.asarray(chromaticities, float).reshape(4, 2)
    if not np.isfinite(points).all() or (np.abs(points[:, 1]) < 1e-6).any():
        raise ValueError("chromaticities without a y")
    full = np.stack([points[:, 0] / points[:, 1], np.ones(4), (1 - points.sum(axis=1)) / points[:, 1]])
    try:
        amounts = np.linalg.solve(full[:, :3], full[:, 3])
    except np.linalg.LinAlgError:
        raise ValueError("chromaticities on a line") from None
    scales = (_BRADFORD @ _D50) / (_BRADFORD @ full[:, 3])
    return np.linalg.inv(_BRADFORD) @ np.diag(scales) @ _BRADFORD @ (full[:, :3] * amounts)


def _xyz(values: np.ndarray) -> bytes:
    return b"XYZ " + _PRINT + np.rint(values * 65536).astype(">i4").tobytes()


def _packed(tags: Sequence[tuple[bytes, bytes]]) -> bytes:
    """Return the file: header, table, and each piece of data once."""
    table, data, places = b"", b"", dict[bytes, tuple[int, int]]()
    start = 128 + 4 + 12 * len(tags)
    for sign, piece in tags:
        if piece not in places:
            places[piece] = (start + len(data), len(piece))
            data += piece + b"\0" * (-len(piece) % 4)
        table += sign + struct.pack(">II", *places[piece])
    header = struct.pack(">I", start + len(data)) + _PRINT + b"\x02\x40\0\0" + b"mntrRGB XYZ "
    header += struct.pack(">6H", 2026, 1, 1, 0, 0, 0) + b"acsp" + b"\0" * 28
    header += np.rint(_D50 * 65536).astype(">i4").tobytes()
    return header.ljust(128, b"\0") + struct.pack(">I", len(tags)) + table + data
