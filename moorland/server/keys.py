"""Keys kept in files beside the database, each made once and readable by its owner only; and whether the files are still so."""

import os
import secrets
import stat
from collections.abc import Iterator
from functools import lru_cache
from pathlib import Path

from cryptography.fernet import Fernet, MultiFernet


def kept_secret(path: Path) -> str:
    """The secret in a file, made the first time. Raises RuntimeError where the file is empty: what it was is lost, and nothing is to be guessed."""
    try:
        with os.fdopen(os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600), "w") as opened:
            opened.write(secrets.token_urlsafe(48))
    except FileExistsError:
        pass
    found = path.read_text("utf-8").strip()
    if not found:
        raise RuntimeError(f"{path} is empty. Restore it from a copy; without it, what it sealed cannot be read.")
    return found


def sealing_keys(path: Path) -> MultiFernet:
    """The keys values are encrypted with, newest first; one is made the first time."""
    if not path.exists():
        _write(path, [Fernet.generate_key().decode()])
    return _keys(path.read_text("ascii"))


@lru_cache(maxsize=4)
def _keys(written: str) -> MultiFernet:
    return MultiFernet([Fernet(line) for line in written.split()])


def with_new_key(path: Path) -> MultiFernet:
    """The keys with a new one before them, stored so; what was sealed with an old one can still be opened."""
    sealing_keys(path)
    _write(path, [Fernet.generate_key().decode(), *path.read_text("ascii").split()])
    return sealing_keys(path)


def keep_newest(path: Path) -> None:
    """Forgets all keys but the newest."""
    _write(path, path.read_text("ascii").split()[:1])


def _write(path: Path, lines: list[str]) -> None:
    """Replaces the file whole: whoever reads it has the old keys or the new ones."""
    beside = path.with_name(f"{path.name}.new")
    with os.fdopen(os.open(beside, os.O_CREAT | os.O_TRUNC | os.O_WRONLY, 0o600), "w") as opened:
        opened.write("\n".join(lines) + "\n")
        opened.flush()
        os.fsync(opened.fileno())
    beside.replace(path)


def open_to_others(folder: Path) -> list[str]:
    """Sentences about what lies in the workspace's folder and somebody else could read; what can be closed is closed."""
    return [said for path in (folder, *_inside(folder)) if (said := _closed(path))]


def _inside(folder: Path) -> Iterator[Path]:
    for path in sorted(folder.iterdir()):
        if not path.is_symlink():
            yield path


def _closed(path: Path) -> str | None:
    found = path.stat()
    if not stat.S_IMODE(found.st_mode) & 0o077:
        return None
    wanted = 0o700 if path.is_dir() else 0o600
    try:
        path.chmod(wanted)
    except OSError:
        return f"{path} can be read by others, and is not this account's to close. Let its owner run: chmod {wanted:o} {path}"
    return f"{path} could be read by others; it is closed now ({wanted:o})."
