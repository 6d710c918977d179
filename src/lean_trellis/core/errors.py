"""The errors shown to a person.

TrellisError
├── FileError            a file cannot be read or written
│   ├── FormatError      it is read, but is not what it claims to be, or holds no usable mesh
│   ├── AccessError      the system refuses: missing, no permission, disk full
│   └── NewerFileError   written by a newer version than this one
├── LibraryError         a machine, material, set or recipe file of the shop library is wrong
├── UnknownNameError     no machine, material, set or part of that name
├── ParameterError       a parameter's value is out of range or contradicts another
├── EditError            an edit that cannot be done on this job
└── Cancelled            the user asked to stop; nothing was changed

Each says what happened, to which file, part or field, and what to try.
"""

from __future__ import annotations

import difflib
from collections.abc import Iterable


class TrellisError(Exception):
    """One clear line: `subject: what; cure`."""

    def __init__(self, subject: object, what: str, cure: str = "") -> None:
        self.subject = str(subject)
        self.what = what
        self.cure = cure
        super().__init__(self.subject, what, cure)

    def __str__(self) -> str:
        head = f"{self.subject}: " if self.subject else ""
        return f"{head}{self.what}; {self.cure}" if self.cure else f"{head}{self.what}"


class FileError(TrellisError):
    """A file cannot be read or written."""


class FormatError(FileError):
    """The file is not what it claims to be, or holds no usable mesh."""


class AccessError(FileError):
    """The system refuses: missing, no permission, disk full."""

    @classmethod
    def of(cls, path: object, problem: OSError, doing: str) -> AccessError:
        """Turn an `OSError` met while `doing` ('read', 'write') into a clear line."""
        cures = {
            "FileNotFoundError": "check the name and the folder",
            "PermissionError": f"ask for the right to {doing} there, or choose another folder",
            "IsADirectoryError": "this is a folder; name a file",
        }
        cure = cures.get(type(problem).__name__, "check the disk and try again")
        if problem.errno == 28:
            cure = "the disk is full; free some space or choose another place; the old file is untouched"
        reason = problem.strerror or str(problem)
        return cls(path, f"cannot {doing} it ({reason})", cure)


class NewerFileError(FileError):
    """Written by a newer version than this one."""


class LibraryError(TrellisError):
    """A file of the shop library is wrong; names file and key."""


class ParameterError(TrellisError):
    """A parameter's value is out of range or contradicts another; `subject` is its key."""


class EditError(TrellisError):
    """An edit that cannot be done on this job."""


class Cancelled(TrellisError):  # noqa: N818 - it is an outcome, not a fault
    """The user asked to stop; nothing was changed."""

    def __init__(self, what: str = "cancelled") -> None:
        super().__init__("", what)

    def __reduce__(self) -> tuple[type[Cancelled], tuple[str]]:
        return type(self), (self.what,)


class UnknownNameError(TrellisError):
    """No machine, material, set or part of that name."""

    @classmethod
    def among(cls, kind: str, name: str, known: Iterable[str]) -> UnknownNameError:
        """Say which name is unknown and what comes close to it."""
        names = sorted(known)
        close = difflib.get_close_matches(name, names, n=2, cutoff=0.5)
        cure = f"did you mean {' or '.join(close)}?" if close else f"known: {', '.join(names)}"
        return cls(name, f"no {kind} of that name", cure)
