"""The reading model fitted to a desk: a question moves as those like it had to, to find theirs.

Only questions move. What passages say stays as it was read, so nothing is read again.

References
----------
Rocchio (1971), Relevance feedback in information retrieval, for moving a question towards what is
relevant and away from what is not. Hoerl, Kennard (1970), Ridge regression.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ..core import IndexStateError, SettingsError
from ..platform.storage import (
    Array,
    checked_array,
    save_array,
    sealed,
    unsealed,
    whole_folder,
    write_bytes,
)

_RIDGE = 1.0  # of the five collections it was tried on, cross-validated, each gained with it
_ABOUT = "adaptation.json"


@dataclass(frozen=True, slots=True)
class Adaptation:
    """How questions move: a ridge regression, kept by the questions it was fitted on.

    Attributes
    ----------
    model : str
        The hash of the reading model.
    questions : float32 array, shape (judged, dimensions)
        Their unit vectors.
    moves : float32 array, shape (judged, dimensions)
        A question moves by the sum of these, each by its cosine with the judged question.
    """

    model: str
    questions: Array
    moves: Array

    @classmethod
    def fitted(cls, model: str, questions: Array, differences: Array) -> Adaptation:
        """Fit it.

        Parameters
        ----------
        model : str
        questions : float32 array, shape (judged, dimensions)
            Unit vectors.
        differences : float32 array, shape (judged, dimensions)
            Of each, what it should find less what it should not.

        Examples
        --------
        >>> one = np.array([[1.0, 0.0]], dtype=np.float32)
        >>> other = np.array([[0.0, 2.0]], dtype=np.float32)
        >>> np.allclose(Adaptation.fitted("", one, other).moved(one[0]), 0.5**0.5)
        True
        """
        ridge = questions @ questions.T + _RIDGE * np.eye(len(questions))
        moves = np.linalg.solve(ridge.astype(np.float64), differences.astype(np.float64))
        return cls(model, questions, moves.astype(np.float32))

    def moved(self, question: Array) -> Array:
        """The unit vector of a question as it was moved, float32."""
        found = question + (self.questions @ question) @ self.moves
        return np.asarray(found / max(float(np.linalg.norm(found)), 1e-12), dtype=np.float32)

    def save(self, folder: Path) -> None:
        """Write it into a folder of its own, in place of an earlier one."""
        with whole_folder(folder) as beside:
            save_array(beside / "questions.npy", self.questions)
            save_array(beside / "moves.npy", self.moves)
            write_bytes(beside / _ABOUT, sealed({"model": self.model}))

    @classmethod
    def load(cls, folder: Path, model: str) -> Adaptation:
        """Read it from its folder.

        Raises
        ------
        SettingsError
            It is not there, damaged, or was fitted to another reading model.
        """
        try:
            own = str(unsealed((folder / _ABOUT).read_bytes())["model"])
            questions = checked_array(folder / "questions.npy").whole()
            moves = checked_array(folder / "moves.npy").whole()
        except (OSError, ValueError, KeyError, IndexStateError) as error:
            raise SettingsError(
                f"the adaptation cannot be read: {error}",
                f"reading.adaptation: {folder}",
                "make it again with `yonder tune --reading`, or take the line out",
            ) from error
        if own != model:
            raise SettingsError(
                "the adaptation was fitted to another reading model",
                f"reading.adaptation: {folder}",
                "make it again with `yonder tune --reading`, or take the line out",
            )
        return cls(own, questions, moves)


def is_adaptation(folder: Path) -> bool:
    """Whether a folder holds one, whole or damaged."""
    return (folder / _ABOUT).exists()
