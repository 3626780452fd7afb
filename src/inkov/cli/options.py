"""The options of commands, each stated once.

Most commands share the same options. These stand in a dataclass, and a command that is decorated
with `shared` takes them as one value:

    @shared
    def vlans(options: ListingOptions, switch: SwitchOption = None) -> None: ...

On the command line they are options like any others: the arguments of the dataclass stand where
`options` stands, its options after the command's own.
"""

from __future__ import annotations

import inspect
from collections.abc import Callable
from dataclasses import dataclass, fields
from enum import StrEnum
from functools import wraps
from typing import Annotated, Any, get_type_hints

import typer
from typer.models import ArgumentInfo

from inkov.cli import complete
from inkov.cli.output import Output
from inkov.levels import Level

__all__ = [
    "BecauseOption",
    "ColourOption",
    "CompareOptions",
    "Configs",
    "ForceOption",
    "Format",
    "FormatOption",
    "LevelOption",
    "ListingOptions",
    "OutputOption",
    "PlannedOptions",
    "ReportOptions",
    "SourceOptions",
    "SwitchOption",
    "VlanOption",
    "shared",
]


class Format(StrEnum):
    """How listings are written."""

    TABLE = "table"
    JSON = "json"
    CSV = "csv"
    MARKDOWN = "markdown"
    HTML = "html"


class Report(StrEnum):
    """How findings and verdicts are written: other systems take them, too."""

    TABLE = "table"
    JSON = "json"
    CSV = "csv"
    MARKDOWN = "markdown"
    HTML = "html"
    SARIF = "sarif"
    JUNIT = "junit"


Configs = Annotated[
    list[str],
    typer.Argument(
        metavar="CONFIGS...",
        help="Files or folders of configurations and tables.",
        show_default=False,
    ),
]
_SIDE = "a file, a folder, or rev:NAME[:PATH] of a git repository"
OldArgument = Annotated[str, typer.Argument(metavar="OLD", help=f"Before: {_SIDE}.")]
NewArgument = Annotated[str, typer.Argument(metavar="NEW", help="After: the same.")]
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
FormatOption = Annotated[Format, typer.Option("--format", "-f", help="What to write.")]
ReportOption = Annotated[Report, typer.Option("--format", "-f", help="What to write.")]
OutputOption = Annotated[
    str | None,
    typer.Option("--output", "-o", metavar="FILE", help="Write to FILE instead of the screen."),
]
ColourOption = Annotated[bool, typer.Option("--no-colour", help="No colour, even on a terminal.")]
SwitchOption = Annotated[
    str | None,
    typer.Option(
        "--switch", "-s", metavar="NAME", help="Only this switch.", autocompletion=complete.switches
    ),
]
VlanOption = Annotated[
    str | None,
    typer.Option(
        "--vlan",
        "-v",
        metavar="LIST",
        help="Only these VLANs, as in 10,20-30 or 'all but 1'.",
        autocompletion=complete.vlans,
    ),
]
SenderArgument = Annotated[
    str,
    typer.Argument(
        metavar="A",
        help="Where the frame is sent: switch:port, or a host.",
        autocompletion=complete.first_places,
    ),
]
SentVlanOption = Annotated[
    str | None,
    typer.Option(
        "--vlan",
        "-v",
        metavar="VLAN",
        help="What is sent in this VLAN, where A sends in several.",
        autocompletion=complete.vlans,
    ),
]
LevelOption = Annotated[
    Level,
    typer.Option("--level", "-l", help="What hosts may send: their own VLANs, or anything."),
]
BecauseOption = Annotated[
    str | None,
    typer.Option(
        "--because",
        metavar="SWITCH:PORT",
        help="Why a port does what it does, stage by stage.",
        autocompletion=complete.places,
    ),
]
NowOption = Annotated[
    bool,
    typer.Option("--now", help="By the links that the spanning tree has forward now, not by all."),
]
ForceOption = Annotated[bool, typer.Option("--force", help="Replace FILE if it is there.")]


@dataclass(frozen=True)
class SourceOptions:
    """What to read."""

    configs: Configs
    read_as: AsOption = None
    quiet: QuietOption = False

    plan = None


@dataclass(frozen=True)
class PlannedOptions:
    """What to read, and what is intended."""

    configs: Configs
    plan: PlanOption = None
    read_as: AsOption = None
    quiet: QuietOption = False


@dataclass(frozen=True)
class ListingOptions:
    """What to read, what is intended, and how a listing is written."""

    configs: Configs
    plan: PlanOption = None
    form: FormatOption = Format.TABLE
    output: OutputOption = None
    read_as: AsOption = None
    quiet: QuietOption = False
    no_colour: ColourOption = False

    @property
    def out(self) -> Output:
        return Output(self.form, self.output, no_colour=self.no_colour)


@dataclass(frozen=True)
class ReportOptions:
    """The same for findings and verdicts."""

    configs: Configs
    plan: PlanOption = None
    form: ReportOption = Report.TABLE
    output: OutputOption = None
    read_as: AsOption = None
    quiet: QuietOption = False
    no_colour: ColourOption = False

    @property
    def out(self) -> Output:
        # It tells of weaknesses: a new file is for the user alone.
        return Output(self.form, self.output, no_colour=self.no_colour, private=True)


@dataclass(frozen=True)
class CompareOptions:
    """What to compare, what is intended, and how the answer is written."""

    old: OldArgument
    new: NewArgument
    plan: PlanOption = None
    form: ReportOption = Report.TABLE
    output: OutputOption = None
    read_as: AsOption = None
    quiet: QuietOption = False
    no_colour: ColourOption = False

    @property
    def out(self) -> Output:
        return Output(self.form, self.output, no_colour=self.no_colour, private=True)


AnyOptions = SourceOptions | PlannedOptions | ListingOptions | ReportOptions


def shared(command: Callable[..., None]) -> Callable[..., None]:
    """A command whose parameter `options` is spread out for Typer, and gathered for the command."""
    hints = get_type_hints(command, include_extras=True)
    kind = hints["options"]
    names = [field.name for field in fields(kind)]
    spread = _parameters(kind)
    own = inspect.signature(command).parameters

    @wraps(command)
    def run(**values: Any) -> None:
        options = kind(**{name: values.pop(name) for name in names})
        command(options=options, **values)

    arguments: list[inspect.Parameter] = []
    for name, parameter in own.items():
        # Arguments stand where the options were, options at the end.
        if name == "options":
            arguments += [each for each in spread if _is_argument(each.annotation)]
        else:
            arguments.append(parameter.replace(annotation=hints[name]))
    arguments += [each for each in spread if not _is_argument(each.annotation)]
    # Typer passes everything by name, so the order may put one with a default before one without.
    keyword = [each.replace(kind=inspect.Parameter.KEYWORD_ONLY) for each in arguments]
    run.__signature__ = inspect.Signature(keyword)  # type: ignore[attr-defined]
    run.__annotations__ = {each.name: each.annotation for each in keyword}
    return run


def _parameters(kind: type) -> list[inspect.Parameter]:
    """The fields of a dataclass of options as parameters."""
    hints = get_type_hints(kind, include_extras=True)
    own = inspect.signature(kind).parameters
    return [own[field.name].replace(annotation=hints[field.name]) for field in fields(kind)]


def _is_argument(annotation: Any) -> bool:
    return any(isinstance(mark, ArgumentInfo) for mark in getattr(annotation, "__metadata__", ()))
