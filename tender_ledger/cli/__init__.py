"""The command line: thin commands over operations."""
