"""Vectors by a pretrained text encoder whose weights lie in a folder or a package."""

from __future__ import annotations

import hashlib
import importlib.util
import json
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from ..core import IndexStateError, SettingsError, optional
from ..platform.storage import Array
from ..settings import EmbeddingSettings
from .long_texts import vectors_of_all
from .method import EmbeddingContext, PassageSet
from .saved import load_description, save_description
from .transformer import Dense, Layer, Scaling, Transformer
from .vector_cache import VectorCache

WEIGHTS, CONFIG, TOKENIZER = "model.safetensors", "config.json", "tokenizer.json"
_PARTS = "modules.json"
_PIECES_PER_TOKEN = 1.3  # an encoder's pieces for each of our words and marks: an estimate
_READ = 1 << 20

# For each family: what its layers are called, in the order of `Layer`.
_BERT = {
    "tokens": "embeddings.word_embeddings.weight",
    "positions": "embeddings.position_embeddings.weight",
    "types": "embeddings.token_type_embeddings.weight",
    "input": "embeddings.LayerNorm",
    "layer": "encoder.layer.{}.",
    "query": "attention.self.query",
    "key": "attention.self.key",
    "value": "attention.self.value",
    "projected": "attention.output.dense",
    "after_attention": "attention.output.LayerNorm",
    "widened": "intermediate.dense",
    "narrowed": "output.dense",
    "after_widening": "output.LayerNorm",
}
_DISTIL = _BERT | {
    "layer": "transformer.layer.{}.",
    "query": "attention.q_lin",
    "key": "attention.k_lin",
    "value": "attention.v_lin",
    "projected": "attention.out_lin",
    "after_attention": "sa_layer_norm",
    "widened": "ffn.lin1",
    "narrowed": "ffn.lin2",
    "after_widening": "output_layer_norm",
}
_FAMILIES = {"bert": _BERT, "roberta": _BERT, "xlm-roberta": _BERT, "distilbert": _DISTIL}


class EncoderMethod:
    """The method ``encoder``: one forward pass for each passage and question."""

    learns = False
    languages = ()
    lexical_weight = 0.4
    other_lexical_weight = 0.4

    def __init__(self, settings: EmbeddingSettings, context: EmbeddingContext) -> None:
        self._context = context
        self._model = settings.model
        self._prefixes = (settings.question_prefix, settings.passage_prefix)
        if not self._model:
            raise SettingsError(
                "the method `encoder` needs the folder of a model",
                "embedding.model",
                "name a folder, or a package's data as package:NAME/path",
            )
        folder = model_folder(self._model, context.desk)
        self._files = _checked_files(folder)
        self._pieces = settings.max_length
        self.longest = int((settings.max_length - 2) / _PIECES_PER_TOKEN)
        self.spec = {
            "method": "encoder",
            "model": self._model,
            "files": self._files,
            "prefixes": list(self._prefixes),
            "pieces": self._pieces,
        }

    def make(self, passages: PassageSet) -> Encoder:  # noqa: ARG002 - it is learned already
        """The encoder; no passages are needed to make it."""
        return Encoder.open(self._model, self._prefixes, self._pieces, self._context)

    @staticmethod
    def load(folder: Path, context: EmbeddingContext) -> Encoder:
        """The encoder that an index was made with, by its saved description.

        Raises
        ------
        IndexStateError
            Its weights are not there any more, or are others.
        """
        return _load(folder, context)


def _load(folder: Path, context: EmbeddingContext) -> Encoder:
    saved = load_description(folder)
    prefixes = (str(saved["prefixes"][0]), str(saved["prefixes"][1]))
    try:
        files = _checked_files(model_folder(saved["model"], context.desk))
        known = saved["hash"] if files == saved["files"] else ""  # else they are read to the end
        encoder = Encoder.open(saved["model"], prefixes, saved["pieces"], context, hash_=known)
    except SettingsError as error:
        raise IndexStateError(
            f"the encoder of the index's vectors cannot be opened: {error.what}",
            error.where,
            "put it back, or gather again with another embedding.method",
        ) from error
    if encoder.hash != saved["hash"]:
        raise IndexStateError(
            "the weights of the encoder are not those the index's vectors were made with",
            str(saved["model"]),
            "put them back, or gather again: the passages are then embedded anew",
        )
    return encoder


class Encoder:
    """Vectors by a pretrained encoder of the BERT family.

    A text that is longer than the encoder allows is embedded in parts, whose
    vectors are averaged by their lengths: nothing is cut off.

    Parameters
    ----------
    transformer : Transformer
    tokenizer
        Of the package `tokenizers`.
    most : int
        The most pieces of one text, the special ones included.
    """

    method = "encoder"
    reads_terms = False

    def __init__(
        self,
        transformer: Transformer,
        tokenizer: Any,
        most: int,
        *,
        hash_: str,
        saved: dict[str, Any],
        context: EmbeddingContext,
    ) -> None:
        self._transformer = transformer
        self._tokenizer = tokenizer
        self._most = most
        self._saved = saved
        self._context = context
        self._question_prefix, self._passage_prefix = saved["prefixes"]
        self.hash = hash_
        self.dimensions = transformer.width

    @classmethod
    def open(
        cls,
        model: str,
        prefixes: tuple[str, str],
        pieces: int,
        context: EmbeddingContext,
        *,
        hash_: str = "",
    ) -> Encoder:
        """Load an encoder; ``hash_`` is worked out if it is not known."""
        folder = model_folder(model, context.desk)
        files = _checked_files(folder)
        hash_ = hash_ or _hash_of(folder, (*prefixes, str(pieces)))
        transformer = read_transformer(folder)
        package = optional("tokenizers", "encoder", "a pretrained encoder")
        try:
            tokenizer = package.Tokenizer.from_file(str(folder / TOKENIZER))
        except Exception as error:  # the package raises nothing narrower
            raise SettingsError(
                f"the tokenizer cannot be read: {error}", str(folder / TOKENIZER), "fix the folder"
            ) from None
        tokenizer.no_padding()
        tokenizer.no_truncation()
        saved = {
            "model": model,
            "prefixes": list(prefixes),
            "pieces": pieces,
            "files": files,
            "hash": hash_,
        }
        most = min(pieces, transformer.longest)
        return cls(transformer, tokenizer, most, hash_=hash_, saved=saved, context=context)

    def passages(self, passages: PassageSet) -> Array:
        """Unit vectors of passages with their leads, kept for the next time."""
        return self.kept(self._passage_prefix + text for text in passages.texts())

    def kept(self, texts: Iterable[str]) -> Array:
        """Unit vectors of texts as they are, kept for the next time."""
        kept = VectorCache(self._context.state / "vectors", self.hash, self.dimensions)
        return kept.vectors(texts, self.texts, self._context.progress, self._context.cancel)

    def question(self, text: str, terms: Mapping[str, float]) -> Array:  # noqa: ARG002
        """The unit vector of a question."""
        return np.asarray(self.texts([self._question_prefix + text])[0])

    def texts(self, texts: Sequence[str]) -> Array:
        """Unit vectors of texts as they are, float32, shape (texts, dimensions)."""
        pieces = [encoding.ids for encoding in self._tokenizer.encode_batch(list(texts))]
        return vectors_of_all(pieces, self._most, self._transformer.vectors, self.dimensions)

    def save(self, folder: Path) -> None:
        """Write down which encoder it is; the weights stay where they are."""
        save_description(folder, self.hash, self._saved)


def model_folder(model: str, desk: Path) -> Path:
    """The folder a model lies in.

    Parameters
    ----------
    model : str
        A folder, read against the desk's, or ``package:NAME/path``, in the data of an
        installed package.

    Raises
    ------
    SettingsError
        There is no such folder or package.
    """
    if not model.startswith("package:"):
        folder = desk / Path(model).expanduser()
        if not folder.is_dir():
            raise SettingsError(
                "there is no such folder",
                f"embedding.model: {folder}",
                "name the folder of a model",
            )
        return folder
    name, _, inner = model.removeprefix("package:").partition("/")
    try:
        found = importlib.util.find_spec(name) if name.isidentifier() else None
    except (ImportError, ValueError):
        found = None
    positions = list(found.submodule_search_locations or ()) if found else []
    if not positions:
        raise SettingsError(
            f"the package {name!r} is not installed", "embedding.model", "install it with pip"
        )
    folder = Path(positions[0]) / inner
    if not folder.is_dir():
        raise SettingsError(
            f"the package {name!r} has no folder {inner!r}", "embedding.model", "fix the path"
        )
    return folder


def _checked_files(folder: Path) -> dict[str, list[int]]:
    """The files an encoder needs, with size and time of change: whether they are the same."""
    found = {}
    for name in (WEIGHTS, CONFIG, TOKENIZER):
        try:
            status = (folder / name).stat()
        except OSError:
            raise SettingsError(
                f"the model's folder has no {name}",
                f"embedding.model: {folder}",
                "name a folder with " + ", ".join((WEIGHTS, CONFIG, TOKENIZER)),
            ) from None
        found[name] = [status.st_size, status.st_mtime_ns]
    return found


def _hash_of(folder: Path, ways: Sequence[str]) -> str:
    digest = hashlib.sha256("\0".join(ways).encode())
    for name in (WEIGHTS, CONFIG, TOKENIZER):
        with (folder / name).open("rb") as file:
            while chunk := file.read(_READ):
                digest.update(chunk)
    return digest.hexdigest()[:16]


def _json(path: Path) -> Any:
    try:
        return json.loads(path.read_bytes())
    except FileNotFoundError:
        return None
    except (OSError, ValueError) as error:
        raise SettingsError(f"it cannot be read: {error}", str(path), "fix the folder") from None


def _pooling(folder: Path) -> str:
    """How a text's vector is made of those of its tokens, as the folder says; else the mean."""
    steps = _json(folder / _PARTS) or []
    for step in steps:
        kind = str(step.get("type", "")).rpartition(".")[2]
        if kind not in ("Transformer", "Pooling", "Normalize"):
            raise SettingsError(
                f"the model has a step {kind!r}, which is not known here",
                str(folder / _PARTS),
                "use a model of the steps Transformer, Pooling and Normalize",
            )
        config = _json(folder / str(step.get("path", "")) / CONFIG) if kind == "Pooling" else None
        if config is not None:
            ways = [name for name, on in config.items() if name.startswith("pooling_mode_") and on]
            names = {"pooling_mode_mean_tokens": "mean", "pooling_mode_cls_token": "first"}
            if len(ways) != 1 or ways[0] not in names:
                raise SettingsError(
                    f"the model pools by {', '.join(ways) or 'nothing'}, which is not known here",
                    str(folder / _PARTS),
                    "use a model that pools by the mean or by the first token",
                )
            return names[ways[0]]
    return "mean"


def read_transformer(folder: Path) -> Transformer:
    """Read an encoder's weights.

    Raises
    ------
    SettingsError
        It is of a family that is not known here, or a file is damaged.
    """
    config = _json(folder / CONFIG)
    family = str(config.get("model_type", "")) if isinstance(config, dict) else ""
    if family not in _FAMILIES:
        raise SettingsError(
            f"encoders of the family {family or 'unnamed'!r} are not known here",
            str(folder / CONFIG),
            f"use one of {', '.join(sorted(_FAMILIES))}",
        )
    package = optional("safetensors.numpy", "encoder", "a pretrained encoder")
    try:
        weights: dict[str, Array] = package.load_file(folder / WEIGHTS)
        return _transformer(config, family, weights, _pooling(folder))
    except SettingsError:
        raise
    except Exception as error:  # of the package, or a name, shape or key that is not there
        raise SettingsError(
            f"the weights cannot be read: {type(error).__name__}: {error}",
            str(folder / WEIGHTS),
            "use float32 or float16 weights of a BERT-family encoder",
        ) from None


def _transformer(
    config: Mapping[str, Any], family: str, weights: Mapping[str, Array], pooling: str
) -> Transformer:
    names = _FAMILIES[family]
    tail = names["tokens"]
    prefix = next(name for name in weights if name.endswith(tail)).removesuffix(tail)

    def own(name: str) -> Array:
        return np.ascontiguousarray(weights[prefix + name], dtype=np.float32)

    def dense(name: str, scale: float = 1.0) -> Dense:
        factor = np.float32(scale)
        turned = np.ascontiguousarray(own(f"{name}.weight").T)
        return Dense(turned * factor, own(f"{name}.bias") * factor)

    def scaling(name: str) -> Scaling:
        return Scaling(own(f"{name}.weight"), own(f"{name}.bias"))

    width = int(config.get("hidden_size") or config["dim"])
    heads = int(config.get("num_attention_heads") or config["n_heads"])
    layers = []
    for number in range(int(config.get("num_hidden_layers") or config["n_layers"])):
        at = names["layer"].format(number)
        parts = (
            dense(at + names["query"], (width // heads) ** -0.5),  # the scale of attention
            dense(at + names["key"]),
            dense(at + names["value"]),
        )
        mixed = Dense(
            np.concatenate([part.weights for part in parts], axis=1),
            np.concatenate([part.bias for part in parts]),
        )
        layers.append(
            Layer(
                mixed,
                dense(at + names["projected"]),
                scaling(at + names["after_attention"]),
                dense(at + names["widened"]),
                dense(at + names["narrowed"]),
                scaling(at + names["after_widening"]),
            )
        )
    positions = own(names["positions"])
    if family in ("roberta", "xlm-roberta"):  # these count positions from after the padding's
        positions = positions[int(config.get("pad_token_id", 1)) + 1 :]
    if prefix + names["types"] in weights:
        positions = positions + own(names["types"])[0]
    activation = str(config.get("hidden_act") or config.get("activation") or "gelu")
    if activation not in ("gelu", "relu"):
        raise SettingsError(
            f"the activation {activation!r} is not known here", CONFIG, "use one with gelu or relu"
        )
    return Transformer(
        own(names["tokens"]),
        positions,
        scaling(names["input"]),
        tuple(layers),
        heads,
        float(config.get("layer_norm_eps", 1e-12)),
        "first" if pooling == "first" else "mean",
        "relu" if activation == "relu" else "gelu",
    )
