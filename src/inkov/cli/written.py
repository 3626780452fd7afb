"""What an earlier run of Inkov wrote as JSON, read again."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from inkov.cli.says import fail, reason

__all__ = ["read_written"]

T = TypeVar("T")


def read_written(path: str, what: str, made_by: str, read: Callable[[Any], T]) -> T:
    """What `read` makes of a file. Ends where there is none, or where it is not `what` it should
    be, with the command it is `made_by`; `read` may fail as reading a wrong shape does.
    """
    import msgspec

    try:
        with open(path, "rb") as file:
            return read(msgspec.json.decode(file.read()))
    except OSError as error:
        fail(f"cannot read the {what} {path}: {reason(error)}")
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
        fail(f"{path} is no {what}; `{made_by}` makes one")
