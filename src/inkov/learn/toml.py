"""What a dialect says of how texts are written, as TOML."""

from __future__ import annotations

from collections.abc import Iterable

from inkov.readers.dialects.lists import Lists
from inkov.readers.dialects.text import Style

__all__ = ["toml_key", "toml_list", "toml_text", "written_style"]


def written_style(style: Style, lists: Lists) -> str:
    """The tables of a dialect that say how texts and lists are written."""
    out = ["[text]", f"shape = {toml_text(style.shape.value)}"]
    if style.statement_end:
        out.append(f"statement-end = {toml_text(style.statement_end)}")
    out += [f"comment = {toml_list(style.comment)}"] if style.comment else []
    out += [f"lead = {toml_list(style.lead)}"] if style.lead else []
    out += [f"close = {toml_list(style.close)}"] if style.close else []
    out += [f"negation = {toml_list(style.negation)}"] if style.negation else []
    out += ["", "[lists]", f"separators = {toml_list(lists.separators)}"]
    out.append(f"ranges = {toml_list(lists.ranges)}")
    out += [f"port-kinds = {toml_list(lists.kinds)}"] if lists.kinds else []
    out += [f"port-names = {toml_list(lists.port_names)}"] if lists.port_names else []
    return "\n".join(out)


def toml_text(text: str) -> str:
    """A text as TOML writes it."""
    escaped = text.replace("\\", "\\\\").replace('"', '\\"')
    return f'"{escaped}"'


def toml_key(key: str) -> str:
    """A key as TOML writes it: bare where it can be."""
    # Bare keys are easier to read.
    return key if key.replace("-", "").isalnum() and key.isascii() else toml_text(key)


def toml_list(items: Iterable[str]) -> str:
    """A list of texts as TOML writes it."""
    return f"[{', '.join(map(toml_text, items))}]"
