"""The campus that a command works on: read, wired and resolved, and what is intended."""

from __future__ import annotations

import os
from collections.abc import Iterable
from functools import partial
from typing import TYPE_CHECKING

import typer

from inkov.cli.exits import ALL_WELL, FINDINGS, UNUSABLE
from inkov.cli.says import complain, fail, nearest, say_problems, say_unmatched, show_progress
from inkov.cli.written import file_of

if TYPE_CHECKING:
    from inkov.campus import Campus, Problem
    from inkov.cli.options import AnyOptions
    from inkov.forwarding import Fabric
    from inkov.forwarding.trees.active import Now
    from inkov.plan import Plan
    from inkov.readers import Loaded, Locator
    from inkov.readers.again import Readings
    from inkov.vlanset import VlanSet

__all__ = [
    "Session",
    "check_paths",
    "no_rules",
    "not_there",
    "read_only",
    "spare",
    "start",
    "vlan_list",
]


class Session:
    """The campus that was read, resolved, and what was wrong with the input."""

    fabric: Fabric

    def __init__(self, loaded: Loaded, plan: Plan) -> None:
        self.loaded = loaded
        self.plan = plan
        self.now: Now | None = None

    @property
    def locator(self) -> Locator:
        return self.loaded.locator

    @property
    def lost(self) -> list[Problem]:
        """The files that could not be read, or are no configuration."""
        return [problem for problem in self.loaded.campus.problems if problem.lost]

    @property
    def status(self) -> int:
        """The exit status as far as the input decides it."""
        # What could not be read is worst.
        if self.lost:
            return UNUSABLE
        return FINDINGS if self.loaded.campus.problems else ALL_WELL

    def admit(self, faults: Iterable[str]) -> None:
        """Say what went wrong in Inkov itself: what it cost is not known to be well."""
        from inkov.campus import Origin, Problem

        new = [Problem(Origin(), fault, "please report it", True) for fault in faults]
        self.loaded.campus.problems += new
        for problem in new:
            complain(f"{problem.says} ({problem.cure})")

    def note(self, problem: Problem) -> None:
        """Take a problem with the input that a command found, and say it."""
        self.loaded.campus.problems.append(problem)
        say_problems([problem], self.loaded)

    def end(self, status: int = ALL_WELL) -> None:
        """Leave with the worse of `status` and the input's."""
        # The worse of both.
        worst = max(status, self.status)
        # All is well: no need to leave in any way.
        if worst:
            raise typer.Exit(worst)

    @property
    def digests(self) -> dict[str, str]:
        """The SHA-256 of each file that was read (with `start(..., digests=True)`), by its path
        from the folder that holds them all, so that it is the same wherever this lies.
        """
        read = {
            os.path.realpath(report.file): report.digest
            for report in self.loaded.reports
            if report.format
        }
        folder = os.path.commonpath([os.path.dirname(path) for path in read])
        names = ((os.path.relpath(path, folder).replace(os.sep, "/"), path) for path in read)
        return {name: read[path] for name, path in sorted(names)}

    @property
    def unread(self) -> list[str]:
        """The files that were not read, each as a sentence."""
        return [
            f"{report.file} was not read"
            for report in self.loaded.reports
            if not report.format and not report.aside
        ]

    def switch(self, name: str | None) -> str | None:
        """The switch that --switch names. Ends with the nearest names if there is none."""
        # Not there: perhaps misspelled.
        if name is not None and name not in self.fabric.campus.devices:
            fail(f"no switch {name!r} among the files{nearest(name, self.fabric.campus.devices)}")
        return name


def check_paths(paths: list[str]) -> None:
    """End with the nearest names if one of the paths is not there."""
    for path in paths:
        # Nothing is fetched.
        if "://" in path and not os.path.lexists(path):
            fail(f"{path} is an address, and no file: save what is there, and name the file")
        if not os.path.lexists(path):
            fail(f"{path}: no such file or folder{nearest(path, _siblings(path))}")


def start(
    options: AnyOptions, *, digests: bool = False, now: bool = False, tells: bool = False
) -> Session:
    """Read, wire and resolve; say on the error output what was wrong with the input.

    Every line of the input is accounted for: answers hang on what was not understood. That is said
    as well, but where the answer itself tells it (`tells`). `digests`: of the files as well. `now`:
    the fabric is what forwards now, in the first outcome of the spanning trees; it is said if there
    are others.
    """
    from inkov.forwarding import resolve
    from inkov.wiring import wire

    session = read_only(options, digests=digests)
    campus = session.loaded.campus
    # What is told may be otherwise.
    if not (tells or options.quiet):
        say_unmatched(campus, session.locator)
    session.fabric = resolve(campus, wire(campus))
    # Some commands look at what forwards now.
    if now:
        from inkov.forwarding.outsiders import taken_beside_trees
        from inkov.forwarding.trees.active import now as what_forwards

        session.now = what_forwards(session.fabric)
        session.fabric = session.now.first
        for doubt in session.now.doubts:
            complain(f"the spanning tree is not sure: {doubt}")
        if beside := taken_beside_trees(session.fabric):
            complain(f"what forwards now rests on: {beside}")
    return session


def read_only(
    options: AnyOptions,
    *,
    digests: bool = False,
    keep: bool = False,
    before: Readings | None = None,
    say: bool = True,
) -> Session:
    """The same without wiring and resolving: the session has no fabric. `keep` and `before` are for
    reading two states of a campus (`readers.load`); without `say`, what is wrong is said later.
    """
    load = partial(_load, options, digests=digests, keep=keep, before=before)
    loaded = load([])
    plan = _plan(loaded, options.plan)
    tables = _tables(plan, loaded)
    # A plan may name tables that lie elsewhere.
    if tables:  # that the plan names, and that are not among the files
        loaded = load(tables)
        plan = _plan(loaded, options.plan)
    _add_intended(loaded.campus, plan)
    spare(loaded, getattr(options, "output", None))
    # What is wrong is said once.
    if say and not options.quiet:
        say_problems(loaded.campus.problems, loaded)
    return Session(loaded, plan)


def spare(loaded: Loaded, output: str | None) -> None:
    """End where a file that was read would be written over."""
    if output is not None and os.path.exists(output):
        for report in loaded.reports:
            # The same file, whatever it is called.
            if os.path.exists(report.file) and os.path.samefile(report.file, output):
                fail(f"{output} is one of the files that are read; write to another one")


def _load(
    options: AnyOptions,
    more: list[str],
    *,
    digests: bool,
    keep: bool,
    before: Readings | None,
) -> Loaded:
    """Read the files. Ends with what to do about it, if there is nothing to read."""
    from inkov.readers.load import NothingToRead, load
    from inkov.readers.registry import UnknownFormat

    check_paths(options.configs)
    show_progress(quiet=options.quiet)
    try:
        return load(
            [*options.configs, *more],
            account=True,
            digests=digests,
            read_as=options.read_as or (),
            keep=keep,
            before=before,
        )
    except UnknownFormat as unknown:
        # With all that could stand there.
        known = ", ".join(unknown.known)
        fail(f"--as: {unknown}; it is one of: {known}{nearest(unknown.args[0], unknown.known)}")
    except NothingToRead as nothing:
        # With every file that was looked at, and why it was not read.
        if not options.quiet or not str(nothing):
            say_problems(nothing.problems, None)
        if not str(nothing):
            raise typer.Exit(UNUSABLE) from None
        fail(f"{nothing}; `inkov demo` writes an example of each format")


def _add_intended(campus: Campus, plan: Plan) -> None:
    """Add to a campus what the plan says of it: hosts and makes, and what is wrong with them."""
    from inkov.campus import Host, Problem
    from inkov.readers.platforms import shape

    hosts: dict[str, Host] = {}
    for host in (*campus.hosts, *plan.hosts):
        # The first of a name is used.
        if host.name in hosts:
            first = hosts[host.name].origin
            says = (
                f"host {host.name!r} is named twice, first at {first.file}:{first.line}; this one"
                " is not used"
            )
            campus.problems.append(Problem(host.origin, says, "give each host one name"))
        else:
            hosts[host.name] = host
    campus.hosts = list(hosts.values())
    for host in campus.hosts:
        device = campus.devices.get(host.device)
        # A port that is not there: said, or the host would be nowhere.
        if device is not None and host.port not in device.ports:
            near = nearest(host.port, device.ports)
            says = (
                f"host {host.name!r} is at port {host.port!r}, which {host.device} does not"
                f" have{near}"
            )
            campus.problems.append(Problem(host.origin, says, "correct the name of the port"))
    campus.problems += plan.problems
    campus.problems += shape(campus, plan.says.platforms)


def _plan(loaded: Loaded, named: str | None) -> Plan:
    """The plan that --plan names, or else the one found among the files."""
    from inkov.plan import Plan, read_plan
    from inkov.readers import FileReport

    # Named: read, whatever lies among the files.
    if named is not None:
        check_paths([named])
        digests: dict[str, str] = {}
        data = file_of(named, "plan", digests)
        loaded.reports.append(FileReport(named, "the plan", len(data), digest=digests[named]))
        return read_plan(named, data)
    # Which of them is meant?
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


def no_rules(plan: Plan) -> list[str]:
    """The acceptances of a plan that name no rule, each as a sentence with its place and the
    nearest names: what was meant is not accepted.
    """
    from inkov.checks import CATALOGUE

    return [
        f"{acceptance.origin.file}:{acceptance.origin.line}: the plan accepts {acceptance.rule!r},"
        f" which is no rule{nearest(acceptance.rule, CATALOGUE)}"
        for acceptance in plan.says.accepted
        if acceptance.rule not in CATALOGUE
    ]


def not_there(session: Session) -> list[str]:
    """The switches that a plan names and no file describes, each as a sentence with its place and
    the nearest names. They may be there one day.
    """
    from inkov.plan import placed

    known = session.fabric.campus.devices
    nowhere = [
        f"{vlan.origin.file}:{vlan.origin.line}: {says} (`on` of VLAN {vid})"
        for vid, vlan in session.plan.says.vlans.items()
        for says in placed(vlan.on or (), known).unknown
    ]
    return nowhere + [
        f"{origin.file}:{origin.line}: the plan names a switch {name!r} that is not among the files"
        f"{nearest(name, known)}"
        for name, origin in session.plan.switches
        if name not in known
    ]


def _siblings(path: str) -> list[str]:
    folder = os.path.dirname(path)
    try:
        return [os.path.join(folder, name) for name in sorted(os.listdir(folder or "."))]
    except OSError:
        return []


def vlan_list(text: str | None) -> VlanSet | None:
    """The VLANs that --vlan names."""
    from inkov.vlanset import VlanListError, VlanSet

    if text is None:
        return None
    try:
        return VlanSet.parse(text)
    except VlanListError as error:
        fail(f"--vlan: {error}")
