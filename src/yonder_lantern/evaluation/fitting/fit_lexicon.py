"""Adapting the lexicon to a desk's documents."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, cast

from msgspec.structs import replace as replace_settings

from ...core import CallError, Cancel, Progress, SettingsError
from ...embedding import NO_PASSAGES, open_method
from ...policy import embedding_context
from .fittable import Fittable

if TYPE_CHECKING:
    from ...embedding import Encoder
    from ...embedding.lexicon import Adapted


@dataclass(frozen=True, slots=True)
class AdaptedLexicon:
    """A lexicon adapted to a desk's documents, and the settings that use it.

    Attributes
    ----------
    folder : Path
        Where it was written.
    outcome : Adapted
        What it was fitted to, and how near it came.
    label : str
        Whose documents it was fitted to: only those that carry this label.
    settings : str
        TOML for yonder.toml.
    """

    folder: Path
    outcome: Adapted
    label: str
    settings: str


def adapt_lexicon(
    desk: Fittable, folder: str | Path, progress: Progress, cancel: Cancel
) -> AdaptedLexicon:
    """Fit the lexicon to a desk's documents. See `Desk.adapt_lexicon`."""
    from ...embedding.lexicon import SHIPPED, LexiconTable, adapt, is_table

    embedding_settings = desk.settings.embedding
    target = desk.folder / folder
    if target.exists() and not is_table(target):
        raise CallError(f"{target} is there and holds something else", "--out", "name another")
    if not embedding_settings.model:
        raise SettingsError(
            "the lexicon is adapted by a pretrained encoder",
            "embedding.model",
            "name the folder of one there; it is not needed for gathering or finding",
        )
    context = embedding_context(
        desk.folder, desk.state, desk.settings, progress=progress, cancel=cancel
    )
    method = open_method(replace_settings(embedding_settings, method="encoder"), context)
    snapshot = desk.snapshot()
    label, passages = snapshot.training_passages(embedding_settings.learn_from)
    texts = list(passages.texts())
    if not texts:
        raise CallError("the index is empty", "the index", "run `yonder gather` first")
    encoder = cast("Encoder", method.make(NO_PASSAGES))
    outcome = adapt(
        LexiconTable.load(SHIPPED),
        texts,
        encoder.kept,
        model=embedding_settings.model,
        cancel=cancel,
    )
    outcome.table.save(target)
    settings = f'[embedding]\nmethod = "lexicon"\nlexicon = "{Path(folder).as_posix()}"'
    return AdaptedLexicon(target, outcome, label, settings)
