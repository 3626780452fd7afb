"""Files and folders to a campus.

A folder is read with all below it, in the order of the paths, so that the same files give the same
campus whatever order the disk lists them in. Links to folders are not followed. Nothing is read
that is no regular file.
"""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterable, Sequence
from functools import partial

from msgspec import Struct

from inkov.campus import OPENCONFIG, STANDARD, WALK, Campus, Origin, Problem
from inkov.faults import OURS, told
from inkov.progress import with_progress
from inkov.readers.again import Found, Readings, names_below
from inkov.readers.assembly import assemble, put_together
from inkov.readers.both_cores import Share, read_share, worth_it
from inkov.readers.dialects import BadDialect, Dialect, compile_dialect, looks_like_dialect
from inkov.readers.files import Digests, file_bytes, reason
from inkov.readers.linux.device import LINUX
from inkov.readers.locate import Locator
from inkov.readers.reading import (
    HIDDEN_FILE,
    HIDDEN_FOLDER,
    LINKED_FOLDER,
    FileReport,
    Part,
    Piece,
    as_text,
)
from inkov.readers.registry import HEAD_BYTES, format_of, read_bytes, shown, taken_as

__all__ = [
    "Loaded",
    "NothingToRead",
    "load",
    "unread_texts",
]

PLAN_NAMES = ("plan.yaml", "plan.yml")
CHANGE_NAMES = ("change.yaml", "change.yml")
_NAMED = (*PLAN_NAMES, *CHANGE_NAMES)
_HOSTNAME = re.compile(rb"[A-Za-z0-9][A-Za-z0-9.-]{0,253}\s*\Z")  # etc/hostname of a Linux system


class NothingToRead(Exception):
    """No file among those named could be read. `problems` says why; where they say all (a dialect
    that cannot be used), the message is "". `campus` holds what there was besides switches.
    """

    def __init__(self, says: str, problems: list[Problem], campus: Campus) -> None:
        super().__init__(says)
        self.problems = problems
        self.campus = campus


class Loaded(Struct):
    """The campus, the account of every file, and the means to find the line of any fact.

    `plans` are the plan files that were found, by path, for the plan's own loader, `changes` those
    that say what a change is meant to do; `dialects` those that were found among the files.
    `readings` are what a later `load` may take over, `taken_over` the switches that this one did.
    """

    campus: Campus
    reports: list[FileReport]
    locator: Locator
    plans: dict[str, bytes] = {}
    changes: dict[str, bytes] = {}
    dialects: list[Dialect] = []
    readings: Readings | None = None
    taken_over: frozenset[str] = frozenset()


def load(
    paths: Iterable[str],
    *,
    account: bool = False,
    digests: bool = False,
    read_as: Sequence[str] = (),
    keep: bool = False,
    before: Readings | None = None,
) -> Loaded:
    """Read files and folders.

    With `digests`, the report of each file has that of the very bytes that were read. `read_as` are
    the values of `--as`. With `keep`, what the files gave is kept for another `load`, with the same
    `read_as`, which gets it as `before`. Raises NothingToRead if not one device could be read,
    UnknownFormat if `read_as` names none.
    """
    paths = list(paths)
    loading = _Loading(paths, account=account, digests=digests)
    files = _files(paths, loading.problems, loading.reports)
    unusable: list[Problem] = []
    dialects = read_dialects(files, unusable, loading.reports, loading.digests)
    # What is wrong with a dialect comes first, and what only follows from it is not told.
    loading.problems[:0] = unusable
    loading.dialects_unusable = bool(unusable)
    if keep or before is not None:
        loading.names = names_below(paths, files)
        written = {dialect.name: file_bytes(dialect.file, [], []) or b"" for dialect in dialects}
        loading.readings = Readings(written) if keep else None
        if before is not None and before.dialects == written:
            loading.find_again(files, before)
    loading.read(files, dialects, read_as)
    campus = loading.campus()
    for report in loading.reports:
        report.digest = (loading.digests or {}).get(report.file, "")
    # Without a usable dialect no text can be read; to say that there is none would mislead.
    if not campus.devices and unusable:
        raise NothingToRead("", unusable, campus)
    if not campus.devices:
        listed = ", ".join(paths)
        says = f"no switch configuration in {listed}" if files else f"no file to read in {listed}"
        raise NothingToRead(says, campus.problems, campus)
    locator = Locator(loading.kept)
    return Loaded(
        campus,
        loading.reports,
        locator,
        loading.plans,
        loading.changes,
        dialects,
        loading.readings,
        frozenset(
            part.devices[0].name
            for _, part in loading.again.values()
            if campus.devices.get(part.devices[0].name) is part.devices[0]
        ),
    )


class _Loading:
    """What reading the files has come to so far. `kept` are the bytes that a pointer may need,
    `digests` those of the files, None if nobody asks for them.
    """

    def __init__(self, paths: list[str], *, account: bool, digests: bool) -> None:
        self.named = set(paths)
        self.account = account
        self.digests: Digests = {} if digests else None
        self.problems: list[Problem] = []
        self.reports: list[FileReport] = []
        self.parts: list[tuple[str, Part]] = []
        self.dialects_unusable = False
        self.kept: dict[str, bytes] = {}
        self.plans: dict[str, bytes] = {}
        self.changes: dict[str, bytes] = {}
        self.names: dict[str, str] = {}
        self.readings: Readings | None = None
        self.again: Found = {}

    def find_again(self, files: list[str], before: Readings) -> None:
        """Find the files that were read before, byte for byte."""
        reported = {report.file for report in self.reports}
        data_of: dict[str, bytes] = {}
        for file in files:
            if file not in reported and self.names[file] in before.files:
                # Read once more when its turn comes: only the digest is kept, not the bytes of all
                # files.
                data = file_bytes(file, [], [], self.digests)
                if data is not None:
                    data_of[file] = data
        self.again = before.same(self.names, data_of)

    def read(
        self,
        files: list[str],
        dialects: list[Dialect],
        read_as: Sequence[str],
    ) -> None:
        """Read every file that has no report yet, some of them in another process."""
        taken = taken_as(read_as, dialects)
        reported = {report.file for report in self.reports}
        files = [file for file in files if file not in reported]
        read_one = partial(read_bytes, account=self.account, dialects=dialects, taken=taken)
        fresh = [file for file in files if file not in self.again]
        elsewhere = _elsewhere(fresh, dialects, read_one, digests=self.digests is not None)
        here = len(files) - len(elsewhere.files)
        done_elsewhere: Found = {}
        # Those that another process reads come last, so that it has the time for them.
        ordered = sorted(files, key=lambda file: file in elsewhere.files)
        for done, file in enumerate(with_progress("reading files", ordered)):
            # Only now is waited for the other process: it had as long as the files before took.
            if done == here:
                done_elsewhere = elsewhere.collect()
            data = file_bytes(file, self.problems, self.reports, self.digests)
            if data is not None and not self._of_its_own_kind(file, data):
                result = (
                    self.again.get(file)
                    or done_elsewhere.pop(file, None)
                    or self._one(read_one, file, data)
                )
                # What was read there is what the answer rests on, should the file have changed
                # since.
                if self.digests is not None and result[0].digest:
                    self.digests[file] = result[0].digest
                self._take(file, data, *result)

    def _one(
        self, read: Callable[[str, bytes], tuple[FileReport, Part]], file: str, data: bytes
    ) -> tuple[FileReport, Part]:
        """Read one file. A fault of a reader costs this file, and is told."""
        try:
            return read(file, data)
        except Exception as error:
            says = told(error, "in reading it")
            self.problems.append(Problem(Origin(file), says, "please report it", True))
            return FileReport(file, "", len(data), remark=OURS), Part()

    def _of_its_own_kind(self, file: str, data: bytes) -> bool:
        """True for a file that its name tells: a plan, a change, or the name of a Linux system."""
        if os.path.basename(file) in PLAN_NAMES:
            self.plans[file] = data
            self.reports.append(FileReport(file, "the plan", len(data)))
        elif os.path.basename(file) in CHANGE_NAMES:
            self.changes[file] = data
            self.reports.append(FileReport(file, "what a change is to do", len(data)))
        elif _is_hostname(file, data):
            self.reports.append(FileReport(file, "host name", len(data), understood=1))
            piece = Piece("name", "hostname", file, data.decode("ascii").strip())
            self.parts.append((file, Part(pieces=[piece])))
        else:
            return False
        return True

    def _take(self, file: str, data: bytes, report: FileReport, part: Part) -> None:
        self.reports.append(report)
        self.parts.append((file, part))
        if self.readings is not None and file in self.names:
            self.readings.keep(self.names[file], data, report, part)
        if report.format:
            # Only pointers have to be looked up in a file again.
            first = data[:100].lstrip(b"\xef\xbb\xbf \t\r\n")[:1]
            kept = data if first in (b"{", b"[", b"<") else b""
            # What was taken over from another file (`again`) has that one as its source.
            self.kept.update(dict.fromkeys([file, *(d.origin.file for d in part.devices)], kept))
        elif report.remark and report.remark != OURS and (file in self.named or not report.aside):
            # What lies beside configurations and is none is no problem, unless somebody named it.
            self._not_read(file, report.remark)

    def _not_read(self, file: str, remark: str) -> None:
        """A file that is none to read is a problem, unless a dialect for it may be the unusable
        one.
        """
        if not self.dialects_unusable:
            cure = "collect it again, write a dialect for it, or move it out of the folder"
            self.problems.append(Problem(Origin(file), remark, cure, True))

    def campus(self) -> Campus:
        """The campus of all parts. The reports say what became of each file."""
        self.parts += put_together(self.parts)
        formats = {report.file: report.format for report in self.reports}
        campus = assemble(self.parts, self.problems, formats, self.kept)
        for device in campus.devices.values():
            # A switch without ports passes nothing: all that is proved of it would hold by mistake.
            if not device.ports:
                says = f"{device.name} has no ports: its configuration may be incomplete"
                campus.problems.append(Problem(device.origin, says, "collect it again"))
        joined = {file: part.joined for file, part in self.parts if part.joined}
        second = {device.origin.file for device in campus.others}
        for report in self.reports:
            if report.file in joined:
                report.devices = [joined[report.file]]
                report.remark = f"a part of {joined[report.file]}"
            if report.file in second:
                report.remark = "a second source"
        secret_words = frozenset[str]().union(*(part.secret_words for _, part in self.parts))
        # A word that secrets follow in one file is looked for in those that were read before it.
        for report in self.reports if secret_words else ():
            report.unmatched = shown(report.unmatched, secret_words)
        self.reports.sort(key=lambda report: report.file)
        campus.unmatched = [
            (line.origin, line.text)
            for report in self.reports
            for line in report.unmatched
            if line.relevant
        ]
        return campus


def _is_hostname(file: str, data: bytes) -> bool:
    """True if the file is the etc/hostname of a Linux system."""
    return os.path.basename(file) == "hostname" and _HOSTNAME.match(data) is not None


def unread_texts(
    paths: Iterable[str], problems: list[Problem], begun: str = ""
) -> list[tuple[str, str]]:
    """(file, text) of the files that no format and no dialect among them reads.

    These are the files to write a dialect for; `begun` is one that is begun, and does not count.
    `problems` gets what is wrong with the files and dialects.
    """
    files = _files(list(paths), problems, [])
    dialects = [dialect for dialect in read_dialects(files, problems, []) if dialect.name != begun]
    texts = []
    for file in files:
        if file.endswith((".toml", ".csv")) or os.path.basename(file) in _NAMED:
            continue
        data = file_bytes(file, problems, [])
        if not data or b"\x00" in data[:HEAD_BYTES] or _is_hostname(file, data):
            continue
        if format_of(file, data, dialects) is None:
            texts.append((file, as_text(file, data)[0]))
    return texts


def read_dialects(
    files: Iterable[str],
    problems: list[Problem],
    reports: list[FileReport],
    digests: Digests = None,
) -> list[Dialect]:
    """The dialects among the files: TOML files that begin with `dialect =`. Bad ones become
    problems.
    """
    dialects: list[Dialect] = []
    for file in files:
        if not file.endswith(".toml"):
            continue
        data = file_bytes(file, problems, reports, digests)
        # A TOML file that is no dialect is somebody else's: it is reported with all other files.
        if data is None or not looks_like_dialect(data):
            continue
        report = FileReport(file, "a dialect", len(data))
        reports.append(report)
        try:
            dialect = compile_dialect(file, data)
        except BadDialect as bad:
            problems += [Problem(p.origin, p.says, p.cure, True) for p in bad.problems]
            report.remark = "not usable"
            continue
        except Exception as error:
            says = told(error, "in compiling the dialect")
            problems.append(Problem(Origin(file), says, "please report it", True))
            report.remark = "not usable"
            continue
        # Which of two with one name reads a file would depend on their order.
        same = next((known for known in dialects if known.name == dialect.name), None)
        if same is not None:
            says = f"a second dialect called {dialect.name!r}, beside {same.file}: not used"
            problems.append(Problem(Origin(file), says, "give it another name", True))
            report.remark = "not used"
            continue
        dialects.append(dialect)
    return dialects


def _files(paths: list[str], problems: list[Problem], reports: list[FileReport]) -> list[str]:
    files: dict[str, None] = {}

    def refused(error: OSError) -> None:
        problems.append(
            Problem(Origin(str(error.filename)), f"cannot be listed: {reason(error)}", "", True)
        )

    for path in paths:
        if not os.path.isdir(path):
            files[path] = None
            continue
        for folder, below, names in os.walk(path, onerror=refused):
            for name in list(below):
                inner = os.path.join(folder, name)
                # A folder that a link leads to may lie above: the walk would go round for ever.
                if name.startswith(".") or os.path.islink(inner):
                    below.remove(name)
                    remark = HIDDEN_FOLDER if name.startswith(".") else LINKED_FOLDER
                    reports.append(FileReport(inner, "", 0, remark=remark))
            for name in names:
                file = os.path.join(folder, name)
                if name.startswith("."):
                    reports.append(FileReport(file, "", 0, remark=HIDDEN_FILE))
                else:
                    files[file] = None
    return sorted(files)


class _Elsewhere:
    """The files that another process reads, if any."""

    def __init__(self, files: set[str], share: Share | None = None) -> None:
        self.files = files
        self._share = share

    def collect(self) -> dict[str, tuple[FileReport, Part]]:
        return self._share.collect() if self._share is not None else {}


def _elsewhere(
    files: list[str],
    dialects: list[Dialect],
    read: Callable[[str, bytes], tuple[FileReport, Part]],
    *,
    digests: bool,
) -> _Elsewhere:
    """Give a share of the files to another process, if there are many."""
    sizes = {}
    for file in files:
        try:
            sizes[file] = os.stat(file).st_size
        except OSError:
            sizes[file] = 0
    # JSON is read about as fast as what it gave could be handed over: it stays here.
    texts = [file for file in files if not file.endswith(".json")]
    # Few or small files are read before a process would have started.
    if not worth_it([sizes[file] for file in texts]):
        return _Elsewhere(set())
    # The other process also writes down what it found: it gets a little less.
    chosen = [file for number, file in enumerate(texts) if number % 9 in (1, 3, 5, 7)]
    platforms = [
        STANDARD,
        OPENCONFIG,
        WALK,
        LINUX,
        *(dialect.platform for dialect in dialects),
    ]

    def read_there(file: str) -> tuple[FileReport, Part] | None:
        own: Digests = {} if digests else None
        data = file_bytes(file, [], [], own)
        # Files that their names tell, and those that cannot be read, are the parent's to report.
        if data is None or os.path.basename(file) in (*_NAMED, "hostname"):
            return None
        report, part = read(file, data)
        report.digest = (own or {}).get(file, "")
        return report, part

    try:
        return _Elsewhere(
            set(chosen),
            read_share(chosen, read_there, {platform.name: platform for platform in platforms}),
        )
    except OSError:  # no process or no file to be had: then this one reads all
        return _Elsewhere(set())
