"""Project files: the pictures that are worked on together, with all that was done to each.

A zip of `project.json`, one JSON file for each picture and its preview. Each entry stands for itself, so that what is
whole of a damaged file can still be had.
"""

from __future__ import annotations

import hashlib
import json
import os
import struct
import zipfile
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from dustpan.core.document.work import Work, work_from_json, work_to_json
from dustpan.core.errors import DustpanError, ProjectError
from dustpan.core.noise.fixed import find_noise_faults
from dustpan.files.atomic import save_whole
from dustpan.files.formats import ENDINGS

SUFFIX = ".dustpan"
_FORMAT, _VERSION = "dustpan-project", 1
_HEAD = "project.json"
_LARGEST = 1 << 30  # bytes of a project
_LARGEST_PART = 64 << 20  # bytes of one of its entries, unpacked
_ENTRY = b"PK\x03\x04"
_SEARCHED = 2000  # pictures in which one that was moved is looked for
_AT_ONCE = 8 << 20  # bytes that are hashed at once


@dataclass(frozen=True)
class ProjectPicture:
    """A picture of a project.

    Attributes
    ----------
    path : of its file, absolute.
    digest : SHA-256 of that file, in hexadecimal digits; empty where it could not be read.
    work : what was done to it.
    preview : PNG of how it looked, or None.
    """

    path: Path
    digest: str
    work: Work
    preview: bytes | None = None


@dataclass(frozen=True)
class Project:
    """Pictures in their order, and the index of the one that was shown."""

    pictures: tuple[ProjectPicture, ...]
    shown: int = 0


def digest_of(path: Path) -> str:
    """Return the SHA-256 of a file, or nothing where it can't be read."""
    digest = hashlib.sha256()
    try:
        with open(path, "rb") as file:
            while part := file.read(_AT_ONCE):
                digest.update(part)
    except OSError:
        return ""
    return digest.hexdigest()


def save_project(target: Path, project: Project) -> None:
    """Write a project whole or not at all, over one of that name; raises SaveError that names the file."""
    save_whole(target, lambda part: _write(part, target, project), overwrite=True)


def _write(part: Path, target: Path, project: Project) -> None:
    with zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED) as file:
        head = {"format": _FORMAT, "version": _VERSION, "shown": project.shown, "count": len(project.pictures)}
        file.writestr(_HEAD, json.dumps(head, indent=2))
        for number, picture in enumerate(project.pictures):
            entry = {
                "path": os.fspath(picture.path),
                "relative": _relative(picture.path, target.parent),
                "sha256": picture.digest,
                "work": work_to_json(picture.work),
            }
            file.writestr(f"pictures/{number:04d}.json", json.dumps(entry, ensure_ascii=True))
            if picture.preview is not None:
                file.writestr(f"previews/{number:04d}.png", picture.preview)


def _relative(path: Path, folder: Path) -> str:
    try:
        return os.path.relpath(path, folder)
    except ValueError:  # on another drive
        return path.name


def load_project(path: Path) -> tuple[Project, list[str]]:
    """Return a project and what could not be read of it, a sentence each.

    Pictures stand at the path where they are found: that of before, beside the project as before, or by their content.
    One that is not found keeps its old path.

    Raises
    ------
    ProjectError where nothing of it can be read.
    """
    parts, faults = _parts_of(path)
    head = _head_of(path, parts, faults)
    pictures = []
    names = sorted(name for name in parts if name.startswith("pictures/"))
    for name in names:
        try:
            pictures.append(_picture_of(path, name, parts))
        except (ValueError, TypeError, KeyError, AttributeError, DustpanError) as fault:
            faults.append(f"{path}: {name} can't be read ({fault}).")
    if not pictures:
        raise ProjectError(f"{path}: there is no picture in it that can be read.")
    missing = int(head.get("count", len(names))) - len(names)
    if missing > 0:
        faults.append(f"{path}: {missing} of its pictures are missing.")
    shown = head.get("shown", 0)
    return Project(tuple(pictures), shown if isinstance(shown, int) and 0 <= shown < len(pictures) else 0), faults


def _head_of(path: Path, parts: dict[str, bytes], faults: list[str]) -> dict[str, Any]:
    if _HEAD not in parts:
        if not any(name.startswith("pictures/") for name in parts):
            raise ProjectError(f"{path}: this is not a project.")
        faults.append(f"{path}: {_HEAD} is missing.")
        return {}
    try:
        head = json.loads(parts[_HEAD])
        known = head["format"] == _FORMAT
        version = head["version"]
    except (ValueError, TypeError, KeyError) as fault:
        raise ProjectError(f"{path}: {_HEAD} can't be read ({fault}).") from fault
    if not known:
        raise ProjectError(f"{path}: this is not a project.")
    if version != _VERSION:
        raise ProjectError(f"{path}: version {version!r} of projects is not known here, only {_VERSION}.")
    return head


def _picture_of(path: Path, name: str, parts: dict[str, bytes]) -> ProjectPicture:
    entry = json.loads(parts[name])
    digest = str(entry["sha256"])
    source = find_source(Path(entry["path"]), str(entry["relative"]), digest, path.absolute().parent)
    preview = parts.get(name.replace("pictures/", "previews/").replace(".json", ".png"))
    return ProjectPicture(source, digest, work_from_json(entry["work"], f"{path}: {name}", find_noise_faults), preview)


def find_source(path: Path, relative: str, digest: str, folder: Path) -> Path:
    """Return where a picture's file is now: at its path, beside the project, or wherever its content is found there."""
    for candidate in (path, folder / relative, folder / path.name):
        if candidate.is_file():
            return Path(os.path.normpath(candidate.absolute()))
    found = find_by_content(digest, path.suffix, folder)
    return path if found is None else found


def find_by_content(digest: str, suffix: str, folder: Path) -> Path | None:
    """Return a picture under a folder whose content has a digest, or None."""
    if not digest:
        return None
    seen = 0
    for parent, folders, names in os.walk(folder):
        folders[:] = [name for name in sorted(folders) if not name.startswith(".")]
        for name in sorted(names):
            if Path(name).suffix.lower() != suffix.lower() or suffix.lower() not in ENDINGS:
                continue
            seen += 1
            if seen > _SEARCHED:
                return None
            if digest_of(Path(parent) / name) == digest:
                return Path(parent) / name
    return None


def _parts_of(path: Path) -> tuple[dict[str, bytes], list[str]]:
    """Return the entries by their names, and what is damaged."""
    try:
        if path.stat().st_size > _LARGEST:
            raise ProjectError(f"{path}: larger than {_LARGEST >> 30} GB; this is not a project.")
        data = path.read_bytes()
    except OSError as fault:
        raise ProjectError(f"{path}: can't be read ({fault.strerror or fault}).") from fault
    faults: list[str] = []
    try:
        with zipfile.ZipFile(path) as file:
            return {info.filename: _unpacked(file, info) for info in file.infolist()}, faults
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, ValueError, OSError):
        parts = dict(_whole_entries(data))
    if not parts:
        raise ProjectError(f"{path}: this is not a project, or nothing of it is whole.")
    faults.append(f"{path}: the file is damaged; what is whole of it was read.")
    return parts, faults


def _unpacked(file: zipfile.ZipFile, info: zipfile.ZipInfo) -> bytes:
    if info.file_size > _LARGEST_PART:
        raise ValueError(f"{info.filename} is too large")
    return file.read(info)


def _whole_entries(data: bytes) -> Iterator[tuple[str, bytes]]:
    """Yield the entries of a damaged zip that are whole, found by their own headers."""
    at = data.find(_ENTRY)
    while at >= 0:
        following = data.find(_ENTRY, at + 4)
        try:
            how, crc, packed, size, name, extra = struct.unpack_from("<8xH4xIIIHH", data, at)
            start = at + 30 + name + extra
            body = data[start : start + packed]
            if size <= _LARGEST_PART:
                body = zlib.decompressobj(-15).decompress(body, _LARGEST_PART) if how == zipfile.ZIP_DEFLATED else body
                if zlib.crc32(body) == crc:
                    yield data[at + 30 : at + 30 + name].decode("utf-8"), body
        except (struct.error, zlib.error, UnicodeDecodeError):
            pass
        at = following
