"""The commands, one module for each: its arguments, and how it is run."""
