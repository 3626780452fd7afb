"""A dialect to begin with, from texts alone: what they tell without any other source.

Theory of operation. Two kinds of statement name things by number: those that define VLANs, and
those that are about ports. The first words of a statement tell which it is: the numbers behind them
are *used* elsewhere if they are VLANs, and lie close together, or in ranges, if they are ports.
Once these two are found, each text describes a switch with just these ports and VLANs, and `look`
goes on as if another source had told so. Nothing is known of what statements do, so they stand as
comments, to be filled in; what names no port, VLAN or gateway is proposed as without meaning.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from os.path import basename

from msgspec import Struct, field

from inkov.campus import STANDARD, Device, Fact, Origin, Port, Vlan
from inkov.learn.hypothesis import Hypothesis
from inkov.learn.look import look
from inkov.learn.marks import numbers_in, ports_in, runs_in, written_lists
from inkov.learn.rows import Look, Row, is_numeric, rows_of
from inkov.learn.toml import toml_text
from inkov.learn.write import Remarks, alike, effect_of, is_name, usable, written
from inkov.readers.dialects.lists import Lists
from inkov.readers.dialects.shapes import guessed_style
from inkov.vlanset import MAX_VID
from inkov.words import counted

__all__ = ["sketched"]

_MOST_TEXTS = 12
_USED = 0.5  # of the numbers behind some words that are used elsewhere, for them to be VLANs
_NAMED = 0.8  # of the VLANs that have a name of their own, for it to be one


class _Subject(Struct):
    """What stands behind the same first words: the rows, and the numbers of each."""

    rows: list[Row] = field(default_factory=list)
    runs: list[list[str]] = field(default_factory=list)


def sketched(texts: Sequence[tuple[str, str]], name: str, files: str) -> str:
    """A dialect to begin with, from (file, text): what could be guessed is in force and marked as
    guessed, every other statement is a comment.
    """
    some = [text for _, text in texts[:_MOST_TEXTS]]
    style = guessed_style(some)
    rows = list(rows_of(enumerate(some), style))
    lists = written_lists(rows)
    subjects = _subjects(rows, lists)
    vlans = _of_vlans(subjects, rows, lists)
    ports = _of_ports(subjects, vlans, lists)
    names = _names(subjects.get(vlans, _Subject()), rows, lists)
    called = _called(rows, [file for file, _ in texts])
    devices = [
        _device(number, called, subjects, vlans, ports, names, lists) for number in range(len(some))
    ]
    seen = look(some, devices, lists=lists)
    seen.defaults = ({},)
    alike(seen)  # what a list holds in one place, it may hold in another
    text = written(seen, Hypothesis(), name, "", files, _remarks(seen))
    # Without a name line such files are known by their names only.
    if not seen.name_form:
        claim = f"files = [{toml_text(files)}]\n"
        text = text.replace(claim, claim + _RECOGNISE, 1)
    return usable(text.replace("[defaults]\n", _DEFAULTS, 1))


_RECOGNISE = '# recognise = ["..."]             # better: forms that every such file has\n'


_DEFAULTS = """\
# What a port is where nothing is said: state it, do not leave it to us.
[defaults]
# mode = "access"
# vlan = 1
# native = 1
# allowed = "all"

[vlan-table]
# always = "1"                       # VLANs that are there without being stated
# created-by = ["vlan"]              # a port put into a VLAN makes it
"""


def _remarks(seen: Look) -> Remarks:
    """Each statement is left open, or proposed as one without meaning."""
    remarks = Remarks(guessed=True)
    remarks.head = [
        "A dialect to begin with; docs/dialects.md explains each table. Give each statement its",
        "effect, and take off the mark before it. `inkov dialect check FILE` says what is wrong",
        "with it, and `inkov dialect unmatched CONFIGS` which lines to describe next.",
    ]
    for number, pattern in enumerate(seen.patterns):
        # Blocks and names are written by the shape alone.
        if pattern.opens or is_name(pattern, seen.name_form):
            continue
        kinds = {slot.kind for head in pattern.path for slot in head.slots}
        about = kinds & {"ports", "vlans"} or pattern.is_shared
        own = [slot.kind for slot in pattern.slots]
        # About neither ports nor VLANs: perhaps without meaning.
        if not about:
            remarks.proposed.add(number)
        elif "ports" in own or not effect_of(pattern, number, Hypothesis()):
            # What a statement does cannot be guessed.
            count = len(pattern.rows)
            remarks.left_out[number] = counted(count, "line")
    return remarks


# --- what the numbers are -------------------------------------------------------------------------


def _subjects(rows: Sequence[Row], lists: Lists) -> dict[str, _Subject]:
    """The statements of the text that name something by number, by the words before it."""
    subjects: dict[str, _Subject] = {}
    for row in rows:
        first = next((n for n, word in enumerate(row.words) if is_numeric(word)), 0)
        # Statements below others are about what these name.
        if row.parent is None and first:
            subject = subjects.setdefault(" ".join(row.words[:first]), _Subject())
            subject.rows.append(row)
            subject.runs.append(_runs(row, lists)[0])
    return subjects


def _runs(row: Row, lists: Lists) -> list[list[str]]:
    return list(runs_in(row.words, {*lists.separators, *lists.ranges}, set()))


def _of_vlans(subjects: dict[str, _Subject], rows: Sequence[Row], lists: Lists) -> str:
    """The words that name VLANs: their numbers stand elsewhere as well, and are not one after
    another; "" if there are none.
    """
    best, most = "", 0.0
    for words, subject in subjects.items():
        numbers = [numbers_in(lists, run) for run in subject.runs]
        vids = {vid for several in numbers for vid in several}
        # Not all have numbers, or more than VLANs can have, or as dense as ports.
        if not all(numbers) or max(vids) > MAX_VID or _is_dense(vids):
            continue
        own = {id(row) for row in subject.rows}
        used: set[int] = set()
        for row in rows:
            runs = _runs(row, lists) if id(row) not in own else []
            # The numbers behind the first words are its own subject.
            for run in runs if row.parent is not None else runs[1:]:
                used.update(numbers_in(lists, run))
        share = len(vids & used) / len(vids)
        # Hardly used, and without names: not VLANs.
        if share < _USED and not _names(subject, rows, lists):
            continue
        score = share * len(vids) if share >= _USED else 0.01 * len(vids)
        # More VLANs, and more of them used, is the better guess.
        if score > most:
            best, most = words, score
    return best


def _is_dense(numbers: set[int]) -> bool:
    """Whether numbers stand close together, as those of ports do."""
    # Ports are numbered one after another.
    return len(numbers) > 3 and max(numbers) - min(numbers) < 2 * len(numbers)


def _of_ports(subjects: dict[str, _Subject], vlans: str, lists: Lists) -> str:
    """The words that name ports: those with the most numbers, or names with numbers, that are not
    those of VLANs; "" if there are none.
    """
    of_vlans = subjects.get(vlans, _Subject()).runs
    vids = {port for run in of_vlans for port in ports_in(lists, run)}
    counts = {}
    for words, subject in subjects.items():
        ports = {port for run in subject.runs for port in ports_in(lists, run)}
        # One port, or only the VLANs' numbers: not ports.
        if words != vlans and len(ports) > 1 and not ports <= vids:
            counts[words] = len(ports)
    return max(counts, key=lambda words: counts[words], default="")


def _names(subject: _Subject, rows: Sequence[Row], lists: Lists) -> dict[tuple[int, int], str]:
    """The names of VLANs, by text and number: what stands behind the same words for each of them,
    and is different for each.
    """
    by_words: dict[tuple[str, ...], dict[tuple[int, int], str]] = defaultdict(dict)
    vids: dict[int, tuple[int, int]] = {}
    for row, run in zip(subject.rows, subject.runs, strict=True):
        numbers = numbers_in(lists, run)
        if len(numbers) == 1:
            vids[id(row)] = row.switch, numbers[0]
            rest = row.words[row.words.index(run[-1]) + 1 :]
            # The name stands behind the number, on the same line.
            if rest and not any(map(is_numeric, rest)):
                by_words[*rest[:-1], ""][vids[id(row)]] = rest[-1]
    for row in rows:
        at = vids.get(id(row.parent)) if row.parent is not None else None
        # Or below it, on a line of its own.
        if at is not None and len(row.words) > 1 and not any(map(is_numeric, row.words)):
            by_words[tuple(row.words[:-1])][at] = row.words[-1]
    for names in by_words.values():
        switches = Counter(switch for switch, _ in names)
        different = {(switch, name) for (switch, _), name in names.items()}
        enough = len(names) > 1 and len(names) >= _NAMED * len({*vids.values()}) - len(switches)
        # One name for several VLANs is no name.
        if enough and len(different) == len(names):
            return {at: name.strip('"') for at, name in names.items()}
    return {}


def _called(rows: Sequence[Row], files: Sequence[str]) -> dict[int, str]:
    """The names of the switches, by text: what the text says and its file is called, or what stands
    behind the same words in each text, and differs.
    """
    tops: dict[int, list[Row]] = defaultdict(list)
    for row in rows:
        if row.parent is None and len(row.words) > 1:
            tops[row.switch].append(row)
    stems = {}
    for switch, own in tops.items():
        stem = basename(files[switch]).partition(".")[0]
        # A text names its switch as its file does: enough.
        if any(stem == word.strip('"') for row in own for word in row.words):
            stems[switch] = stem
    # All found, or only one text to look at.
    if len(stems) == len(tops) or len(tops) < 2:
        return stems
    behind: dict[tuple[str, ...], dict[int, str]] = defaultdict(dict)
    twice = set()
    for switch, own in tops.items():
        for row in own:
            lead = tuple(row.words[:-1])
            # Said twice, of a number, or a number itself (an edition, 2.1): no name of a switch.
            number = row.words[-1].replace(".", "").isdecimal()
            if switch in behind[lead] or is_numeric(lead[-1]) or number:
                twice.add(lead)
            behind[lead][switch] = row.words[-1].strip('"')
    for lead, names in behind.items():
        # The same words in every text, and another one behind each.
        if lead not in twice and len(names) == len(tops) == len(set(names.values())):
            return names
    return stems


def _device(
    number: int,
    called: dict[int, str],
    subjects: dict[str, _Subject],
    vlans: str,
    ports: str,
    names: dict[tuple[int, int], str],
    lists: Lists,
) -> Device:
    """The switch that a text seems to describe: ports and VLANs, and nothing of what they do."""
    origin = Origin("text")
    device = Device(called.get(number, f"switch {number}"), origin, STANDARD, {})
    table: dict[int, Vlan] = {}
    of_vlans, of_ports = (subjects.get(words, _Subject()) for words in (vlans, ports))
    for row, run in zip(of_vlans.rows, of_vlans.runs, strict=True):
        for vid in numbers_in(lists, run) if row.switch == number else ():
            name = names.get((number, vid), "")
            table[vid] = Vlan(vid, origin, Fact(name, origin) if name else None)
    for row, run in zip(of_ports.rows, of_ports.runs, strict=True):
        for port in ports_in(lists, run) if row.switch == number else ():
            device.ports[port] = Port(port, origin)
    device.vlans = table
    return device
