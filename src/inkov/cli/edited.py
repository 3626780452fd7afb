"""Files as they are once edits are made in them: where the format can be written."""

from __future__ import annotations

import os
from collections.abc import Iterable
from difflib import SequenceMatcher, unified_diff
from typing import TYPE_CHECKING, NamedTuple

from inkov.cli.output import write_bytes
from inkov.cli.says import fail, reason
from inkov.cli.session import spare

if TYPE_CHECKING:
    from inkov.campus import Device
    from inkov.cli.session import Session
    from inkov.edits import Edit
    from inkov.mend.order import Step
    from inkov.readers.rewriting import Rewrite

_PATTERNS = 20  # other texts of a dialect that show how things are written
_UNITS = "systemd-networkd"
_MARK = "\ufeff"  # the byte order mark that some editors put before a text

__all__ = ["Edited", "edited_files", "entered", "write_edited"]


class Edited(NamedTuple):
    """A file with edits made: its path, its text before and after, the edits. Of what is no text,
    `written` are its bytes, and the texts tell what changes.
    """

    path: str
    before: str
    after: str
    edits: list[Edit]
    written: bytes | None = None

    @property
    def data(self) -> bytes:
        """What is written to the file."""
        return self.after.encode() if self.written is None else self.written

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


def _files_of(device: Device) -> set[str]:
    """The files that say what ports a switch has."""
    return {device.origin.file, *(port.origin.file for port in device.ports.values())}


class Texts:
    """The files of switches, and how they are read and rewritten."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.formats = {report.file: report.format for report in session.loaded.reports}

    def path_of(self, switch: str) -> str:
        """The file of a switch; "" if there is none."""
        devices = self.session.loaded.campus.devices
        return devices[switch].origin.file if switch in devices else ""

    def is_of_units(self, switch: str) -> bool:
        """Whether a switch is a system that units of networkd describe."""
        return bool(self.units_of(switch))

    def units_of(self, switch: str) -> list[str]:
        """The units that describe a system; [] for another switch."""
        from inkov.readers.assembly import system_of

        units = [path for path, form in self.formats.items() if form == _UNITS]
        device = self.session.loaded.campus.devices.get(switch)
        # No units anywhere, or no such switch.
        if not units or device is None:
            return []
        places = {system_of(path, "networkd") for path in _files_of(device)}
        return [path for path in units if system_of(path, "networkd") in places]

    def read(self, path: str) -> str:
        """The text of a file, as it is. Raises CannotWrite where it is no text."""
        from inkov.readers.rewriting import CannotWrite

        try:
            with open(path, encoding="utf-8", newline="") as file:
                return file.read()
        except UnicodeDecodeError:
            raise CannotWrite(f"{path} is not UTF-8 (save it as UTF-8)") from None
        except OSError as error:
            fail(f"cannot read {path}: {reason(error)}")

    def rewritten(self, switch: str, text: str, after: Device, edits: list[Edit]) -> str:
        """The text of a switch with some edits made. Raises CannotWrite."""
        from inkov.readers.rewriting import CannotWrite, rewriter, with_line_ends_of

        path = self.path_of(switch)
        form = self.formats.get(path, "of no format")
        rewrite = rewriter(form) or _by_dialect(self.session, switch)
        # A format that can be rewritten, or a dialect that can.
        if rewrite is None:
            raise CannotWrite(f"{path} is {form}, which is not written")
        bare = text.removeprefix(_MARK)
        written = with_line_ends_of(bare, rewrite(bare, after, edits))
        return text[: len(text) - len(bare)] + written

    def device(self, switch: str, text: str) -> Device | None:
        """The switch that a text describes; None if it is not the one it is to be."""
        from msgspec.structs import replace

        from inkov.readers.assembly import assemble
        from inkov.readers.registry import read_bytes

        path, dialects = self.path_of(switch), self.session.loaded.dialects
        _, part = read_bytes(path, text.encode(), account=False, dialects=dialects)
        campus = assemble([(path, part)], [], {}, {})  # filters are bound to where they stand
        # Another name, or several: not the switch that it was.
        if list(campus.devices) != [switch]:
            return None
        platform = self.session.loaded.campus.devices[switch].platform
        return replace(campus.devices[switch], platform=platform)


def edited_files(session: Session, edits: Iterable[Edit]) -> tuple[list[Edited], list[str]]:
    """The files that edits change, and what is not written, in words. What is written is read back,
    and must be the switch that was tried.
    """
    from inkov.edits import apply
    from inkov.readers.rewriting import CannotWrite

    texts = Texts(session)
    by_switch: dict[str, list[Edit]] = {}
    for edit in edits:
        by_switch.setdefault(edit.switch, []).append(edit)
    campus = session.loaded.campus
    after = apply(campus, [edit for own in by_switch.values() for edit in own])
    files, left = _tables(texts, by_switch.pop("", []))
    for switch, own in by_switch.items():
        path, named = texts.path_of(switch), switch
        try:
            # A switch that only tables know.
            if not path:
                raise CannotWrite("no file describes it")
            wanted = after.devices[switch]
            # A system of several files is written as a whole.
            if texts.is_of_units(switch):
                files += _units(texts, wanted, own)
                continue
            text = texts.read(path)
            written = texts.rewritten(switch, text, wanted, own)
        except CannotWrite as error:
            left.append(f"{named}: {error}")
            continue
        # Read back it must be the switch that was tried, or nothing is written.
        if _is(texts.device(switch, written), wanted):
            files.append(Edited(path, text, written, own))
        else:
            left.append(f"{switch}: what would be written is not read as it was tried")
    return files, left


def _units(texts: Texts, wanted: Device, edits: list[Edit]) -> list[Edited]:
    """The units of a system that edits change. Raises CannotWrite."""
    from inkov.readers.linux.networkd_rewrite import read_units, rewrite_units
    from inkov.readers.rewriting import CannotWrite, with_line_ends_of

    before = {path: texts.read(path) for path in texts.units_of(wanted.name)}
    changed = {
        path: with_line_ends_of(before[path], text)
        for path, text in rewrite_units(before, wanted, edits).items()
    }
    # The same for the units together.
    if not _is(read_units(wanted.name, before | changed), wanted):
        raise CannotWrite("what would be written is not read as it was tried")
    return [Edited(path, before[path], text, edits) for path, text in changed.items()]


def _tables(texts: Texts, edits: Iterable[Edit]) -> tuple[list[Edited], list[str]]:
    """The tables of hosts that edits change, and what is not written; cables are in none."""
    from inkov.edits import Kind
    from inkov.readers.registry import read_bytes
    from inkov.readers.rewriting import CannotWrite, with_line_ends_of
    from inkov.readers.tables_rewrite import rewrite_hosts

    hosts = {host.name: host for host in texts.session.loaded.campus.hosts}
    by_file: dict[str, list[Edit]] = {}
    files, left = list[Edited](), list[str]()
    for edit in edits:
        # A cable is plugged in by hand.
        if edit.kind is Kind.CABLE:
            left.append(f"the cable {edit.name}: plug it in; neighbours or a cabling table tell it")
            continue
        host = hosts.get(edit.name)
        by_file.setdefault(host.origin.file if host is not None else "", []).append(edit)
    for path, own in by_file.items():
        names = ", ".join(edit.name for edit in own)
        form = texts.formats.get(path, "")
        try:
            # A workbook is no text, a table is one.
            if form.startswith("Excel") and "host table" in form:
                edited = _workbook(path, own)
            elif form == "host table":
                text = texts.read(path)
                mark = _MARK * text.startswith(_MARK)
                pairs = [(edit, hosts[edit.name].origin) for edit in own]
                bare = text.removeprefix(_MARK)
                written = mark + with_line_ends_of(bare, rewrite_hosts(bare, pairs))
                edited = Edited(path, text, written, own)
            else:
                raise CannotWrite(f"{path or 'where it stands'} is not written")
        except CannotWrite as error:
            left.append(f"{names}: {error}")
            continue
        _, part = read_bytes(path, edited.data, account=False)
        back = {host.name: host for host in part.hosts}
        wanted = all(
            edit.name in back and getattr(back[edit.name], edit.attribute) == edit.after
            for edit in own
        )
        # The same hosts, each as it was wanted.
        if wanted and len(back) == sum(host.origin.file == path for host in hosts.values()):
            files.append(edited)
        else:
            left.append(f"{names}: what would be written is not read as it was tried")
    return files, left


def _workbook(path: str, edits: list[Edit]) -> Edited:
    """A workbook with some edits made; its texts are the cells that change. Raises CannotWrite."""
    from inkov.readers.workbook_rewrite import rewrite_workbook

    try:
        with open(path, "rb") as file:
            data = file.read()
    except OSError as error:
        fail(f"cannot read {path}: {reason(error)}")
    written, lines = rewrite_workbook(data, edits)
    before, after = ("".join(f"{line[side]}\n" for line in lines) for side in (0, 1))
    return Edited(path, before, after, edits, written)


def entered(session: Session, steps: Iterable[Step]) -> list[list[str]]:
    """For each of some steps the lines that change in the text of its switch, `+` and `-` before
    them and what they stand below. [] where the file is none in a command language, or cannot say
    it.
    """
    from inkov.campus import Campus
    from inkov.edits import apply, difference
    from inkov.readers.rewriting import CannotWrite

    texts = Texts(session)
    now: dict[str, str | None] = {}
    lines_of_steps: list[list[str]] = []
    for step in steps:
        path, lines = texts.path_of(step.switch), list[str]()
        try:
            # Read once for each switch; only a text can be told line by line.
            if step.switch not in now:
                spoken = _by_dialect(session, step.switch) is not None
                now[step.switch] = texts.read(path) if spoken else None
            text = now[step.switch]
            device = texts.device(step.switch, text) if text is not None else None
            # Once it cannot be told, later steps cannot either.
            if text is not None and device is not None:
                # What moves lines moves the places of what comes after: so it is read anew.
                own = Campus(devices={step.switch: device})
                wanted = apply(own, step.edits)
                edits = difference(own, wanted)
                after = wanted.devices[step.switch]
                written = texts.rewritten(step.switch, text, after, edits)
                if _is(texts.device(step.switch, written), after):
                    lines, now[step.switch] = _changed_lines(text, written), written
                else:
                    now[step.switch] = None
        except CannotWrite:
            now[step.switch] = None
        lines_of_steps.append(lines)
    return lines_of_steps


def _changed_lines(before: str, after: str) -> list[str]:
    """The lines that come and go, each below the lines that it stands under."""
    from inkov.campus.secrets import without_secrets, words_before_secrets
    from inkov.harmless import clean

    old, new = before.splitlines(), after.splitlines()
    words = words_before_secrets([*old, *new])
    lines: list[str] = []
    told: set[int] = set()
    changes = SequenceMatcher(None, old, new, autojunk=False).get_opcodes()
    for what, i1, i2, j1, j2 in changes:
        # Only what changes is told.
        if what == "equal":
            continue
        # Heads are looked for where the line is: in what is new, or in what was.
        side, at = (new, j1) if j2 > j1 else (old, i1)
        # A head stands once above all that is below it.
        for head in _heads(side, at):
            if head not in told:
                told.add(head)
                lines.append(f"  {side[head]}")
        lines += [f"- {line}" for line in old[i1:i2] if line.strip()]
        lines += [f"+ {line}" for line in new[j1:j2] if line.strip()]
    return [clean(without_secrets(line, words)) for line in lines]


def _heads(lines: list[str], at: int) -> list[int]:
    """The lines that a line stands below: less indented ones, or the heading of its section."""

    def indent(line: str) -> int:
        return len(line) - len(line.lstrip())

    # A section of its own stands below nothing.
    if at >= len(lines) or lines[at].startswith("["):
        return []
    heads: list[int] = []
    depth = indent(lines[at])
    for number in range(at - 1, -1, -1):
        line = lines[number]
        # The heading of a section ends the search.
        if line.startswith("[") and ":" not in line:
            return [number, *heads]
        # A line that closes a block is no head.
        if line.strip() and indent(line) < depth and line.strip()[:1] not in "]}":
            heads.insert(0, number)
            depth = indent(line)
        # Nothing stands above the outermost.
        if depth == 0 and heads:
            break
    return heads


def _is(device: Device | None, wanted: Device) -> bool:
    """Whether a switch is the one that is wanted, in all that decides."""
    from msgspec.structs import replace

    from inkov.campus import Campus
    from inkov.edits import difference
    from inkov.readers.rewriting import deciding

    # Nothing was read, so it is not it.
    if device is None:
        return False
    back = replace(device, platform=wanted.platform)
    before, after = (Campus(devices={wanted.name: device}) for device in (wanted, back))
    return not deciding(difference(before, after))


def _by_dialect(session: Session, switch: str) -> Rewrite | None:
    """What rewrites the text of a switch by the dialect that reads it; None if none does."""
    from inkov.readers.dialects.rewrite import rewriter as by_dialect

    devices = session.loaded.campus.devices
    platform = devices[switch].platform if switch in devices else None
    # Without a dialect there is nothing to write by.
    if platform is None or not platform.described:
        return None
    alike = [
        device.origin.file for device in devices.values() if device.platform.name == platform.name
    ]
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


def write_edited(session: Session, files: Iterable[Edited], folder: str) -> None:
    """Write files to a folder, as they lie below the folder that holds all that was read. Ends
    where one that was read would be written over.
    """
    read = [os.path.abspath(report.file) for report in session.loaded.reports]
    root = os.path.commonpath([os.path.dirname(path) for path in read]) if read else ""
    targets = [
        (os.path.join(folder, os.path.relpath(os.path.abspath(file.path), root)), file)
        for file in files
    ]
    # First all are looked at, then any is written.
    for target, _ in targets:
        spare(session.loaded, target)
    for target, file in targets:
        try:
            os.makedirs(os.path.dirname(target) or ".", exist_ok=True)
        except OSError as error:
            fail(f"cannot write to {target}: {reason(error)}")
        write_bytes(target, file.data)
