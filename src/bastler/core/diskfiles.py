"""Files on the disk: read within bounds, written whole or not at all, with sentences for what goes wrong."""

from __future__ import annotations

import contextlib
import errno
import os
import stat
from pathlib import Path

from bastler.core.problems import Unusable

LONGEST_SHOWN = 80


def read_file(path: Path, largest: int, too_large: str) -> bytes:
    """The bytes of a file that a person chose; raises :class:`Unusable` for what is no file, can't be read or is too large."""
    try:
        about = path.stat()
        if not stat.S_ISREG(about.st_mode):
            what = "a folder" if stat.S_ISDIR(about.st_mode) else "a device or a pipe"
            raise Unusable(f"{shown(path)} is {what}. Choose a file.")
        if about.st_size > largest:
            raise Unusable(f"{shown(path)} is {too_large}.")
        return path.read_bytes()
    except (OSError, ValueError) as error:
        raise Unusable(f"{shown(path)} can't be read: {reason(error)}.") from None


def write_atomically(path: Path, data: bytes) -> str:
    """Put ``data`` at ``path`` whole or not at all; raises :class:`Unusable` in words.

    A link stays a link: what it points to is written. Permissions stay; a new file has those that the user's mask gives.
    Gives a sentence where the file had a second name (a hard link), which keeps what it had.
    """
    temporary = None
    try:
        before = path.stat() if path.exists() else None
        target = Path(os.path.realpath(path))
        if before is not None and not stat.S_ISREG(before.st_mode):
            what = "a folder" if stat.S_ISDIR(before.st_mode) else "a device or a pipe"
            raise Unusable(f"{shown(path)} is {what}; nothing is written there. Choose a file.")
        temporary = target.parent / f".{os.urandom(6).hex()}.new"
        with os.fdopen(os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o666), "wb") as file:
            file.write(data)
            file.flush()
            if before is not None:
                os.fchmod(file.fileno(), stat.S_IMODE(before.st_mode))
            os.fsync(file.fileno())
        temporary.replace(target)
    except (OSError, ValueError) as error:
        if temporary is not None:
            with contextlib.suppress(OSError):
                temporary.unlink(missing_ok=True)
        raise Unusable(f"{shown(path)} was not saved: {reason(error)}. The file as it was is untouched.") from None
    if before is not None and before.st_nlink > 1:
        return f"{shown(path)} had a second name on this disk (a hard link); the file of that name is as it was."
    return ""


def shown(path: Path) -> str:
    """A file's name for a sentence."""
    name = path.name.encode("utf-8", "replace").decode().replace("\0", "?")
    return f"{name[:LONGEST_SHOWN]}…" if len(name) > LONGEST_SHOWN else name or str(path)


def reason(error: OSError | ValueError) -> str:
    """An operating-system error in plain words with the remedy."""
    if not isinstance(error, OSError):
        return "its name has a sign that no file name can have; choose another name"
    words = {
        errno.ENOENT: "it, or its folder, does not exist; check the name",
        errno.EACCES: "you may not use this folder; choose another one",
        errno.EPERM: "it is locked; choose another name",
        errno.EROFS: "the disk is write-protected; choose another folder",
        errno.ENOSPC: "the disk is full; free some space",
        errno.EDQUOT: "your share of the disk is used up; free some space",
        errno.EISDIR: "it is a folder; choose a file",
        errno.ENOTDIR: "a part of its path is not a folder; check the name",
        errno.ENAMETOOLONG: "its name is too long; choose a shorter one",
    }
    return words.get(error.errno or 0, (error.strerror or "unknown reason").lower())
