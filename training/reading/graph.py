"""The layers of the reading model as an ONNX graph, without their weights.

    python training/reading/graph.py [FOLDER]

writes ``layers.onnx`` beside the weights in FOLDER, by default the package's own. The weights are
put in when the graph is opened, from the files that NumPy reads: there is one copy of them.
"""

from __future__ import annotations

import sys
from pathlib import Path

import onnx
from onnx import TensorProto, helper

from yonder_lantern.reading.kept_weights import SHIPPED, load_weights
from yonder_lantern.reading.on_onnx_runtime import GRAPH, weights_of

_OPSET = 17  # the first with LayerNormalization
_IR = 8  # what goes with it


def main() -> None:
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else SHIPPED
    transformer, _, _ = load_weights(folder)
    heads, width = transformer.heads, transformer.width
    nodes: list[onnx.NodeProto] = []

    def add(kind: str, inputs: list[str], name: str, outputs: int = 1, **attributes: object) -> str:
        names = [name] if outputs == 1 else [f"{name}.{at}" for at in range(outputs)]
        nodes.append(helper.make_node(kind, inputs, names, **attributes))
        return name

    def dense(state: str, name: str) -> str:
        product = add("MatMul", [state, f"{name}.weights"], f"{name}.product")
        return add("Add", [product, f"{name}.bias"], f"{name}.out")

    def normalised(one: str, other: str, name: str) -> str:
        both = add("Add", [one, other], f"{name}.sum")
        scaling = [both, f"{name}.weight", f"{name}.bias"]
        return add(
            "LayerNormalization", scaling, f"{name}.out", axis=-1, epsilon=transformer.epsilon
        )

    state = "states"
    for number in range(len(transformer.layers)):
        at = f"{number}."
        mixed = add("Reshape", [dense(state, f"{at}mixed"), "apart"], f"{at}apart")
        add("Split", [mixed], f"{at}part", outputs=3, axis=1)
        parts = [
            add("Squeeze", [f"{at}part.{which}", "second"], f"{at}squeezed.{which}")
            for which in range(3)
        ]
        queries = add("Transpose", [parts[0]], f"{at}queries", perm=[1, 0, 2])
        keys = add("Transpose", [parts[1]], f"{at}keys", perm=[1, 2, 0])
        values = add("Transpose", [parts[2]], f"{at}values", perm=[1, 0, 2])
        scores = add("MatMul", [queries, keys], f"{at}scores")
        shares = add("Softmax", [scores], f"{at}shares", axis=-1)
        context = add("MatMul", [shares, values], f"{at}context")
        turned = add("Transpose", [context], f"{at}turned", perm=[1, 0, 2])
        joined = add("Reshape", [turned, "together"], f"{at}together")
        attended = normalised(dense(joined, f"{at}projected"), state, f"{at}after_attention")
        wide = dense(attended, f"{at}widened")
        erf = add("Erf", [add("Div", [wide, "root_two"], f"{at}scaled")], f"{at}erf")
        share = add("Add", [erf, "one"], f"{at}shifted")
        half = add("Mul", [add("Mul", [wide, share], f"{at}twice"), "half"], f"{at}gelu")
        state = normalised(dense(half, f"{at}narrowed"), attended, f"{at}after_widening")
    add("Identity", [state], "read")
    constants = [
        helper.make_tensor("apart", TensorProto.INT64, [4], [0, 3, heads, width // heads]),
        helper.make_tensor("together", TensorProto.INT64, [2], [0, width]),
        helper.make_tensor("second", TensorProto.INT64, [1], [1]),
        helper.make_tensor("root_two", TensorProto.FLOAT, [], [2**0.5]),
        helper.make_tensor("one", TensorProto.FLOAT, [], [1.0]),
        helper.make_tensor("half", TensorProto.FLOAT, [], [0.5]),
    ]
    for name, array in weights_of(transformer).items():
        tensor = TensorProto(name=name, data_type=TensorProto.FLOAT, dims=array.shape)
        tensor.data_location = TensorProto.EXTERNAL
        tensor.external_data.add(key="location", value="put in when it is opened")
        constants.append(tensor)
    states = helper.make_tensor_value_info("states", TensorProto.FLOAT, ["pieces", width])
    read = helper.make_tensor_value_info("read", TensorProto.FLOAT, ["pieces", width])
    graph = helper.make_graph(nodes, "layers", [states], [read], constants)
    model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", _OPSET)])
    model.ir_version = _IR
    (folder / GRAPH).write_bytes(model.SerializeToString())
    print(f"{folder / GRAPH}: {(folder / GRAPH).stat().st_size:,} bytes")


if __name__ == "__main__":
    main()
