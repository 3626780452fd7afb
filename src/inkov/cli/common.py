"""The options all commands share, reading the campus, and writing what comes out."""

from __future__ import annotations

import os
import sys
import tempfile
from collections.abc import Callable, Iterable
from enum import StrEnum
from typing import TYPE_CHECKING, Annotated, Any, NoReturn

import typer

from inkov.cli.exits import ALL_WELL, FINDINGS, UNUSABLE
from inkov.levels import Level

if TYPE_CHECKING:
    from inkov.forwarding import Fabric
    from inkov.plan import Plan
    from inkov.readers import Loaded
    from inkov.render.grid import Grid
    from inkov.render.terminal import Screen
    from inkov.vlanset import VlanSet


class Format(StrEnum):
    TABLE = "table"
    JSON = "json"
    CSV = "csv"
    MARKDOWN = "markdown"


class Report(StrEnum):
    """How findings and verdicts are written."""

    TABLE = "table"
    JSON = "json"
    CSV = "csv"
    MARKDOWN = "markdown"
    SARIF = "sarif"
    JUNIT = "junit"


ReportOption = Annotated[Report, typer.Option("--format", "-f", help="What to write.")]
LevelOption = Annotated[
    Level, typer.Option("--level", "-l", help="What hosts may send: their own VLANs, or anything.")
]
BecauseOption = Annotated[
    str | None,
    typer.Option(
        "--because", metavar="SWITCH:PORT", help="Why a port does what it does, stage by stage."
    ),
]
Configs = Annotated[
    list[str],
    typer.Argument(
        metavar="CONFIGS...",
        help="Files or folders of configurations and tables.",
        show_default=False,
    ),
]
FormatOption = Annotated[Format, typer.Option("--format", "-f", help="What to write.")]
OutputOption = Annotated[
    str | None,
    typer.Option("--output", "-o", metavar="FILE", help="Write to FILE instead of the screen."),
]
SwitchOption = Annotated[
    str | None, typer.Option("--switch", "-s", metavar="NAME", help="Only this switch.")
]
VlanOption = Annotated[
    str | None,
    typer.Option(
        "--vlan", "-v", metavar="LIST", help="Only these VLANs, as in 10,20-30 or 'all but 1'."
    ),
]
PlanOption = Annotated[
    str | None,
    typer.Option("--plan", "-p", metavar="FILE", help="The plan; else plan.yaml among the files."),
]
AsOption = Annotated[
    list[str] | None,
    typer.Option(
        "--as",
        metavar="FORMAT[=PATTERN]",
        help="Read files (whose names fit) as this format or dialect.",
    ),
]
QuietOption = Annotated[
    bool, typer.Option("--quiet", "-q", help="Say nothing about the input on the error output.")
]
ColourOption = Annotated[bool, typer.Option("--no-colour", help="No colour, even on a terminal.")]


class Output:
    """How a command's result is written: format, file and colour. Made from its options."""

    def __init__(self, form: Any, output: str | None, no_colour: bool) -> None:
        self.format = form
        self.output = output
        self._plain = no_colour or "NO_COLOR" in os.environ

    @property
    def screen(self) -> Screen:
        from inkov.render.terminal import Screen

        if self.output is not None or not sys.stdout.isatty():
            return Screen(None, colour=False)
        return Screen(os.get_terminal_size(sys.stdout.fileno()).columns, colour=not self._plain)

    def listing(self, key: str, rows: Any, grid: Callable[[], Grid], loaded: Loaded) -> None:
        """Write rows as JSON under `key`, or as the grid in the format asked for."""
        from inkov.render.text import plain

        self.result({key: plain(rows, loaded.locator)} if self.format == Format.JSON else {}, grid)

    def result(self, value: dict[str, Any], grid: Callable[[], Grid]) -> None:
        """Write plain values as JSON, or the grid in the format asked for."""
        from inkov.render.grid import to_csv, to_markdown
        from inkov.render.text import to_json

        if self.format == Format.JSON:
            self.write(to_json(value))
        elif self.format == Format.CSV:
            self.write(to_csv(grid()))
        elif self.format == Format.MARKDOWN:
            self.write(to_markdown(grid()))
        else:
            from inkov.render.terminal import grid_text

            self.write(grid_text(grid(), self.screen))

    def write(self, text: str) -> None:
        """Write to the screen, or to the output file."""
        if self.output is None:
            _to_stdout(text)
            return
        write_file(self.output, text)


def write_file(path: str, text: str) -> None:
    """Write beside the file and rename: nobody finds half of it. Ends with one line if it cannot be
    written.
    """
    try:
        handle, beside = tempfile.mkstemp(
            dir=os.path.dirname(os.path.abspath(path)), prefix=".inkov-"
        )
        try:
            with os.fdopen(handle, "w", encoding="utf-8", newline="") as file:
                file.write(text)
            os.chmod(beside, 0o666 & ~_umask())
            os.replace(beside, path)
        except BaseException:
            os.unlink(beside)
            raise
    except OSError as error:
        fail(f"cannot write {path}: {(error.strerror or str(error)).lower()}")


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


_ASCII = str.maketrans({"≠": "!=", "·": ".", "─": "-", "↔": "<->", "→": "->", "←": "<-", "×": "x"})
"""For terminals without Unicode."""


def _to_stdout(text: str) -> None:
    encoding = sys.stdout.encoding or "ascii"
    if not encoding.lower().replace("-", "").startswith("utf"):
        text = text.translate(_ASCII).encode(encoding, "replace").decode(encoding)
    sys.stdout.write(text)
    sys.stdout.flush()


def fail(says: str, status: int = UNUSABLE) -> NoReturn:
    """End with one line on the error output."""
    sys.stderr.write(f"inkov: {says}\n")
    raise typer.Exit(status)


class Session:
    """The campus that was read, resolved, and what was wrong with the input."""

    def __init__(self, loaded: Loaded, fabric: Fabric, plan: Plan) -> None:
        self.loaded = loaded
        self.fabric = fabric
        self.plan = plan

    @property
    def status(self) -> int:
        """The exit status as far as the input decides it."""
        problems = self.loaded.campus.problems
        if any(problem.lost for problem in problems):
            return UNUSABLE
        return FINDINGS if problems else ALL_WELL

    def end(self, status: int = ALL_WELL) -> None:
        """Leave with the worse of `status` and the input's."""
        worst = max(status, self.status)
        if worst:
            raise typer.Exit(worst)

    @property
    def digests(self) -> dict[str, str]:
        """The SHA-256 of each file that was read, by its path."""
        from hashlib import sha256

        found = {}
        for report in self.loaded.reports:
            if report.format:
                with open(report.file, "rb") as file:
                    found[report.file.replace("\\", "/")] = sha256(file.read()).hexdigest()
        return found

    @property
    def unread(self) -> list[str]:
        """The files that were not read, each as a sentence."""
        return [
            f"{report.file} was not read" for report in self.loaded.reports if not report.format
        ]

    def switch(self, name: str | None) -> str | None:
        """The switch that --switch names. Ends with the nearest names if there is none."""
        if name is not None and name not in self.fabric.campus.devices:
            fail(f"no switch {name!r} among the files{nearest(name, self.fabric.campus.devices)}")
        return name


def check_paths(paths: list[str]) -> None:
    """End with the nearest names if one of the paths is not there."""
    for path in paths:
        if not os.path.lexists(path):
            fail(f"{path}: no such file or folder{nearest(path, _siblings(path))}")


def start(
    configs: list[str],
    quiet: bool,
    plan: str | None = None,
    *,
    read_as: list[str] | None = None,
    account: bool = False,
) -> Session:
    """Read, wire and resolve; say on the error output what was wrong with the input."""
    from inkov.campus import Host, Problem
    from inkov.forwarding import resolve
    from inkov.readers.load import NothingToRead, load
    from inkov.readers.platforms import shape
    from inkov.readers.registry import UnknownFormat
    from inkov.wiring import wire

    check_paths(configs)
    try:
        loaded = load(configs, account=account, read_as=read_as or (), progress=_progress(quiet))
    except UnknownFormat as unknown:
        fail(
            f"--as: {unknown}; it is one of:"
            f" {', '.join(unknown.known)}{nearest(unknown.args[0], unknown.known)}"
        )
    except NothingToRead as nothing:
        if not quiet:
            say_problems(nothing.problems, None)
        fail(f"{nothing}; `inkov demo` writes an example of each format")
    intended = _plan(loaded, plan)
    tables = _tables(intended, loaded)
    if tables:  # that the plan names, and that are not among the files
        loaded = load(
            [*configs, *tables], account=account, read_as=read_as or (), progress=_progress(quiet)
        )
        intended = _plan(loaded, plan)
    hosts: dict[str, Host] = {}
    for host in (*loaded.campus.hosts, *intended.hosts):
        if host.name in hosts:
            first = hosts[host.name].origin
            says = (
                f"host {host.name!r} is named twice, first at {first.file}:{first.line}; this one"
                " is not used"
            )
            loaded.campus.problems.append(Problem(host.origin, says, "give each host one name"))
        else:
            hosts[host.name] = host
    loaded.campus.hosts = list(hosts.values())
    loaded.campus.problems += intended.problems
    loaded.campus.problems += shape(loaded.campus, intended.says.platforms)
    for name, origin in intended.switches:
        if name not in loaded.campus.devices:
            says = (
                f"the plan names a switch {name!r} that is not among the"
                f" files{nearest(name, loaded.campus.devices)}"
            )
            loaded.campus.problems.append(Problem(origin, says))
    if not quiet:
        say_problems(loaded.campus.problems, loaded)
    return Session(loaded, resolve(loaded.campus, wire(loaded.campus)), intended)


def _plan(loaded: Loaded, named: str | None) -> Plan:
    """The plan that --plan names, or else the one found among the files."""
    from inkov.plan import Plan, read_plan
    from inkov.readers import FileReport

    if named is not None:
        try:
            with open(named, "rb") as file:
                data = file.read()
            loaded.reports.append(FileReport(named, "the plan", len(data)))
            return read_plan(named, data)
        except OSError as error:
            fail(f"cannot read the plan {named}: {(error.strerror or str(error)).lower()}")
    if len(loaded.plans) > 1:
        fail(
            f"several plans among the files: {', '.join(sorted(loaded.plans))}; name one with"
            " --plan"
        )
    for path, data in loaded.plans.items():
        return read_plan(path, data)
    return Plan()


def _tables(plan: Plan, loaded: Loaded) -> list[str]:
    """The tables that a plan names and that are not read yet: their paths, which the plan states
    from where it is.
    """
    read = {os.path.realpath(report.file) for report in loaded.reports}
    folder = os.path.dirname(plan.says.origin.file)
    paths = [os.path.join(folder, name) for name in (*plan.says.ports, *plan.says.links)]
    check_paths(paths)
    return [path for path in paths if os.path.realpath(path) not in read]


def _siblings(path: str) -> list[str]:
    folder = os.path.dirname(path)
    try:
        return [os.path.join(folder, name) for name in sorted(os.listdir(folder or "."))]
    except OSError:
        return []


_MOST_TOLD = 20  # problems of one file: who has more has another problem


def say_problems(problems: Iterable[Any], loaded: Loaded | None) -> None:
    """One message for each problem, on the error output: place, what is wrong, cure."""
    from inkov.readers import Locator
    from inkov.render.text import place, safe

    locator = loaded.locator if loaded else Locator({})
    told: dict[str, int] = {}
    for problem in problems:
        told[problem.origin.file] = told.get(problem.origin.file, 0) + 1
        if told[problem.origin.file] > _MOST_TOLD:
            continue
        where = place(problem.origin, locator)
        says = "\n".join(safe(line) for line in problem.says.split("\n"))
        cure = f" ({safe(problem.cure)})" if problem.cure else ""
        first, line_end, rest = says.partition("\n")
        sys.stderr.write(f"inkov: {where}: {first}{cure}{line_end}{rest}\n")
    for file, count in told.items():
        if count > _MOST_TOLD:
            more = f"{count - _MOST_TOLD} more problems like these"
            sys.stderr.write(f"inkov: {safe(file)}: {more} (`inkov read -f json` has all)\n")


def _progress(quiet: bool) -> Callable[[int, int], None] | None:
    if quiet or not sys.stderr.isatty():
        return None

    def show(done: int, total: int) -> None:
        if total >= 100 and done % 25 == 0:
            sys.stderr.write(f"\rreading {done} of {total} files")
        if total >= 100 and done == total - 1:
            sys.stderr.write("\r\x1b[K")

    return show


def nearest(name: str, known: Iterable[str]) -> str:
    """`; did you mean ...?` with the nearest known names, or nothing."""
    from difflib import get_close_matches

    close = get_close_matches(name, list(known), n=3, cutoff=0.5)
    return f"; did you mean {' or '.join(close)}?" if close else ""


def vlan_list(text: str | None) -> VlanSet | None:
    """The VLANs that --vlan names."""
    from inkov.vlanset import VlanListError, VlanSet

    if text is None:
        return None
    try:
        return VlanSet.parse(text)
    except VlanListError as error:
        fail(f"--vlan: {error}")
