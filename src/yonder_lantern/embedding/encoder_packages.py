"""Text encoders whose weights came with an installed package."""

from __future__ import annotations

from collections.abc import Iterator
from importlib.metadata import distributions
from pathlib import PurePosixPath

from .encoder import CONFIG, TOKENIZER, WEIGHTS


def installed_encoders() -> list[str]:
    """Encoders in the data of installed packages, as ``embedding.model`` names them.

    A folder of a package that holds weights, a configuration and a tokenizer is taken for one.

    Returns
    -------
    list of str
        ``package:NAME/path``, sorted.
    """
    return sorted(set(_found()))


def _found() -> Iterator[str]:
    for distribution in distributions():
        folders: dict[PurePosixPath, set[str]] = {}
        for file in distribution.files or ():
            if file.name in (WEIGHTS, CONFIG, TOKENIZER):
                folders.setdefault(PurePosixPath(file.parent), set()).add(file.name)
        for folder, names in folders.items():
            package, *inner = folder.parts or ("",)
            if len(names) == len((WEIGHTS, CONFIG, TOKENIZER)) and package.isidentifier():
                yield "/".join((f"package:{package}", *inner))
