"""`dustpan desktop`: add the program to the desktop: entry, icon, type of projects, metadata, manual page."""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import sys
from pathlib import Path

import click

from dustpan.core.errors import SaveError
from dustpan.desktop import DESKTOP_ID, PLACES, read

_UPDATES = (("update-desktop-database", "applications"), ("update-mime-database", "mime"))


@click.command()
@click.option("--remove", is_flag=True, help="Take everything away again.")
@click.option(
    "--share", type=click.Path(path_type=Path, file_okay=False), help="Instead of the user's own share folder."
)
def desktop(remove, share):
    """Add Dustpan to the desktop's menu and its pictures' "open with". Example: dustpan desktop"""
    share = share or Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local/share")
    for name, place in PLACES.items():
        target = share / place / name
        if remove:
            with contextlib.suppress(FileNotFoundError):
                target.unlink()
        else:
            _write(target, _with_command(read(name)) if name.endswith(".desktop") else read(name))
    for command, folder in _UPDATES:
        if shutil.which(command) and (share / folder).is_dir():
            subprocess.run([command, str(share / folder)], check=False, capture_output=True)
    done = "was taken off" if remove else "is in"
    click.echo(f"Dustpan {done} the desktop's menu ({share / 'applications' / DESKTOP_ID}.desktop).")


def _write(target: Path, text: str) -> None:
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_text(text, "utf-8")
    except OSError as fault:
        raise SaveError(f"{target}: can't be written ({fault.strerror}).") from fault


def _with_command(entry: str) -> str:
    """Return the entry with the path of this very program, which need not be on the desktop's own path."""
    command = Path(sys.argv[0]).absolute()
    if command.name != "dustpan" or not os.access(command, os.X_OK):
        found = Path(sys.executable).parent / "dustpan"
        command = found if found.exists() else Path("dustpan")
    return entry.replace("Exec=dustpan ", f"Exec={_quoted(str(command))} ")


def _quoted(word: str) -> str:
    """Return a word as entries have it: in quotes where it holds more than plain letters."""
    if all(letter.isalnum() or letter in "/._-+" for letter in word):
        return word
    escaped = word.replace("\\", "\\\\").replace('"', '\\"').replace("`", "\\`").replace("$", "\\$").replace("%", "%%")
    return f'"{escaped}"'
