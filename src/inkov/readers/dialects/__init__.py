"""Configuration texts in any command language, read by a dialect file: docs/dialects.md specifies
the language.
"""

from inkov.readers.dialects.compiler import compile_dialect
from inkov.readers.dialects.file import BadDialect, Dialect, looks_like_dialect
from inkov.readers.dialects.read import DialectReader, read_text, recognises

__all__ = [
    "BadDialect",
    "Dialect",
    "DialectReader",
    "compile_dialect",
    "looks_like_dialect",
    "read_text",
    "recognises",
]
