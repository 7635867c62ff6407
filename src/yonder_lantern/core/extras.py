"""Optional packages: there, or an error that names the extra to install."""

from __future__ import annotations

import importlib
from typing import Any

from .errors import MissingExtraError


def optional(module: str, extra: str, what: str) -> Any:
    """Import a module of an optional package.

    Parameters
    ----------
    module : str
        ``docx``, say.
    extra : str
        The extra of this package that brings it.
    what : str
        What it is needed for, as a subject: ``reading Word files``.

    Raises
    ------
    MissingExtraError
        It is not installed.
    """
    try:
        return importlib.import_module(module)
    except ImportError:
        raise MissingExtraError(
            f"{what} needs a package that is not installed ({module.partition('.')[0]})",
            remedy=f"pip install 'yonder-lantern[{extra}]'",
        ) from None
