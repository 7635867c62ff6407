"""One module a verb; each has a ``command``."""
