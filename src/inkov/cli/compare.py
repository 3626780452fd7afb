from __future__ import annotations

import os
from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.audit import FailOn
from inkov.cli.exits import ALL_WELL, FINDINGS, UNUSABLE
from inkov.cli.options import CompareOptions, PlannedOptions, shared
from inkov.cli.says import complain, fail, nearest, say_problems
from inkov.cli.session import Session, check_paths, read_only, spare
from inkov.cli.sides import reading
from inkov.cli.written import file_of
from inkov.levels import Level

if TYPE_CHECKING:
    from inkov.campus import Problem
    from inkov.plan.change import Change

MeantOption = Annotated[
    str | None,
    typer.Option("--meant", metavar="FILE", help="What the change is to do; else change.yaml."),
]


@shared
def compare(
    options: CompareOptions,
    only: Annotated[
        list[str] | None,
        typer.Option(
            "--only", metavar="WHAT", help="Refuse edits of other switches, or other VLANs."
        ),
    ] = None,
    meant: MeantOption = None,
    gain: Annotated[
        list[str] | None,
        typer.Option("--gain", metavar="'A <-> B'", help="Reach that may be gained."),
    ] = None,
    lose: Annotated[
        list[str] | None,
        typer.Option("--lose", metavar="'A <-> B'", help="Reach that may be lost."),
    ] = None,
    gone: Annotated[
        list[str] | None,
        typer.Option("--gone", metavar="SWITCH", help="A switch that was taken away."),
    ] = None,
    level: Annotated[
        Level | None,
        typer.Option("--level", "-l", help="Only what honest, or hostile, hosts do; else both."),
    ] = None,
    fail_on: Annotated[
        FailOn, typer.Option("--fail-on", help="Refuse new findings from this severity on.")
    ] = FailOn.RISK,
) -> None:
    """What a change does: edits, who reaches whom, findings. Refuses what nobody meant."""
    from datetime import date

    from inkov.checks import Severity
    from inkov.effects import Options
    from inkov.effects import compare as run
    from inkov.render.changes import comparison_result

    old, new = _sides(options)
    # No output file may overwrite what is read.
    for side in (old, new):
        spare(side.loaded, options.output)
    change, problems = _meant(meant, old, new, only, gain, lose, gone)
    for problem in problems:
        complain(f"{problem.origin.file}:{problem.origin.line}: {problem.says}")
    # A change file that is not understood permits nothing.
    if problems:
        raise typer.Exit(UNUSABLE)
    _have_something_in_common(options, old, new)
    result = run(
        (old.loaded.campus, old.plan),
        (new.loaded.campus, new.plan),
        Options(
            levels=(Level.HONEST, Level.HOSTILE) if level is None else (level,),
            fail_on=None if fail_on is FailOn.NEVER else Severity(fail_on),
            meant=change,
            unchanged=_unchanged(old, new),
            today=date.today(),
        ),
    )
    new.admit(result.faults)
    # A name that means nobody would permit nothing, in silence.
    for name in result.nobody:
        known = [*result.vlan_names.values(), *new.loaded.campus.devices]
        complain(f"nobody is called {name!r}: nothing is permitted by it{nearest(name, known)}")
    lost = [*old.lost, *new.lost]
    locator = old.locator.beside(new.locator)
    names = options.old, options.new
    options.out.show(comparison_result(result, locator, names, lost))
    # What was not read cannot be compared.
    if lost or any(refusal.unread for refusal in result.refusals):
        raise typer.Exit(UNUSABLE)
    raise typer.Exit(FINDINGS if result.refused else ALL_WELL)


# --- the two sides --------------------------------------------------------------------------------


def _sides(options: CompareOptions) -> tuple[Session, Session]:
    """Read both sides. Ends with one line where there is nothing to compare."""
    from inkov.readers.revision import BadRevision, commit_of, parse

    try:
        revisions = [parse(text) for text in (options.old, options.new)]
        paths = [
            "" if revision is not None else text
            for revision, text in zip(revisions, (options.old, options.new), strict=True)
        ]
        check_paths([path for path in paths if path])
        # The same folder twice: a slip.
        if all(paths) and os.path.exists(paths[0]) and os.path.samefile(*paths):
            fail(f"{options.old} and {options.new} are the same: name what was before, and after")
        # Or the same commit.
        if revisions[0] is not None and revisions[1] is not None:
            same = revisions[0].path == revisions[1].path
            if same and commit_of(revisions[0]) == commit_of(revisions[1]):
                fail(f"{options.old} and {options.new} are the same revision")
        within = [
            revision.path if revision is not None else path
            for revision, path in zip(revisions, paths, strict=True)
        ]
        # The new side comes first: the places that are the same in both are named by its files.
        with reading(options.new, within[0]) as configs:
            new = read_only(_of_side(options, configs), keep=True, say=False)
        with reading(options.old, within[1]) as configs:
            old = read_only(_of_side(options, configs), before=new.loaded.readings)
        # Problems of the new side are said, not both times.
        if not options.quiet:
            say_problems(new.loaded.campus.problems, new.loaded)
        new.loaded.readings = None
        return old, new
    except BadRevision as bad:
        fail(str(bad))


def _of_side(options: CompareOptions, configs: list[str]) -> PlannedOptions:
    return PlannedOptions(
        configs=configs,
        plan=os.path.abspath(options.plan) if options.plan is not None else None,
        read_as=options.read_as,
        quiet=options.quiet,
    )


def _unchanged(old: Session, new: Session) -> frozenset[str]:
    """The switches that one file describes, the same on both sides byte for byte. None, where the
    plans differ: they name makes.
    """
    # A make that the plan names may mean something else.
    if old.plan.says.platforms or new.plan.says.platforms:
        return frozenset()
    return old.loaded.taken_over


def _have_something_in_common(options: CompareOptions, old: Session, new: Session) -> None:
    from inkov.edits import renames

    campuses = old.loaded.campus, new.loaded.campus
    # Nothing in common: two different campuses.
    if not campuses[0].devices.keys() & campuses[1].devices.keys() and not renames(*campuses):
        fail(f"{options.old} and {options.new} have no switch in common: nothing to compare")


# --- what was meant -------------------------------------------------------------------------------


def _meant(
    named: str | None,
    old: Session,
    new: Session,
    only: list[str] | None,
    gain: list[str] | None,
    lose: list[str] | None,
    gone: list[str] | None,
) -> tuple[Change | None, list[Problem]]:
    """What the change is to do: by the file and the options together; None if nobody said it."""
    from msgspec.structs import replace

    from inkov.plan.change import Change, Only, permitted, read_change
    from inkov.vlanset import VlanListError, VlanSet

    problems: list[Problem] = []
    change = None
    change_file = _change_file(named, old, new)
    # What a file says, and the options besides.
    if change_file is not None:
        change = read_change(*change_file, problems)
    for option, texts in (("--gain", gain), ("--lose", lose)):
        for text in texts or ():
            # Each option is checked before anything is read into it.
            if permitted(text) is None:
                fail(f"{option}: {text!r} is not like 'A <-> B' or 'A -> B'")
    # Any option makes it a change that was announced.
    if any((only, gain, lose, gone)):
        change = change or Change()
        vlans, switches = VlanSet(), []
        for text in only or ():
            # A number is a VLAN, anything else a switch.
            if text[:1].isdigit():
                try:
                    vlans = vlans | VlanSet.parse(text)
                    continue
                except VlanListError:
                    pass
            switches.append(text)
        change = replace(
            change,
            only=Only(vlans or None, switches) if only else change.only,
            gain=[*change.gain, *(gain or ())],
            lose=[*change.lose, *(lose or ())],
            gone=[*change.gone, *(gone or ())],
        )
    return change, problems


def _change_file(named: str | None, old: Session, new: Session) -> tuple[str, bytes] | None:
    """The file that --meant names, or else the one among the files after the change; not one that
    was there before: it is about an earlier change.
    """
    # Named: that one, and no other.
    if named is not None:
        check_paths([named])
        return named, file_of(named, "change file")
    files = new.loaded.changes
    # Which of them is meant?
    if len(files) > 1:
        fail(f"several change files: {', '.join(sorted(files))}; name one with --meant")
    for file, data in files.items():
        # An old one is about another change.
        if data in old.loaded.changes.values():
            complain(f"{file} was there before the change, and is not about it: not used")
            return None
        return file, data
    return None
