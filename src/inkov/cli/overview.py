from __future__ import annotations

from typing import TYPE_CHECKING

from inkov.campus import natural
from inkov.cli.options import ListingOptions, shared
from inkov.cli.session import start
from inkov.words import counted

_WEEK = 7  # days
_NAMED = 4  # files

if TYPE_CHECKING:
    from inkov.cli.session import Session
    from inkov.survey.roles import Roles


@shared
def overview(options: ListingOptions) -> None:
    """The campus on one page: roles, blocks, VLANs, what is odd."""
    from datetime import date

    from inkov.checks import audit as run
    from inkov.render.overview import overview_result
    from inkov.survey.overview import overview as seen

    session = start(options, tells=True)
    result = run(session.fabric, session.plan, today=date.today())
    session.admit(result.faults)
    page = seen(session.fabric, roles_of(session))
    options.out.show(overview_result(page, result, unread(session), session.locator))
    session.end()


def roles_of(session: Session) -> Roles:
    """The roles of the switches; those of the plan first."""
    from fnmatch import fnmatchcase

    from inkov.survey.roles import Role, roles

    stated = {
        name: Role(role)
        for role, patterns in session.plan.says.roles.items()
        for name in session.fabric.campus.devices
        if any(fnmatchcase(name, pattern) for pattern in patterns)
    }
    return roles(session.fabric, stated)


def unread(session: Session) -> list[str]:
    """What of the input was not read or understood, or is old, in words."""
    reports = session.loaded.reports
    missing = [report.file for report in reports if not report.format]
    unmatched = sum(report.not_understood for report in reports)
    lines = []
    # What was not read, and what of the rest was not understood.
    if missing:
        lines.append(f"{counted(len(missing), 'file')} not read")
    if unmatched:
        lines.append(f"{counted(unmatched, 'line')} not understood")
    return lines + older_files(session)


def older_files(session: Session) -> list[str]:
    """The files of switches that are much older than the rest: what they say may be of the past.
    That is a quarter of them at most, with a week or more to the next one.
    """
    import os

    dates: list[tuple[float, str]] = []
    for file in {device.origin.file for device in session.loaded.campus.devices.values()}:
        try:
            dates.append((os.path.getmtime(file), file))
        except OSError:
            continue  # it was laid out for reading alone, or is gone by now
    dates.sort()
    for number in range(len(dates) // 4, 0, -1):
        days = int((dates[number][0] - dates[number - 1][0]) // 86400)
        # The largest gap that is old enough.
        if days >= _WEEK:
            names = sorted((os.path.basename(file) for _, file in dates[:number]), key=natural)
            more = f" and {len(names) - _NAMED} more" if len(names) > _NAMED else ""
            be = "is" if number == 1 else "are"
            return [f"{', '.join(names[:_NAMED])}{more} {be} older than the rest by {days} days"]
    return []
