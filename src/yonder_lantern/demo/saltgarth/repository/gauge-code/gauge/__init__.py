"""The tide gauge's program, one step a module."""
