"""Switch sheets, Inkov's own format: read by `reader`, written by `writer`."""

from inkov.readers.sheets.reader import HEADER, read, recognise

__all__ = ["HEADER", "read", "recognise"]
