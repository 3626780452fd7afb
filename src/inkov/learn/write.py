"""A hypothesis as a dialect: the text that is compiled to try it, and that a person gets."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from msgspec import Struct, field

from inkov.campus.secrets import without_secrets
from inkov.learn.hypothesis import Hypothesis
from inkov.learn.rows import ADDRESSED, LIST, PASSAGE, PROFILE, TEXT, Look, Pattern, Slot
from inkov.learn.toml import toml_key, toml_list, toml_text, written_style
from inkov.readers.dialects import BadDialect, compile_dialect
from inkov.readers.dialects.forms import literal

__all__ = [
    "Remarks",
    "alike",
    "effect_of",
    "form_of",
    "holds_secret",
    "is_name",
    "shown",
    "usable",
    "vlans_in",
    "written",
]


_MOST_MENDED = 30  # times that faults are looked for, each time all that show
_BLANKED = {TEXT: "text", ADDRESSED: "address", PROFILE: "name", PASSAGE: "passage"}
_OF_PORTS = ("port", "bundle", "sub", "profile")  # blocks whose statements are about ports


class Remarks(Struct):
    """What a person is told beside the forms: support by pattern, and questions. `proposed` are
    patterns that seem to have no meaning here; `guessed`: so are the heads.
    """

    support: dict[int, str] = field(default_factory=dict)
    left_out: dict[int, str] = field(default_factory=dict)
    head: list[str] = field(default_factory=list)
    proposed: set[int] = field(default_factory=set)
    guessed: bool = False


class _Block(Struct):
    """A block of the dialect: its name, heads, statements (a line for each form), and the blocks
    that it stands in. `proposed` are forms that seem to have no meaning; `like`
    tells whether it has the statements of ports.
    """

    name: str
    opens: list[str] = field(default_factory=list)
    says: dict[str, str] = field(default_factory=dict)
    ignored: list[str] = field(default_factory=list)
    within: list[str] = field(default_factory=list)
    proposed: list[str] = field(default_factory=list)
    like: bool = False


def written(
    look: Look,
    hypothesis: Hypothesis,
    name: str,
    always: str,
    files: str,
    remarks: Remarks | None = None,
) -> str:
    """The dialect that a hypothesis is."""
    remarks = remarks or Remarks()
    blocks: dict[str, _Block] = {"device": _Block("device")}
    within = _blocks(look)
    empty = _without_meaning(look, within, hypothesis, remarks)
    for number, pattern in enumerate(look.patterns):
        parent = within[number]
        # Taken by the dialect that is begun, or in a block without meaning.
        if pattern.settled is not None or id(pattern.parent) in empty:
            continue
        # A head without meaning is written so that its block is taken whole.
        if id(pattern) in empty:
            form = _without_words(form_of(pattern), pattern, look)
            block = blocks.setdefault(parent, _Block(parent))
            (block.proposed if remarks.guessed else block.ignored).append(form)
            continue
        # Several heads may open one block.
        if pattern.opens:
            block_name = _block_of(look, number)
            block = blocks.setdefault(block_name, _Block(block_name))
            form = shown(form_of(pattern))
            if form not in block.opens:
                block.opens.append(form)
            if parent not in block.within:
                block.within.append(parent)
            continue
        _state(
            blocks.setdefault(parent, _Block(parent)), number, pattern, hypothesis, remarks, look
        )
    out = [*(f"# {line}".rstrip() for line in remarks.head), f"dialect = {toml_text(name)}"]
    # By a line that every text has; else by the file's name.
    if look.name_form:
        out.append(f"recognise = [{toml_text(look.name_form)}]")
    else:
        out.append(f"files = [{toml_text(files)}]")
    out += ["", written_style(look.style, look.lists), "", "[defaults]"]
    out += [
        f"{toml_key(key)} = {toml_text(value)}"
        for key, value in look.defaults[hypothesis.defaults].items()
    ]
    out += ["", "[vlan-table]", f"always = {toml_text(always)}"] if always else []
    # A profile says what ports say.
    if "profile" in blocks:
        blocks["profile"].like = "port" in blocks
    for block in blocks.values():
        out += _written(block, remarks)
    return "\n".join(out) + "\n"


def usable(text: str) -> str:
    """A dialect of which what cannot be is a comment: texts hold words that no form can."""
    for _ in range(_MOST_MENDED):
        try:
            compile_dialect("learnt", text.encode())
        except BadDialect as bad:
            amiss = {problem.origin.line for problem in bad.problems}
            lines = text.split("\n")
            # A table of which the head is amiss goes as a whole, with those within it.
            heads = (
                line[1:-1] for at, line in enumerate(lines, 1) if at in amiss and line[:1] == "["
            )
            gone = tuple(f"{name}." for name in heads)
            table = False
            for at, line in enumerate(lines):
                table = f"{line[1:-1]}.".startswith(gone) if line.startswith("[") else table
                if (table or at + 1 in amiss) and line and not line.startswith("#"):
                    lines[at] = f"# {line}"
            # Nothing more can be taken out.
            if text == "\n".join(lines):
                return text
            text = "\n".join(lines)
        else:
            break
    return text


def _without_meaning(
    look: Look, within: list[str], hypothesis: Hypothesis, remarks: Remarks
) -> set[int]:
    """The heads (by `id`) of blocks in which nothing has a meaning, and what stands in them."""
    empty = {
        id(pattern)
        for number, pattern in enumerate(look.patterns)
        if pattern.opens and pattern.settled is None and not _kind(pattern)
    }
    for number, pattern in enumerate(look.patterns):
        means = effect_of(pattern, number, hypothesis) or number in remarks.left_out
        # One with a meaning keeps all that it stands in.
        if pattern.settled is not None or (_kind(pattern) if pattern.opens else means):
            empty -= {id(head) for head in pattern.path}
    return empty | {
        id(pattern) for pattern in look.patterns if any(id(p) in empty for p in pattern.path)
    }


def _blocks(look: Look) -> list[str]:
    """For each pattern the block that it is written in. Settings of a profile are settings of
    ports, wherever they were seen.
    """
    opened = {
        id(pattern): _block_of(look, number)
        for number, pattern in enumerate(look.patterns)
        if pattern.opens
    }
    names = []
    ports = any(pattern.opens and _kind(pattern) == "port" for pattern in look.patterns)
    for pattern in look.patterns:
        block = opened.get(id(pattern.parent), "device")
        of_ports = (
            block == "profile" and ports and all(slot.kind != "ports" for slot in pattern.slots)
        )
        names.append("port" if of_ports else block)
    return names


def _block_of(look: Look, number: int) -> str:
    """The block that a pattern opens."""
    name = f"g{number}"
    # The author may have a group of that name.
    while name in look.groups:
        name += "x"
    return _kind(look.patterns[number]) or f"group.{name}"


def alike(look: Look) -> dict[int, list[int]]:
    """Patterns that come to one form of one block, which can have one effect only: by the first of
    them. What a list holds in one of them, it may hold in all.
    """
    groups: dict[tuple[Any, ...], list[int]] = {}
    for number, (pattern, block) in enumerate(zip(look.patterns, _blocks(look), strict=True)):
        # Heads have no effects.
        if not pattern.opens and pattern.settled is None:
            kinds = tuple(slot.kind for slot in pattern.slots)
            groups.setdefault((block, pattern.tokens, kinds), []).append(number)
    for several in groups.values():
        for slots in zip(*(look.patterns[number].slots for number in several), strict=True):
            named, single = any(s.named for s in slots), all(s.single for s in slots)
            for slot in slots:
                slot.named, slot.single = named, single
    return {several[0]: several for several in groups.values()}


def _state(
    block: _Block,
    number: int,
    pattern: Pattern,
    hypothesis: Hypothesis,
    remarks: Remarks,
    look: Look,
) -> None:
    """Enter a statement into its block: with its effect, as without meaning, or left out."""
    form = form_of(pattern)
    effect = effect_of(pattern, number, hypothesis)
    # A name that is looked up as a VLAN is a name to be given here.
    if effect == "name = {vlan}":
        form, effect = form.replace("{vlan}", "{name}"), "name = {name}"
    if effect == "on vlan {vid}: name = {vlan}":
        form, effect = form.replace("{vlan}", "{name}"), "on vlan {vid}: name = {name}"
    if is_name(pattern, look.name_form):
        form, effect = look.name_form, "name = {name}"
    own = [slot.kind for slot in pattern.slots]
    if _is_list(effect) and own.count("vlans") == 1:
        # One VLAN wherever it was seen; elsewhere there may be more.
        for singular, several in (("{vid}", "{vids}"), ("{vlan}", "{vlans}")):
            form, effect = form.replace(singular, several), effect.replace(singular, several)
    why = remarks.left_out.get(number, "")
    # What is proposed stands as a comment, and so does what is left out.
    if number in remarks.proposed:
        block.proposed.append(_without_words(form, pattern, look))
    elif why:
        does = toml_text("" if effect.endswith("is there") else effect)
        block.says.setdefault(form, f"# {toml_text(shown(form))} = {does}  # {why}")
    elif effect:
        about = remarks.support.get(number, "")
        # In force, with what it rests on.
        told = f"  # {about}" * bool(about)
        block.says.setdefault(form, f"{toml_text(form)} = {toml_text(effect)}{told}")
    else:
        block.ignored.append(_without_words(form, pattern, look))


def _is_list(effect: str) -> bool:
    """Whether an effect is about a list of VLANs, and about nothing that is one VLAN."""
    lists = any(f"{name} " in effect for name in ("allowed", "tagged", "untagged"))
    return lists and not any(f"{name} = {{" in effect for name in ("vlan", "native", "pvid"))


def shown(form: str) -> str:
    """A form without a meaning, as it may be shown: what looks like a secret is left out."""
    return without_secrets(form, frozenset()).replace("...", "{secret}")


def holds_secret(pattern: Pattern) -> bool:
    """Whether the words of a statement look like a secret: then it is not written down."""
    form = form_of(pattern)
    return shown(form) != form


def is_name(pattern: Pattern, name_form: str) -> bool:
    """Whether a statement is the one that names the switch."""
    words = name_form.split()
    own = [literal(token) for token in pattern.tokens]
    return (
        bool(words)
        and pattern.parent is None
        and len(words) == len(own)
        and all(word in (token, "{name}") for word, token in zip(words, own, strict=True))
    )


def _without_words(form: str, pattern: Pattern, look: Look) -> str:
    """The form of a statement without a meaning: its first word, and whatever words follow, as long
    as they name nothing by number. Where statements with the same first word have lists, and where
    it holds more than plain words, it is kept as it is.
    """
    first, *others = pattern.tokens
    alike = [p for p in look.patterns if p.parent is pattern.parent and p.tokens[0] == first]
    quoted = any(word.startswith('"') for row in pattern.rows for word in row.words)
    plain = not {LIST, ADDRESSED, PASSAGE}.intersection(pattern.tokens) and not quoted
    # Where such statements have lists, the words decide which is meant.
    if not others or not plain or any(p.slots for p in alike):
        return shown(form)
    return f"{literal(first)} {{words}}"


def _written(block: _Block, remarks: Remarks) -> list[str]:
    # The outermost block says nothing.
    if block.name == "device" and not (block.says or block.ignored or block.proposed):
        return []
    out = ["", f"[{block.name}]"]
    opens = f"opens = {toml_list(block.opens)}"
    out += [f"{opens}  # guessed" if remarks.guessed else opens] if block.opens else []
    if block.within and block.within != ["device"]:
        out.append(f"within = {toml_list(block.within)}")
    out += ['like = "port"'] if block.like else []
    out += [f"ignored = {toml_list(dict.fromkeys(block.ignored))}"] if block.ignored else []
    if block.proposed:
        out.append(
            "# Nothing here names a port, a VLAN or a gateway. Look through it, and take the"
        )
        out.append("# mark off:")
        out.append(f"# ignored = {toml_list(dict.fromkeys(block.proposed))}")
    if block.says:
        out += [f"[{block.name}.says]", *block.says.values()]
    return out


def _kind(pattern: Pattern) -> str:
    """What a head opens: ports, VLANs, a gateway, a profile, or nothing that is known."""
    # A dialect that is begun says it.
    if pattern.settled is not None:
        return pattern.settled.block
    if PROFILE in pattern.tokens:
        return "profile"
    kinds = [slot.kind for slot in pattern.slots]
    if kinds == ["ports"]:
        return "port"
    if kinds == ["vlans"]:
        slot = pattern.slots[0]
        # VLANs by number are defined; by name, one VLAN is a gateway's.
        return "vlan" if not slot.named else "gateway" if slot.single else ""
    return ""


def form_of(pattern: Pattern) -> str:
    """The form of a pattern, its slots as captures."""
    words, slot = [], 0
    seen: dict[str, int] = {}
    last = len(pattern.tokens) - 1
    for place, token in enumerate(pattern.tokens):
        kind = _BLANKED.get(token, "")
        # A list is captured by what it holds.
        if token == LIST:
            kind = _capture(pattern.slots[slot])
            slot += 1
        if not kind:
            words.append(literal(token))
            continue
        # A text within a statement is one word.
        if kind == "text" and place < last:
            kind = "word"
        seen[kind] = seen.get(kind, 0) + 1
        words.append(f"{{{kind}}}" if seen[kind] == 1 else f"{{{kind}{seen[kind]}:{kind}}}")
    return " ".join(words)


def _capture(slot: Slot) -> str:
    """The type of capture that takes what a slot holds."""
    if slot.kind == "ports":
        return "ports"
    # By name or number, one or several.
    if slot.kind == "vlans":
        return {(True, True): "vlan", (True, False): "vlans", (False, True): "vid"}.get(
            (slot.named, slot.single), "vids"
        )
    # One word: a number, if all are.
    if slot.single:
        return "number" if all(word.isdigit() for words in slot.words for word in words) else "word"
    return "text"


def effect_of(pattern: Pattern, number: int, hypothesis: Hypothesis) -> str:
    """What a statement does by a hypothesis, in the words of dialects; "" for nothing."""
    own = [slot.kind for slot in pattern.slots]
    path = pattern.path
    effect = hypothesis.effects.get(number, "")
    # Of a statement with an effect on ports: which ports and VLANs it names.
    if effect:
        vlans = _label(path, "vlans")
        filled = effect.replace("{V}", f"{{{vlans}}}")
        inside = any(
            pattern.opens and _kind(pattern) in ("port", "bundle", "sub", "profile")
            for pattern in path[:-1]
        )
        return (
            filled
            if inside or filled.startswith("on ")
            else f"on ports {{{_label(path, 'ports')}}}: {filled}"
        )
    below = _kind(path[-2]) if path[:-1] else ""
    # A description, where it stands below a port.
    if pattern.describes and below in _OF_PORTS:
        return "about = {text}"
    one_name = own == ["vlans"] and pattern.slots[0].named and pattern.slots[0].single
    # A name below its VLAN.
    if below == "vlan" and one_name:
        return "name = {vlan}"
    # An address below a gateway.
    if below == "gateway" and ADDRESSED in pattern.tokens:
        return "address = {address}"
    # A VLAN and its name on one line.
    if own == ["vlans", "vlans"] and not path[:-1]:
        first, second = pattern.slots
        if not first.named and second.named and first.single and second.single:
            return "on vlan {vid}: name = {vlan}"
    if own[:1] == ["ports"] and below not in (
        "port",
        "profile",
    ):  # whatever it says, they are there
        return f"on ports {{{_capture(pattern.slots[0])}}}: is there"
    # VLANs that are listed are there.
    if own == ["vlans"] and not path[:-1] and not pattern.slots[0].named:
        return f"on vlans {{{_capture(pattern.slots[0])}}}: is there"
    return ""


def vlans_in(pattern: Pattern) -> str:
    """The capture of VLANs that a statement has, or that its heads have."""
    return _label(pattern.path, "vlans")


def _label(path: Sequence[Pattern], kind: str) -> str:
    """The capture of the nearest slot of a kind."""
    types = ("ports", "port") if kind == "ports" else ("vids", "vid", "vlans", "vlan")
    for pattern in reversed(path):
        # A head of the dialect has captures of its own.
        if pattern.settled is not None:
            labels = (label for label, type_ in pattern.settled.captures.items() if type_ in types)
            label = next(labels, "")
            if label:
                return label
            continue
        for slot in pattern.slots:
            if slot.kind == kind:
                return _capture(slot)
    return ""
