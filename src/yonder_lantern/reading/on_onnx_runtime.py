"""The layers of the reading model on ONNX Runtime, for many texts: twice as fast as on NumPy."""

from __future__ import annotations

import logging
from collections.abc import Callable
from importlib.util import find_spec
from pathlib import Path

import numpy as np

from ..embedding import Transformer
from ..platform.storage import Array

GRAPH = "layers.onnx"
_QUIET = 3  # errors of the runtime alone
_LOG = logging.getLogger("yonder_lantern.reading")


def weights_of(transformer: Transformer) -> dict[str, Array]:
    """The weights of the layers, by the names that the graph has for them."""
    found = {}
    for number, layer in enumerate(transformer.layers):
        for name in ("mixed", "projected", "widened", "narrowed"):
            found[f"{number}.{name}.weights"] = getattr(layer, name).weights
            found[f"{number}.{name}.bias"] = getattr(layer, name).bias
        for name in ("after_attention", "after_widening"):
            found[f"{number}.{name}.weight"] = getattr(layer, name).weight
            found[f"{number}.{name}.bias"] = getattr(layer, name).bias
    return {name: np.ascontiguousarray(array, np.float32) for name, array in found.items()}


def on_onnx_runtime(transformer: Transformer, folder: Path) -> Callable[[Array], Array] | None:
    """What takes a text's states through all layers, for `Transformer.vectors`, within 1e-5.

    Parameters
    ----------
    transformer : Transformer
    folder : Path
        Where the graph is.

    Returns
    -------
    callable or None
        None where the runtime is not installed, or cannot open the graph: that is told.
    """
    if find_spec("onnxruntime") is None or not (folder / GRAPH).is_file():
        return None
    try:
        import onnxruntime

        options = onnxruntime.SessionOptions()
        options.intra_op_num_threads = options.inter_op_num_threads = 1  # a text on each core
        options.log_severity_level = _QUIET
        weights = weights_of(transformer)  # kept until the session has taken them
        values = [onnxruntime.OrtValue.ortvalue_from_numpy(one) for one in weights.values()]
        options.add_external_initializers(list(weights), values)
        session = onnxruntime.InferenceSession(
            str(folder / GRAPH), options, providers=["CPUExecutionProvider"]
        )
    except Exception as error:  # whatever another release of it does: NumPy reads as well
        _LOG.warning("ONNX Runtime cannot be used: %s", error)
        return None

    return lambda states: np.asarray(session.run(None, {"states": states})[0])
