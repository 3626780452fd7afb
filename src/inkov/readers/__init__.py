"""From files to campus parts: one module per input format, a registry that recognises a format by
content, and a ledger that says of every file what became of it.
"""

from inkov.readers.load import Loaded, load
from inkov.readers.locate import Locator
from inkov.readers.reading import FileReport, Part, Unread

__all__ = ["FileReport", "Loaded", "Locator", "Part", "Unread", "load"]
