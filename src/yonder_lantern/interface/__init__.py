"""The command line; later HTTP, the page and the tool protocol.

In: what a person or program typed. Out: text, JSON and an exit status. Nothing
is computed here, and nothing outside this package imports it.
"""
