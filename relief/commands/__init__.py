"""The commands of the command line, one a file: `add_options` says what it takes, `run` does it."""
