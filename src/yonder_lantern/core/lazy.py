"""Names that a package offers but loads only when they are used."""

from __future__ import annotations

import importlib
from collections.abc import Callable, Mapping, Sequence
from typing import Any


def on_first_use(package: str, modules: Mapping[str, Sequence[str]]) -> Callable[[str], Any]:
    """A package's ``__getattr__`` that imports a name from its module on first use.

    It keeps start-up fast: what a command does not use is not imported.

    Parameters
    ----------
    package : str
        The package's name.
    modules : mapping of str to sequence of str
        The names that each of its modules defines.

    References
    ----------
    PEP 562, Module __getattr__ and __dir__.

    Examples
    --------
    >>> on_first_use("email", {"message": ["EmailMessage"]})("EmailMessage").__name__
    'EmailMessage'
    """
    module_of = {name: module for module, names in modules.items() for name in names}

    def attribute(name: str) -> Any:
        if name not in module_of:
            raise AttributeError(f"module {package!r} has no attribute {name!r}")
        return getattr(importlib.import_module(f"{package}.{module_of[name]}"), name)

    return attribute
