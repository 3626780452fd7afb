"""`inkov dialect learn`."""

from __future__ import annotations

import os
import sys
from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.dialect import other_source, say_foreign, undescribed
from inkov.cli.exits import FINDINGS
from inkov.cli.options import Configs, ForceOption, OutputOption
from inkov.cli.output import Output, keep
from inkov.cli.says import complain, fail, say_problems
from inkov.cli.session import check_paths

if TYPE_CHECKING:
    from inkov.campus import Device, Problem
    from inkov.learn import Begun, Lesson, Pair, Question


def learn(
    configs: Configs,
    source: Annotated[
        list[str] | None,
        typer.Option(
            "--from",
            metavar="OTHER",
            help="Another source of one or more of the same switches: a walk, an export, a sheet.",
            show_default=False,
        ),
    ] = None,
    complete: Annotated[
        str | None,
        typer.Option(
            "--complete",
            metavar="DIALECT",
            help="A dialect that is begun: all it says is kept, what it lacks is added; its"
            " examples are a source as well.",
            show_default=False,
        ),
    ] = None,
    asking: Annotated[
        bool,
        typer.Option("--ask", help="Ask, on the terminal, what the other source does not tell."),
    ] = False,
    output: OutputOption = None,
    force: ForceOption = False,
) -> None:
    """Derive a dialect from texts and another source of one or more of the same switches."""
    from inkov.learn import NothingLearnt
    from inkov.learn import learn as learnt_from

    check_paths([*configs, *(source or ()), *([complete] if complete else ())])
    begun = _begun(complete) if complete else None
    # Nothing that could tell what statements do.
    if not source and (begun is None or not begun.examples()):
        fail(
            "nothing to learn from: name another source of one of the switches with --from, or a"
            " dialect with examples with --complete"
        )
    keep(output, force=force)
    devices = [*other_source("--from", source).campus.devices.values()] if source else []
    own = begun.dialect.name if begun is not None else ""
    texts, pairs = _of_one_language(undescribed(configs, own), devices)
    # No text is of a switch that is known.
    if source and not pairs:
        there = ", ".join(sorted(device.name for device in devices))
        fail(f"none of the texts is of a switch of the other source, which has {there}")
    ask = _answered if asking and sys.stdin.isatty() else None
    try:
        lesson = learnt_from(pairs, texts, "my-switches", ask, begun)
    except NothingLearnt as nothing:
        cure = "is what it says under [text] so?" if begun else "begin with `inkov dialect new`"
        fail(f"no dialect comes of it: {nothing}; {cure}")
    Output(file=output).write(lesson.dialect)
    names = [pair.device.name for pair in pairs]
    # The examples of a dialect are evidence as well.
    if begun is not None and begun.examples():
        names.append("the examples")
    _tell(lesson, names)
    if lesson.questions:
        raise typer.Exit(FINDINGS)


def _of_one_language(
    undescribed_texts: list[tuple[str, str]], devices: list[Device]
) -> tuple[list[tuple[str, bytes]], list[Pair]]:
    """The texts of one language, and those of them that are of some switches, each with its switch.

    Words of two languages together would be a language that nobody has: where a switch is known,
    the texts that are not like the first such are left out, and this is said.
    """
    from inkov.learn import like_the_first, paired

    texts = [(file, text.encode()) for file, text in undescribed_texts]
    pairs = paired(texts, devices)
    if not pairs:
        return texts, pairs
    first = [(pairs[0].file, pairs[0].data.decode()), *undescribed_texts]
    foreign = {first[number][0] for number in like_the_first(first)[1]}
    say_foreign(sorted(foreign))
    return (
        [(file, text) for file, text in texts if file not in foreign],
        [pair for pair in pairs if pair.file not in foreign],
    )


def _tell(lesson: Lesson, names: list[str]) -> None:
    """How well the dialect reads what is known, of the switches of some names; and what is open."""
    from inkov.harmless import safe

    of = " and ".join([", ".join(names[:-1]), names[-1]] if names[1:] else names)
    complain(f"{lesson.agree} of {lesson.ports} ports of {safe(of)} are read as they are")
    for question in lesson.questions:
        complain(f"question: {safe(question)}")


def _begun(file: str) -> Begun:
    """A dialect that is to be completed. Ends if it is none, or not right."""
    from inkov.learn import begin
    from inkov.readers.dialects import BadDialect
    from inkov.readers.files import file_bytes

    # A folder is no file.
    if os.path.isdir(file):
        fail(f"--complete: {file} is a folder; name the dialect file itself")
    problems: list[Problem] = []
    data = file_bytes(file, problems, [])
    if data is None:
        say_problems(problems, None)
        fail(f"--complete: {file} was not read")
    try:
        return begin(file, data)
    except BadDialect as bad:
        say_problems(bad.problems, None)
        fail(f"--complete: {file} is no dialect that could be completed")


def _answered(question: Question) -> int | None:
    """Put a question on the terminal: a number answers it, an empty line leaves it open."""
    from inkov.harmless import safe

    complain(safe(question.says))
    for number, answer in enumerate(question.answers, 1):
        complain(f"  {number}  {safe(answer)}")
    while True:
        given = typer.prompt(
            "number, or nothing to leave it open", "", show_default=False, err=True
        )
        # Left open.
        if not given.strip():
            return None
        # One of the numbers, or asked again.
        if given.strip().isdecimal() and 1 <= int(given) <= len(question.answers):
            return int(given) - 1
        complain(f"one of the numbers from 1 to {len(question.answers)}")
