"""Files as they are once edits are made in them: where the format can be written."""

from __future__ import annotations

import os
from collections.abc import Iterable
from difflib import unified_diff
from typing import TYPE_CHECKING, NamedTuple

from inkov.cli.output import write_file
from inkov.cli.says import fail, reason
from inkov.cli.session import spare

if TYPE_CHECKING:
    from inkov.cli.session import Session
    from inkov.edits import Edit
    from inkov.readers.rewriting import Rewrite

_PATTERNS = 20  # other texts of a dialect that show how things are written
_MARK = "\ufeff"  # the byte order mark that some editors put before a text

__all__ = ["Edited", "edited_files", "write_edited"]


class Edited(NamedTuple):
    """A file with edits made: its path, its text before and after, the edits."""

    path: str
    before: str
    after: str
    edits: list[Edit]

    @property
    def diff(self) -> str:
        """What changes, to be read: without secrets, which may stand in the lines around, and with
        what cannot be seen written out.
        """
        from inkov.campus.secrets import without_secrets, words_before_secrets
        from inkov.harmless import clean

        before, after = self.before.splitlines(), self.after.splitlines()
        words = words_before_secrets(before)
        lines = unified_diff(before, after, self.path, self.path, lineterm="")
        return "".join(f"{clean(without_secrets(line, words))}\n" for line in lines)


def edited_files(session: Session, edits: Iterable[Edit]) -> tuple[list[Edited], list[str]]:
    """The files that edits change, and what is not written, in words. What is written is read back,
    and must be the switch that was tried.
    """
    from inkov.edits import apply
    from inkov.readers.rewriting import CannotWrite, rewriter

    campus = session.loaded.campus
    formats = {report.file: report.format for report in session.loaded.reports}
    by_switch: dict[str, list[Edit]] = {}
    for edit in edits:
        by_switch.setdefault(edit.switch, []).append(edit)
    after = apply(campus, [edit for own in by_switch.values() for edit in own])
    files, left = [], []
    for switch, own in by_switch.items():
        path = campus.devices[switch].origin.file if switch in campus.devices else ""
        rewrite = rewriter(formats.get(path, "")) or _by_dialect(session, switch)
        if rewrite is None:
            form = formats.get(path, "of no format")
            what = f"{path} is {form}, which is not written" if path else "a table or the plan"
            left.append(f"{switch or ', '.join(edit.name for edit in own)}: {what}")
            continue
        try:
            with open(path, encoding="utf-8", newline="") as file:
                text = file.read()
            said = text.removeprefix(_MARK)
            written = text[: -len(said)] + rewrite(said, after.devices[switch], own)
        except UnicodeDecodeError:
            left.append(f"{switch}: {path} is not UTF-8 (save it as UTF-8)")
            continue
        except OSError as error:
            fail(f"cannot read {path}: {reason(error)}")
        except CannotWrite as error:
            left.append(f"{switch}: {error}")
            continue
        if _is_as_tried(path, written, session, switch, own):
            files.append(Edited(path, text, written, own))
        else:
            left.append(f"{switch}: what would be written is not read as it was tried")
    return files, left


def _by_dialect(session: Session, switch: str) -> Rewrite | None:
    """What rewrites the text of a switch by the dialect that reads it; None if none does."""
    from inkov.readers.dialects.rewrite import rewriter as by_dialect

    devices = session.loaded.campus.devices
    platform = devices[switch].platform if switch in devices else None
    if platform is None or not platform.described:
        return None
    alike = [one.origin.file for one in devices.values() if one.platform.name == platform.name]
    for dialect in session.loaded.dialects:
        if dialect.name == platform.name:
            texts = []
            for path in alike[:_PATTERNS]:
                try:
                    with open(path, encoding="utf-8-sig") as file:
                        texts.append(file.read())
                except (OSError, UnicodeDecodeError):
                    continue  # it was told where it was read
            return by_dialect(dialect, texts)
    return None


def _is_as_tried(path: str, text: str, session: Session, switch: str, edits: list[Edit]) -> bool:
    from msgspec.structs import replace

    from inkov.campus import Campus
    from inkov.edits import apply, difference
    from inkov.readers.registry import read_bytes
    from inkov.readers.rewriting import deciding

    old = session.loaded.campus
    tried = apply(Campus(devices={switch: old.devices[switch]}), edits).devices[switch]
    dialects = session.loaded.dialects
    _, part = read_bytes(path, text.encode(), account=False, dialects=dialects)
    if len(part.devices) != 1 or part.devices[0].name != switch:
        return False
    back = replace(part.devices[0], platform=tried.platform)
    left = difference(Campus(devices={switch: tried}), Campus(devices={switch: back}))
    return not deciding(left)


def write_edited(session: Session, files: Iterable[Edited], folder: str) -> None:
    """Write files to a folder, by their names. Ends where one that was read would be written over,
    or two would be one.
    """
    files = list(files)
    names = [os.path.basename(file.path) for file in files]
    if len(set(names)) < len(names):
        fail(f"two of the files that change are called alike: {folder} holds one of a name")
    try:
        os.makedirs(folder, exist_ok=True)
    except OSError as error:
        fail(f"cannot write to {folder}: {reason(error)}")
    for name in names:
        target = os.path.join(folder, name)
        spare(session.loaded, target)
    for name, file in zip(names, files, strict=True):
        write_file(os.path.join(folder, name), file.after)
