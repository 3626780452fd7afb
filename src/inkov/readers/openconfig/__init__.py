"""OpenConfig: read `from_json` and `from_xml`, written by `writer`.

`shape` has the types that are read, `reader` makes a device of them, `account` says which values
were used.
"""
