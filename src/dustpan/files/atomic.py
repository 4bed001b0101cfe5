"""Save whole or not at all: write beside the target, then rename."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable, Iterable
from pathlib import Path

from dustpan.core.errors import SaveError


def save_whole(target: Path, write: Callable[[Path], None], *, overwrite: bool, sources: Iterable[Path] = ()) -> None:
    """Call `write` with a path beside `target`, then put the file in its place.

    Raises
    ------
    SaveError when the target is one of the sources, is there already without `overwrite`, or can't be written;
    nothing is left behind then.
    """
    for source in sources:
        if _same(target, source):
            raise SaveError(f"{target}: this is the picture itself; a source is never written to. Choose another name.")
    if target.exists() and not overwrite:
        raise SaveError(
            f"{target}: there is a file of this name already; it was kept. Choose another name or --overwrite."
        )
    if target.is_dir():
        raise SaveError(f"{target}: this is a folder; a file name was expected.")
    if not target.parent.is_dir():
        raise SaveError(f"{target}: the folder {target.parent} does not exist.")
    part = None
    try:
        handle, name = tempfile.mkstemp(prefix=".dustpan-", suffix=target.suffix, dir=target.parent)
        os.close(handle)
        part = Path(name)
        write(part)
        os.chmod(part, 0o666 & ~_umask())
        _put(part, target, overwrite=overwrite)
    except OSError as fault:
        raise SaveError(f"{target}: can't be written ({fault.strerror or fault}).") from fault
    finally:
        if part is not None:
            part.unlink(missing_ok=True)


def _put(part: Path, target: Path, *, overwrite: bool) -> None:
    if overwrite:
        os.replace(part, target)
        return
    try:
        os.link(part, target)  # fails when somebody made the file meanwhile
    except FileExistsError:
        raise SaveError(f"{target}: a file of this name was made meanwhile; it was kept.") from None
    except OSError:  # a file system without links
        os.replace(part, target)


def _same(one: Path, other: Path) -> bool:
    try:
        return os.path.samefile(one, other)
    except OSError:
        return one.absolute() == other.absolute()


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
