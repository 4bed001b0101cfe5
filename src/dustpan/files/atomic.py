"""Save whole or not at all: write beside the target, then rename."""

from __future__ import annotations

import contextlib
import glob
import hashlib
import os
import platform
import tempfile
from collections.abc import Callable, Iterable
from functools import cache
from pathlib import Path

from dustpan.core.errors import SaveError

_PREFIX = ".dustpan-"  # of unfinished files, followed by the machine, the process that writes it and when that began
_ENDED = "ZX"  # states of a process that has ended, though nobody has asked how
_under_way: set[Path] = set()
_cleaned: set[Path] = set()  # folders already looked through by this process


def check_name(target: Path, *, overwrite: bool, sources: Iterable[Path] = (), new_folder: bool = False) -> None:
    """Raise SaveError when a target can't be written to, as far as is known before the work.

    new_folder : whether its folder will be made.
    """
    name = os.fsencode(target.name)
    if not name:
        raise SaveError(f"{target}: a file name was expected.")
    if len(name) > _longest_name(target.parent):
        raise SaveError(f"{target}: the name is {len(name)} bytes long; at most {_longest_name(target.parent)} can be.")
    for source in sources:
        if _same(target, source):
            raise SaveError(f"{target}: this is the picture itself; a source is never written to. Choose another name.")
    if target.is_dir():
        raise SaveError(f"{target}: this is a folder; a file name was expected.")
    if os.path.lexists(target) and not overwrite:
        raise SaveError(
            f"{target}: there is a file of this name already; it was kept. Choose another name or --overwrite."
        )
    if new_folder and not os.path.lexists(target.parent):
        return
    if not target.parent.is_dir():
        raise SaveError(f"{target}: the folder {target.parent} does not exist.")
    if not os.access(target.parent, os.W_OK):
        raise SaveError(f"{target}: the folder {target.parent} can't be written to.")


def save_whole(
    target: Path,
    write: Callable[[Path], None],
    *,
    overwrite: bool,
    sources: Iterable[Path] = (),
    check: Callable[[], None] = lambda: None,
) -> None:
    """Call `write` with a path beside `target`, then put the file in its place; `check` raises to stop until then.

    Raises
    ------
    SaveError when the target is one of the sources, is there already without `overwrite`, or can't be written;
    nothing is left behind then.
    """
    check_name(target, overwrite=overwrite, sources=sources)
    _clean_left_over(target.parent)
    part = None
    try:
        handle, name = tempfile.mkstemp(prefix=_own_prefix(), suffix=target.suffix[:16], dir=target.parent)
        os.close(handle)
        part = Path(name)
        _under_way.add(part)
        write(part)
        check()
        os.chmod(part, 0o666 & ~_UMASK)
        _put(part, target, overwrite=overwrite)
    except OSError as fault:
        raise SaveError(f"{target}: can't be written ({fault.strerror or fault}).") from fault
    finally:
        if part is not None:
            part.unlink(missing_ok=True)
            _under_way.discard(part)


def drop_unfinished() -> None:
    """Remove the files that are being written; for a process that is asked to end."""
    for part in list(_under_way):
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)


@cache
def machine_mark() -> str:
    """Return what differs between machines that write into the same folder."""
    name = platform.node().encode()
    with contextlib.suppress(OSError):
        name += Path("/etc/machine-id").read_bytes()
    return hashlib.blake2b(name, digest_size=6).hexdigest()


def when_begun(process: int) -> str:
    """Return when a process of this machine began, or nothing when it is not there."""
    try:
        about = Path(f"/proc/{process}/stat").read_text()
    except OSError:
        return ""
    state, *rest = about.rpartition(")")[2].split()
    return "" if state in _ENDED else rest[18]  # clock ticks since the machine was started


def _own_prefix() -> str:
    return f"{_PREFIX}{machine_mark()}-{os.getpid()}-{when_begun(os.getpid())}-"


def _clean_left_over(folder: Path) -> None:
    """Remove once what a process has left in a folder."""
    if folder not in _cleaned:
        _cleaned.add(folder)
        drop_left_over(folder)


def drop_left_over(folder: Path) -> None:
    """Remove unfinished files in a folder that a process of this machine has left, which is no longer there."""
    for left in folder.glob(f"{glob.escape(_PREFIX)}{machine_mark()}-*"):
        process, _, rest = left.name.removeprefix(f"{_PREFIX}{machine_mark()}-").partition("-")
        if process.isdigit() and when_begun(int(process)) != rest.partition("-")[0]:
            with contextlib.suppress(OSError):
                left.unlink()


def _longest_name(folder: Path) -> int:
    try:
        return os.pathconf(folder, "PC_NAME_MAX")
    except (OSError, ValueError):
        return 255


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


def _same(first: Path, other: Path) -> bool:
    try:
        return os.path.samefile(first, other)
    except OSError:
        return first.absolute() == other.absolute()


def _read_umask() -> int:
    """Return the mask of new files' rights; read once, as reading it sets it for a moment for all threads."""
    mask = os.umask(0)
    os.umask(mask)
    return mask


_UMASK = _read_umask()
