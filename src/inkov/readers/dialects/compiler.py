"""Checks and compiles a dialect file: forms to one tree for each block, effects to clauses.

Faults are collected, not raised one by one: each has the line and column of the form or effect it
is in.
"""

from __future__ import annotations

import re
import tomllib

import msgspec

from inkov.campus import STANDARD, Basis, Fact, Origin, Platform, Problem
from inkov.readers.dialects.effects import (
    NUMBERED,
    Clause,
    parse_effect,
    parse_template,
    refuse_name,
    shared_kind,
)
from inkov.readers.dialects.file import (
    BadDialect,
    Block,
    BlockTable,
    Dialect,
    DialectFile,
    Head,
    Statement,
)
from inkov.readers.dialects.forms import FormError, Word, captures_in, never_said, parse_form
from inkov.readers.dialects.lists import Lists
from inkov.readers.dialects.matching import Node, add_form, hidden_by
from inkov.readers.dialects.places import Places
from inkov.readers.dialects.text import Shape
from inkov.readers.sheets.words import PORT_KEYS
from inkov.vlanset import MAX_VID, MIN_VID, VlanSet

__all__ = ["compile_dialect"]

_MOST_FORMS = 4000
_MOST_PORTS_PER_UNIT = 1000
_MOST_BYTES = 1024 * 1024
_KINDS = ("port", "bundle", "sub", "vlan", "gateway", "bridge", "tree", "profile", "filter")
_NAMED_BY = {
    "port": ("ports", "port"),
    "vlan": ("vids", "vlans", "vid", "vlan"),
    "gateway": ("vid", "vlan"),
    "tree": ("vids", "vid"),
}


def compile_dialect(file: str, data: bytes) -> Dialect:
    """Compile a dialect file. BadDialect with everything that is wrong with it."""
    # Before anything is parsed: a file of hundreds of megabytes is no dialect.
    if len(data) > _MOST_BYTES:
        size, most = len(data) / 1e6, _MOST_BYTES / 1e6
        says = f"too large to be a dialect: {size:.0f} MB, {most:.0f} MB are read at most"
        raise BadDialect([Problem(Origin(file), says, "write one for each language", True)])
    try:
        text = data.decode("utf-8-sig")
        tree = tomllib.loads(text)
    except UnicodeDecodeError as error:
        raise BadDialect(
            [Problem(Origin(file), f"not UTF-8: {error.reason}", "save it as UTF-8", True)]
        ) from None
    except tomllib.TOMLDecodeError as error:
        place = re.search(r"(.*) \(at line (\d+), column (\d+)\)", str(error))
        line = int(place[2]) if place else text.count("\n") + 1
        says = f"not TOML: {place[1].lower()}, column {place[3]}" if place else f"not TOML: {error}"
        raise BadDialect([Problem(Origin(file, line), says, "", True)]) from None
    except RecursionError:
        # Brackets nested by the thousand, which nobody writes by hand.
        raise BadDialect([Problem(Origin(file), "not TOML: nested too deeply", "", True)]) from None
    except ValueError:  # of a number with thousands of digits
        long = re.search(r"[0-9_]{4000}", text)
        line = text.count("\n", 0, long.start()) + 1 if long else 0
        says = "not TOML: a number of thousands of digits"
        raise BadDialect([Problem(Origin(file, line), says, "", True)]) from None
    places = Places(file, text)
    try:
        decoded = msgspec.convert(tree, DialectFile)
    except msgspec.ValidationError as error:
        says, _, path = str(error).partition(" - at `$")
        # The path of the library's message leads to the key that is wrong.
        keys = [key for key in re.split(r"[.\[\]`]+", path) if key and not key.isdigit()]
        unknown = re.search(r"unknown field `(.*?)`", says)
        raise BadDialect(
            [places.problem([*keys, *([unknown[1]] if unknown else [])], says)]
        ) from None
    compiler = _Compiler(decoded, places)
    dialect = compiler.compile()
    # All faults at once: correcting them one by one takes a run each.
    if compiler.problems:
        raise BadDialect(compiler.problems)
    return dialect


class _Compiler:
    def __init__(self, decoded: DialectFile, places: Places) -> None:
        self.file = decoded
        self.places = places
        self.problems: list[Problem] = []
        self.secret_words: set[str] = set()
        self.forms = 0
        self.conditions: dict[str, list[str]] = {}  # forms that others depend on: where they do
        self.ends: dict[int, tuple[list[str], Node]] = {}  # where forms end, and where they stand
        self.nodes: dict[int, Node] = {}
        self.words: set[str] = (
            set()
        )  # literal words of heads: a line that holds one is likely to matter
        lists = decoded.lists
        self.lists = Lists(
            lists.separators,
            lists.ranges,
            lists.port_kinds,
            lists.port_names,
            lists.wildcards,
            lists.every,
            lists.but,
            lists.yes,
            lists.no,
            lists.item_words,
            lists.ports_per_unit,
        )

    def fault(self, keys: list[str], says: str, at: int = 0) -> None:
        self.problems.append(self.places.problem(keys, says, at))

    def compile(self) -> Dialect:
        """The dialect; what is wrong with it goes to `problems`."""
        file, style = self.file, self.file.text
        # Without either, no text would ever be read with it.
        if not file.recognise and not file.files:
            self.fault(
                ["dialect"],
                "state `recognise` (forms that every such file has) or `files` (patterns of names)",
            )
        self._check_text()
        self._check_numbers()
        # Words of the text are compared in lower case then.
        if style.any_case:
            style.negation = [word.lower() for word in style.negation]
            style.lead = [word.lower() for word in style.lead]
        tables = {"device": file.device, **{kind: getattr(file, kind) for kind in _KINDS}}
        tables |= {f"group.{name}": table for name, table in file.group.items()}
        device = self._device(tables)
        recognise = [self._recognising(form) for form in file.recognise]
        if self.forms > _MOST_FORMS:
            self.fault(["dialect"], f"more than {_MOST_FORMS} forms")
        return Dialect(
            file.dialect,
            self.places.file,
            style,
            self.lists,
            self._platform(),
            file.vlan_table,
            self._always(),
            device,
            recognise,
            file.files,
            file.example,
            {ord(c): 32 for c in style.spaces},
            self.words,
            frozenset(self.secret_words),
            self._specific(tables),
            self.forms,
            frozenset(self.conditions),
        )

    def _check_text(self) -> None:
        """See that what is said of texts can be: no mark that would stand everywhere, no tables
        where rows could not be told from statements.
        """
        style, lists = self.file.text, self.file.lists
        if style.case not in ("exact", "any"):
            self.fault(["text", "case"], f"{style.case!r} is not one of: exact, any")
        for pair in style.comment_block:
            if len(pair) != 2 or not all(pair):
                self.fault(
                    ["text", "comment-block"],
                    "each is a pair: what opens a comment, and what closes it",
                )
        # In braces, or in one line each, rows could not be told from statements.
        if style.tables and style.shape is not Shape.INDENTED:
            self.fault(["text", "tables"], "only indented texts can hold tables in columns")
        if any(len(names) < 2 or not all(names) for names in style.tables):
            self.fault(["text", "tables"], "a table has the names of two columns at least")
        # An empty mark would stand everywhere.
        for table, key, marks in (
            ("text", "comment", style.comment),
            ("lists", "ranges", lists.ranges),
            ("lists", "separators", lists.separators),
            ("lists", "wildcards", lists.wildcards),
        ):
            if not all(marks):
                self.fault([table, key], "a mark cannot be empty")

    def _check_numbers(self) -> None:
        """See that the numbers of the dialect itself can be those of ports and VLANs."""
        file = self.file
        if not 0 <= file.lists.ports_per_unit <= _MOST_PORTS_PER_UNIT:
            says = f"a unit has {_MOST_PORTS_PER_UNIT} ports at most"
            self.fault(["[lists", "ports-per-unit"], says)
        for name, vid in file.vlan_table.names.items():
            if not MIN_VID <= vid <= MAX_VID:
                self.fault(["[vlan-table", "names", name], f"{vid} is no VLAN number")

    def _device(self, tables: dict[str, BlockTable]) -> Block:
        """The outermost block, with all that can be opened in it."""
        blocks = {name: Block(name, name if name in ("device", *_KINDS) else "") for name in tables}
        around = self._around(tables)
        # A block's own statements first, then those it shares: of equal forms its own counts.
        for name, table in tables.items():
            self._says(name, table, blocks[name], around[name])
        for name, table in tables.items():
            self._says_like(name, table, tables, blocks[name], around[name])
        for name, table in tables.items():
            self._opens(name, table, blocks, around)
        self._never_opened(tables)
        self._unknown_conditions(tables)
        self._hidden()
        return blocks["device"]

    def _recognising(self, form: str) -> Node:
        """The tree that tells whether a line has a form of `recognise`."""
        root = Node()
        for words in self._variants(["recognise", form], form):
            *_, last = add_form(root, words, any_case=self.file.text.any_case)
            last.end = Statement(())
        return root

    # --- blocks ---

    def _around(self, tables: dict[str, BlockTable]) -> dict[str, dict[str, str]]:
        """For each block the captures of its heads, and of the blocks it stands in: what its
        effects may use.
        """
        own: dict[str, dict[str, str]] = {}
        for name, table in tables.items():
            around: dict[str, str] = {}
            for form in table.opens:
                for words in self._variants([f"[{name}]", form], form):
                    around |= captures_in(words)
            own[name] = around
        result = {}
        for name in tables:
            seen, todo, around = {name}, [name], dict(own[name])
            while todo:
                # What stands further out may use what stands within, but is hidden by it.
                for outer in tables[todo.pop()].within:
                    if outer in tables and outer not in seen:
                        seen.add(outer)
                        todo.append(outer)
                        around = {**own[outer], **around}
            result[name] = around
        return result

    def _variants(self, keys: list[str], form: str) -> list[list[Word]]:
        try:
            variants = parse_form(form)
        except FormError as error:
            problem = self.places.problem(keys, str(error), error.at)
            # A form with several variants would tell the same fault for each.
            if problem not in self.problems:
                self.problems.append(problem)
            return []
        for words in variants:
            never = never_said(words, self.file.text)
            if never:
                problem = self.places.problem(keys, f"no statement has this form: {never}")
                if problem not in self.problems:
                    self.problems.append(problem)
            for number, word in enumerate(words):
                # What stands before a secret in a form is looked for in lines that no form takes,
                # too.
                if any(kind == "secret" for _, kind in word.captures):
                    literals = [w.literal.lower() for w in words[:number] if w.literal]
                    self.secret_words.update(literals[-1:])
        self.forms += len(variants)
        return variants

    def _says(self, name: str, table: BlockTable, block: Block, around: dict[str, str]) -> None:
        for form, effect in table.says.items():
            self._form(name, block, form, effect, around)
        for form in table.ignored:
            self._form(name, block, form, None, around)

    def _says_like(
        self,
        name: str,
        table: BlockTable,
        tables: dict[str, BlockTable],
        block: Block,
        around: dict[str, str],
    ) -> None:
        """The statements that a block shares with another; its own go first."""
        if not table.like:
            return
        liked = tables.get(table.like)
        if liked is None or liked is table or shared_kind(table.like) != shared_kind(name):
            alike = [
                named
                for named in tables
                if shared_kind(named) == shared_kind(name) and named != name
            ]
            known = ", ".join(alike) or "none"
            self.fault([f"[{name}", "like"], f"{table.like!r} is no block like this one: {known}")
            return
        own = {*table.says, *table.ignored}
        for form, effect in liked.says.items():
            # Stated anew in this block: its own meaning counts.
            if form not in own:
                self._form(table.like, block, form, effect, around)
        for form in liked.ignored:
            if form not in own:
                self._form(table.like, block, form, None, around)

    def _form(
        self, name: str, block: Block, form: str, effect: str | None, around: dict[str, str]
    ) -> None:
        keys = [f"[{name}" + (".says]" if effect is not None else "]"), form]
        line = self.places.line(keys)
        for words in self._variants(keys, form):
            own = captures_in(words)
            # A form with an empty effect is understood, and does nothing.
            unsaid = effect is None or not effect.strip()
            statement = Statement((), unsaid, form=form, line=line)
            if effect:
                clauses = self._effect([*keys, effect], effect, block.kind, {**around, **own})
                needed = {label for clause in clauses for label in clause.labels}
                statement = Statement(clauses, not clauses, needed, form, line)
            *_, last = path = list(add_form(block.root, words, any_case=self.file.text.any_case))
            # Written twice with the same effect is no fault: shared forms often are.
            if last.end is not None and not last.end.same(statement):
                self.fault(keys, "another form of this block is the same")
            last.end = last.end or statement
            self.ends.setdefault(id(last), (keys, last))
            self.nodes |= {id(node): node for node in (block.root, *path)}
            self._undo([block.root, *path], words, statement)

    def _undo(self, path: list[Node], words: list[Word], statement: Statement) -> None:
        """A negated statement may end before the captures that end its form."""
        for node, word in zip(reversed(path[:-1]), reversed(words), strict=True):
            # Only captures at the end may be left out, and never all of the form.
            if not word.captures or node is path[0]:
                break
            node.undo = node.undo or statement

    def _unknown_conditions(self, tables: dict[str, BlockTable]) -> None:
        """What is said under a condition that no statement can fulfil. A statement that is a
        condition has a meaning, even if it does nothing itself.
        """
        for _, node in self.ends.values():
            if node.end is not None and node.end.form in self.conditions:
                # A condition must be noticed where it is said, though it changes nothing itself.
                node.end.ignored = False
        forms = {form for table in tables.values() for form in table.says}
        for form, keys in self.conditions.items():
            if form not in forms:
                self.fault(keys, f"{form!r} is no form here, as it is written among `says`")

    def _effect(
        self, keys: list[str], effect: str, kind: str, known: dict[str, str]
    ) -> tuple[Clause, ...]:
        try:
            clauses = parse_effect(effect, kind, known)
            for clause in clauses:
                if clause.when is not None:
                    self.conditions.setdefault(clause.when[0], keys)
            return clauses
        except FormError as error:
            self.fault(keys, str(error), error.at)
            return ()

    def _opens(
        self,
        name: str,
        table: BlockTable,
        blocks: dict[str, Block],
        around: dict[str, dict[str, str]],
    ) -> None:
        block = blocks[name]
        forms = table.opens if isinstance(table.opens, dict) else dict.fromkeys(table.opens, "")
        # It has no heads, so nothing could open it.
        if name == "device" and forms:
            self.fault(["[device]"], "the device is open from the first line: it has no heads")
            return
        for outer in table.within:
            if outer not in blocks:
                self.fault(
                    [f"[{name}]", "within", outer], f"{outer!r} is not a block: {', '.join(blocks)}"
                )
        for form, stated in forms.items():
            keys = [f"[{name}]", form]
            line = self.places.line(keys)
            template, _, effect = stated.partition(";")
            for words in self._variants(keys, form):
                self.words |= {word.literal for word in words if word.literal}
                own = captures_in(words)
                known = {**around[name], **own}
                try:
                    naming = parse_template(
                        template.strip() or self._named_by(block.kind, own), known
                    )
                    refuse_name(block.kind, naming, known, 0)
                except FormError as error:
                    self.fault([*keys, template.strip() or form], str(error), error.at)
                    continue
                # What a head itself states, besides opening its block.
                clauses = (
                    self._effect([*keys, effect], effect, block.kind, known)
                    if effect.strip()
                    else ()
                )
                needs = {label for clause in clauses for label in clause.labels} | set(
                    naming.labels
                )
                head = Head(block, naming, Statement(clauses, form=form, line=line), needs)
                for outer in table.within:
                    if outer in blocks:
                        *_, last = add_form(
                            blocks[outer].root, words, any_case=self.file.text.any_case
                        )
                        # Two blocks cannot begin with the same line.
                        if last.block is not None and last.block.block is not block:
                            self.fault(keys, f"the same head opens a {last.block.block.name}, too")
                        last.block = last.block or head

    @staticmethod
    def _named_by(kind: str, own: dict[str, str]) -> str:
        """How a head names what it opens where the dialect does not say: by its capture of the
        right type.
        """
        # A group opens nothing that has a name.
        if not kind:
            return ""
        wanted = _NAMED_BY.get(shared_kind(kind), ())
        label = next(
            (label for kind_ in wanted for label, type_ in own.items() if type_ == kind_), None
        )
        label = label or next(iter(own), None)
        if label is None:
            # A head without any capture that names something opens nothing in particular.
            raise FormError(0, f"the head names no {kind}: it needs a capture, or a name after =")
        # Where a tree is opened by a number, this is its own.
        number = kind == "tree" and own[label] == "number"
        return f"{NUMBERED} {{{label}}}" if number else f"{{{label}}}"

    def _specific(self, tables: dict[str, BlockTable]) -> frozenset[str]:
        """The kinds of port of which what is said of few wins over what is said of many."""
        for name, table in tables.items():
            if table.wins not in ("last", "specific"):
                self.fault([f"[{name}]", "wins"], f"{table.wins!r} is not one of: last, specific")
            elif table.wins == "specific" and name not in ("port", "bundle", "sub"):
                # Only ports are named by lists: of other things nothing is said of many.
                self.fault([f"[{name}]", "wins"], "only of ports what is said of few can win")
        return frozenset(name for name, table in tables.items() if table.wins == "specific")

    # --- what could never come about ---

    def _never_opened(self, tables: dict[str, BlockTable]) -> None:
        """A block that has statements, and that no text could ever be in."""
        reached = {"device"}
        todo = ["device"]
        while todo:
            outer = todo.pop()
            # Reached from the device inwards; a circle of blocks that contain each other is reached
            # by none.
            inner = [n for n, t in tables.items() if t.opens and outer in t.within]
            todo += [name for name in inner if name not in reached]
            reached.update(inner)
        for name, table in tables.items():
            if name in reached or not (table.says or table.ignored or table.opens):
                continue
            says = "no other block leads to it" if table.opens else "it has no `opens`"
            self.fault([f"[{name}"], f"nothing opens this block: {says}")

    def _hidden(self) -> None:
        """A form whose every statement another form of its block takes first."""
        for node in self.nodes.values():
            for below, first in hidden_by(node):
                keys, _ = self.ends[id(below)]
                label, kind = first.captures[0]
                shown = f"{{{kind}}}" if label == kind else f"{{{label}:{kind}}}"
                says = f"no statement is left for this form: a form with {shown} takes them first"
                self.fault(keys, says)

    # --- defaults ---

    def _platform(self) -> Platform:
        unstated = {
            key: Fact(
                fact.value,
                Origin(
                    basis=Basis.DEFAULT, says=f"{self.file.dialect}: {_after(fact.origin.says)}"
                ),
            )
            for key, fact in STANDARD.unstated.items()
        }
        for key, value in self.file.defaults.items():
            if key not in PORT_KEYS:
                self.fault(
                    ["[defaults]", key], f"{key!r} is not a key of a port: {', '.join(PORT_KEYS)}"
                )
                continue
            attribute, read = PORT_KEYS[key]
            # TOML has yes and no of its own; the words of sheets are other ones.
            spelled = (
                {True: "yes", False: "no"}.get(value, str(value))
                if isinstance(value, bool)
                else str(value)
            )
            try:
                stated = read(spelled)
            except ValueError as error:
                self.fault(["[defaults]", key], str(error).partition("\n")[0])
                continue
            line = self.places.line(["[defaults]", key])
            says = f"{self.file.dialect}: its dialect states so ({self.places.file}:{line})"
            unstated[attribute] = Fact(stated, Origin(basis=Basis.DEFAULT, says=says))
        for key in self.file.vlan_table.created_by:
            if key not in PORT_KEYS:
                self.fault(
                    ["[vlan-table]", key], f"{key!r} is not a key of a port: {', '.join(PORT_KEYS)}"
                )
        return Platform(self.file.dialect, unstated, described=True)

    def _always(self) -> VlanSet:
        try:
            return (
                VlanSet.parse(self.file.vlan_table.always)
                if self.file.vlan_table.always
                else VlanSet()
            )
        except ValueError as error:
            self.fault(["[vlan-table]", "always"], str(error).partition("\n")[0])
            return VlanSet()


def _after(says: str) -> str:
    """What a default of the standard says, without whose it is."""
    return f"not stated in the dialect, so as in IEEE 802.1Q: {says.partition(': ')[2]}"
