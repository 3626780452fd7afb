from __future__ import annotations

import os

# Nothing but the dialect was named.
from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.exits import ALL_WELL, FINDINGS, UNUSABLE
from inkov.cli.options import (
    ColourOption,
    Configs,
    ForceOption,
    Format,
    FormatOption,
    OutputOption,
)
from inkov.cli.output import Output, keep
from inkov.cli.says import complain, fail, say, say_problems
from inkov.cli.session import check_paths

if TYPE_CHECKING:
    from inkov.campus import Campus, Problem
    from inkov.readers import FileReport, Loaded
    from inkov.readers.dialects import Dialect
    from inkov.readers.dialects.sanity import Doubt
    from inkov.survey.evidence import Evidence

Files = Annotated[
    list[str],
    typer.Argument(
        metavar="DIALECT... [TEXTS...]",
        help="Dialect files, and texts that they read (files or folders).",
        show_default=False,
    ),
]


def new(configs: Configs, output: OutputOption = None, force: ForceOption = False) -> None:
    """Start a dialect from configurations: what can be guessed is, each other statement is a form
    to fill in.
    """
    from inkov.learn import largest, sketched

    check_paths(configs)
    keep(output, force=force)
    texts = undescribed(configs)
    same, foreign = largest(texts)
    Output(file=output).write(sketched([texts[n] for n in same], "my-switches"))
    say_foreign([texts[n][0] for n in foreign])


def say_foreign(files: list[str]) -> None:
    """Say which texts seem to be in another language, and were left out."""
    if files:
        from inkov.harmless import safe

        shown = ", ".join(files[:3]) + (f" and {len(files) - 3} more" if len(files) > 3 else "")
        complain(
            f"left out, in another language as it seems: {safe(shown)}; name these by themselves"
        )


def undescribed(configs: list[str], begun: str = "") -> list[tuple[str, str]]:
    """The texts that no format and no dialect but `begun` reads, each with its file. Ends if there
    is none.
    """
    from inkov.readers.load import unread_texts

    problems: list[Problem] = []
    texts = unread_texts(configs, problems, begun)
    say_problems(problems, None)
    # Every file is read already.
    if not texts:
        fail(
            f"no text to describe in {', '.join(configs)}: every file there is read already, or is"
            " no text; name configurations that `inkov read` does not recognise"
        )
    return texts


def check(
    files: Files,
    against: Annotated[
        list[str] | None,
        typer.Option(
            "--against",
            metavar="OTHER",
            help="Hold the texts against another source of the same switches: a walk, an export, a"
            " sheet, a port plan.",
        ),
    ] = None,
    form: FormatOption = Format.TABLE,
    output: OutputOption = None,
    no_colour: ColourOption = False,
) -> None:
    """Check dialects: their forms and effects, the examples in them, what can be written, and how
    they read texts.
    """
    check_paths([*files, *(against or ())])
    dialects, texts = _sorted_out(files)
    out = Output(form, output, no_colour=no_colour)
    # Only texts can be held against anything.
    if not texts:
        needs_texts = {"--against": against, "--output": output, "--format": form != Format.TABLE}
        for option, given in needs_texts.items():
            if given:
                fail(f"{option} needs texts: name them behind the dialect")
    compiled = [_compiled(file, data) for file, data in dialects]
    worst = max(
        UNUSABLE if dialect is None else _examples(file, dialect, quiet=form != Format.TABLE)
        for (file, _), dialect in zip(dialects, compiled, strict=True)
    )
    # What cannot be compiled cannot read.
    if texts and worst != UNUSABLE:
        worst = max(worst, _read_by([d for d in compiled if d], [*files], texts, against, out))
    if worst:
        raise typer.Exit(worst)


def _sorted_out(files: list[str]) -> tuple[list[tuple[str, bytes]], list[str]]:
    """The dialects among some files, with their bytes, and all others: the texts."""
    from inkov.readers.dialects import looks_like_dialect
    from inkov.readers.files import file_bytes

    dialects: list[tuple[str, bytes]] = []
    texts: list[str] = []
    for file in files:
        # A folder is no dialect.
        problems: list[Problem] = []
        data = None if os.path.isdir(file) else file_bytes(file, problems, [])
        # What cannot be opened was not checked.
        if problems:
            say_problems(problems, None)
            fail(f"{file} was not checked")
        # By its name, or by what is in it.
        if data is not None and (file.endswith(".toml") or looks_like_dialect(data)):
            dialects.append((file, data))
        else:
            texts.append(file)
    # Without a dialect there is nothing to check.
    if not dialects:
        inside = os.path.join(files[0], "NAME.toml") if os.path.isdir(files[0]) else "NAME.toml"
        fail(f"no dialect among them: name the dialect file itself, as in {inside}")
    return dialects, texts


def _compiled(file: str, data: bytes) -> Dialect | None:
    """A dialect, ready to read; None, and what is wrong with it on the error output, if not."""
    from inkov.readers.dialects import BadDialect, compile_dialect

    try:
        return compile_dialect(file, data)
    except BadDialect as bad:
        say_problems(bad.problems, None)
        return None


def _examples(file: str, dialect: Dialect, *, quiet: bool) -> int:
    """Run the examples of a dialect, and say how it went: the status that this is worth."""
    from inkov.harmless import safe
    from inkov.readers.dialects.examples import run_examples

    tell = complain if quiet else say
    ran = run_examples(dialect)
    failed = [example for example in ran if example.faults]
    for example in failed:
        tell(f"{file}: example {example.number} (- wanted, + read):")
        for fault in example.faults:
            tell(f"  {safe(fault)}")
    held = (
        f"{len(ran) - len(failed)} of {len(ran)} examples hold"
        if ran
        else "no examples: write one, it is the proof"
    )
    if failed or not quiet:
        tell(f"{file}: dialect {safe(dialect.name)}: {dialect.forms} forms; {held}")
    # Only what holds is tried in writing.
    if ran and not failed and not quiet:
        _tell_writings(dialect)
    return FINDINGS if failed else ALL_WELL


def _tell_writings(dialect: Dialect) -> None:
    """Say what `inkov mend` could write into texts of a dialect, tried on its examples."""
    from inkov.harmless import safe
    from inkov.readers.dialects.writing import writings

    tried = writings(dialect)
    done = ", ".join(written.what for written in tried if written.done)
    say(f"  can be written, and is read back as meant: {done or 'nothing'}")
    for written in tried:
        # What cannot be written is said with its reason.
        if not written.done:
            say(f"  cannot be written: {written.what} ({safe(written.says)})")


def _read_by(
    dialects: list[Dialect],
    files: list[str],
    texts: list[str],
    against: list[str] | None,
    out: Output,
) -> int:
    """Read texts by dialects, and show what is doubtful about it, and what another source says
    otherwise: the status that this is worth.
    """
    from inkov.readers.dialects.sanity import doubts
    from inkov.readers.files import file_bytes
    from inkov.readers.load import NothingToRead, load
    from inkov.render.evidence import evidence_result

    try:
        loaded = load(files, account=True)
    except NothingToRead as nothing:
        say_problems(nothing.problems, None)
        fail(str(nothing) or "nothing was read")
    say_problems(loaded.campus.problems, loaded)
    read: dict[str, list[tuple[str, bytes]]] = {dialect.name: [] for dialect in dialects}
    for report in loaded.reports:
        name = report.format.removeprefix("dialect ")
        data = file_bytes(report.file, [], []) if name in read else None
        # Read again, as bytes, for the doubts.
        if data is not None:
            read[name].append((report.file, data))
    # No file is claimed: the dialect may recognise none.
    if not any(read.values()):
        names = ", ".join(texts)
        fail(f"none of the dialects reads a file of {names}: what does `recognise` ask for?")
    doubtful: list[Doubt] = [
        doubt for d in dialects if read[d.name] for doubt in doubts(d, read[d.name])
    ]
    held, locator = None, loaded.locator
    # Another source says whether it was read right.
    if against:
        source = other_source("--against", against)
        held = _held_against(dialects, read, loaded.campus, source.campus)
        locator = locator.beside(source.locator)
    files_read = {file for own in read.values() for file, _ in own}
    reports = [report for report in loaded.reports if report.file in files_read]
    out.show(evidence_result(reports, doubtful, held, locator))
    lost = any(problem.lost for problem in loaded.campus.problems)
    unsure = any(not doubt.mild for doubt in doubtful) or loaded.campus.unmatched
    # What differs from another source is not sure.
    if held is not None and held.against:
        unsure = True
    return UNUSABLE if lost else FINDINGS if unsure else ALL_WELL


def other_source(option: str, against: list[str]) -> Loaded:
    """What else tells of the switches; a port plan alone will do."""
    from inkov.readers import Locator
    from inkov.readers.load import Loaded, NothingToRead, load

    try:
        loaded = load(against)
    except NothingToRead as nothing:
        # A port plan alone is a source.
        if not nothing.campus.planned:
            say_problems(nothing.problems, None)
            fail(f"{option}: {str(nothing) or 'nothing was read'}")
        return Loaded(nothing.campus, [], Locator({}))
    say_problems(loaded.campus.problems, loaded)
    return loaded


def _held_against(
    dialects: list[Dialect],
    read: dict[str, list[tuple[str, bytes]]],
    campus: Campus,
    against: Campus,
) -> Evidence:
    """What texts were read as, held against another source."""
    from inkov.readers.dialects.trace import traced
    from inkov.survey.evidence import evidence, planned_devices

    # A folder may hold the texts themselves beside another source: what agrees with itself proves
    # nothing.
    own = {os.path.realpath(file) for files in read.values() for file, _ in files}
    others = [
        device
        for device in (*against.devices.values(), *against.others)
        if os.path.realpath(device.origin.file) not in own
    ]
    others += [
        device for device in planned_devices(against.planned) if device.name not in against.devices
    ]
    forms: dict[str, dict[int, list[str]]] = {}
    for dialect in dialects:
        for file, data in read[dialect.name]:
            forms[file] = {line.number: line.forms for line in traced(dialect, file, data)}
    devices = [device for device in campus.devices.values() if device.origin.file in forms]
    held = evidence(devices, others, lambda at: forms.get(at.file, {}).get(at.line, []))
    # It would agree with itself.
    if not others:
        fail("--against: the other source is the texts themselves")
    # Of other switches: nothing to compare.
    if not held.switches:
        there = ", ".join(sorted(device.name for device in others))
        fail(f"--against: the texts are of {', '.join(held.missing)}, the other source of {there}")
    return held


def unmatched(
    configs: Configs,
    form: FormatOption = Format.TABLE,
    output: OutputOption = None,
    no_colour: ColourOption = False,
) -> None:
    """Lines that no form takes, grouped by shape, most frequent first: what to write next."""
    from inkov.campus import Origin
    from inkov.readers.dialects.shapes import group
    from inkov.readers.load import NothingToRead, load, unread_texts
    from inkov.readers.locate import Locator
    from inkov.render.listings import shapes_grid
    from inkov.render.results import listing

    check_paths(configs)
    lines: list[tuple[Origin, str]] = []
    reports: list[FileReport] = []
    locator = Locator({})
    try:
        loaded = load(configs, account=True)
        locator = loaded.locator
        reports = [report for report in loaded.reports if report.format.startswith("dialect ")]
        lines += [(line.origin, line.text) for report in reports for line in report.unmatched]
    except NothingToRead:
        pass
    problems: list[Problem] = []
    texts = unread_texts(configs, problems)
    say_problems(problems, None)
    # No dialect reads anything here, and nothing waits for one.
    if not lines and not texts and not reports:
        fail(
            "no text here that a dialect reads, or that needs one: name configurations in a command"
            " language"
        )
    for file, text in texts:
        lines += [
            (Origin(file, number), line)
            for number, line in enumerate(text.split("\n"), 1)
            if line.strip()
        ]
    groups = group(lines)
    rows = [
        {"count": g.count, "shape": g.shape, "example": g.example, "origin": g.origin}
        for g in groups
    ]
    result = listing("unmatched", rows, lambda: shapes_grid(groups, locator), locator)
    Output(form, output, no_colour=no_colour).show(result)
    # Problems are graver than lines without a form.
    if problems or groups:
        raise typer.Exit(UNUSABLE if problems else FINDINGS)
