"""The command line: reads options, calls the core, renders, and ends with the right exit status."""
