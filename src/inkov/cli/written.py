"""What an earlier run of Inkov wrote as JSON, read again."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, TypeVar

from inkov.cli.says import fail

if TYPE_CHECKING:
    from inkov.campus import Problem
    from inkov.readers import FileReport

__all__ = ["file_of", "read_written"]

T = TypeVar("T")


def read_written(path: str, what: str, made_by: str, read: Callable[[Any], T]) -> T:
    """What `read` makes of a file. Ends where there is none, or where it is not `what` it should
    be, with the command it is `made_by`; `read` may fail as reading a wrong shape does.
    """
    import msgspec

    try:
        return read(msgspec.json.decode(file_of(path, what)))
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
        # A file of another kind, or of another shape.
        fail(f"{path} is no {what}; `{made_by}` makes one")


def file_of(path: str, what: str, digests: dict[str, str] | None = None) -> bytes:
    """The bytes, in UTF-8, of a file that is named on the command line; `digests` gets that of
    the file as it stands. Ends where it is none, or larger than any file that is read.
    """
    from inkov.readers.files import file_bytes

    problems: list[Problem] = []
    reports: list[FileReport] = []
    data = file_bytes(path, problems, reports, digests)
    # Not there, or too large, or no file.
    if data is None:
        why = problems[0].says if problems else "no regular file"
        fail(f"cannot read the {what} {path}: {why.removeprefix('cannot be read: ')}")
    return data
