"""The command `inkov` and its subcommands, in the order practitioners work in.

Only Typer is imported here; each command imports what it needs when it runs, so that `inkov --help`
answers at once.
"""

from __future__ import annotations

import gc
import os
import re
import sys
from collections.abc import Callable
from functools import cache, wraps
from typing import Annotated, Any

import typer
from typer.main import get_command

from inkov import __version__
from inkov.cli import (
    audit,
    compare,
    complete,
    convert,
    demo,
    dialect,
    draw,
    follow,
    hears,
    learn,
    links,
    mend,
    overview,
    plan,
    ports,
    prove,
    read,
    report,
    rules,
    tree,
    trunks,
    verify,
    vlans,
    why,
    withstand,
)
from inkov.cli.exits import INTERRUPTED, PIPE_CLOSED, UNUSABLE
from inkov.cli.says import complain, fail, let_go, nearest, say, unwritable
from inkov.cli.streams import Closed, interruptible

app = typer.Typer(
    name="inkov",
    help=(
        "Audit the switch configurations of a campus: VLANs, ports, links and trunks, both ends"
        " together."
    ),
    epilog="CONFIGS are files or folders, in any mix of the formats read. Start with: inkov demo",
    add_completion=False,
    no_args_is_help=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
)


def _version(wanted: bool) -> None:
    if wanted:
        say(f"inkov {__version__}")
        raise typer.Exit


@app.callback()
def _root(
    version: Annotated[
        bool,
        typer.Option(
            "--version", callback=_version, is_eager=True, help="Show the version and exit."
        ),
    ] = False,
) -> None:
    pass


def _guarded(command: Callable[..., None]) -> Callable[..., None]:
    """No traceback reaches a user, unless INKOV_TRACEBACK is set."""

    @wraps(command)
    def run(*arguments: Any, **options: Any) -> None:
        try:
            with interruptible():
                command(*arguments, **options)
        except typer.Exit:
            # What Typer ends with is no fault.
            raise
        except KeyboardInterrupt:
            fail("interrupted", INTERRUPTED)
        # The one who reads has what he wants.
        except BrokenPipeError:  # the reader (as in `| head`) has what it wants
            let_go(sys.stdout)
            raise typer.Exit(PIPE_CLOSED) from None
        except Exception as error:
            # For who wants to find the fault.
            if "INKOV_TRACEBACK" in os.environ:
                raise
            says = f"{type(error).__name__}: {error}".partition("\n")[0]
            fail(
                f"a fault of Inkov's own, please report it: {says} (INKOV_TRACEBACK=1 shows where)"
            )

    return run


# The commands in the order of the work: look, judge, find out, change, set up. Each with an
# example, which ends its help; "garden" stands for any folder.
COMMANDS: tuple[tuple[Callable[..., None], str], ...] = (
    (overview.overview, "inkov overview garden"),
    (read.read, "inkov read garden --unmatched"),
    (vlans.vlans, "inkov vlans garden --vlan 10,20-30"),
    (ports.ports, "inkov ports garden --switch gate-1"),
    (links.links, "inkov links garden"),
    (trunks.trunks, "inkov trunks garden --vlan 60"),
    (tree.tree, "inkov tree garden --switch gate-1"),
    (draw.draw, "inkov draw garden --vlan 60 -o garden.svg"),
    (report.report, "inkov report garden -o garden.html --by Rosemary"),
    (audit.audit, "inkov audit garden --only allowed-differs --explain"),
    (prove.prove, "inkov prove garden --certificate garden.json"),
    (verify.verify, "inkov verify garden.json garden"),
    (withstand.withstand, "inkov withstand garden --losses links"),
    (compare.compare, "inkov compare rev:main garden"),
    (why.why, "inkov why till-1 till-server garden"),
    (follow.follow, "inkov follow till-1 gate-1:2 garden"),
    (hears.hears, "inkov hears gate-1:1 garden --level hostile"),
    (mend.mend, "inkov mend garden --rule allowed-differs --diff"),
    (convert.convert, "inkov convert garden sheets --to sheet"),
    (rules.rules, "inkov rules native-default"),
    (complete.completion, "inkov completion bash > ~/.inkov-completion; source it in ~/.bashrc"),
    (demo.demo, "inkov demo"),
)
for command, example in COMMANDS:
    app.command(command.__name__, epilog=f"Example: {example}")(_guarded(command))

dialects = typer.Typer(
    help="Help for writing a dialect, which describes a language.",
    no_args_is_help=True,
    rich_markup_mode=None,
    context_settings={"help_option_names": ["-h", "--help"]},
)
dialects.command("new")(_guarded(dialect.new))
dialects.command("learn")(_guarded(learn.learn))
dialects.command("check")(_guarded(dialect.check))
dialects.command("unmatched")(_guarded(dialect.unmatched))
app.add_typer(dialects, name="dialect")

plans = typer.Typer(
    help="What is intended: start a plan, check it, its schema.",
    no_args_is_help=True,
    rich_markup_mode=None,
    context_settings={"help_option_names": ["-h", "--help"]},
)
plans.command("new")(_guarded(plan.new))
plans.command("check")(_guarded(plan.check))
plans.command("schema")(_guarded(plan.schema))
app.add_typer(plans, name="plan")


@cache
def program() -> Any:
    """All commands as they read their options: made once, however often a process runs one.
    Reading every signature takes longer than a command takes on a small campus.
    """
    return get_command(app)


def main() -> None:
    """The console script."""
    # One campus is read, looked at and forgotten, and holds no reference cycles: collecting would
    # cost half the time.
    gc.disable()
    for name in ("stdout", "stderr"):
        # Written to nowhere, instead of a fault at the first line.
        if getattr(sys, name) is None:  # closed before we began
            setattr(sys, name, Closed())
    # Only then is the machinery for shells loaded.
    if "_INKOV_COMPLETE" in os.environ:  # a shell asks
        from typer._completion_classes import completion_init

        completion_init()
    try:
        sys.exit(program()(prog_name="inkov", standalone_mode=False))
    except OSError as error:  # help, or the version, on a full disk
        unwritable(error)
        sys.exit(UNUSABLE)
    except typer.Abort:
        complain("interrupted")
        sys.exit(INTERRUPTED)
    except Exception as error:
        # Ours: shown as it is. Others: a message of the command line.
        if not hasattr(error, "show"):
            raise
        # A command line that is wrong: what is, and what may be meant.
        error.message = _plainly(getattr(error, "message", ""))  # type: ignore[attr-defined]
        error.show()
        sys.exit(getattr(error, "exit_code", UNUSABLE))


_CHOICES = re.compile(r"'([^']*)' is not one of ('.*')")


def _plainly(says: str) -> str:
    """What is wrong with a command line, without the words of the libraries that found it, and
    with the nearest of what could stand there.
    """
    says = says.removeprefix("Value error, ")
    choices = _CHOICES.search(says)
    # No choice, but another mistake.
    if choices is None:
        return says
    return says.rstrip(".") + nearest(choices[1], re.findall(r"'([^']*)'", choices[2]))
