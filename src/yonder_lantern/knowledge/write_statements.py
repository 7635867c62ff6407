"""Statements in open formats: GraphML, JSON-LD and CSV."""

from __future__ import annotations

import csv
import io
import json
import xml.etree.ElementTree as ET
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path

from ..core import CallError, EntityStatement
from ..platform.storage import replace_bytes
from ..text import visible
from .entity_names import key_of

_GRAPHML = "http://graphml.graphdrawing.org/xmlns"


def write_statements(path: Path, statements: Sequence[EntityStatement]) -> None:
    """Write statements into a file; its suffix says the format.

    Parameters
    ----------
    path : Path
        ``.graphml``, ``.jsonld`` or ``.csv``.
    statements : sequence of EntityStatement

    Raises
    ------
    CallError
        The suffix is another.

    References
    ----------
    Brandes, Eiglsperger, Lerner, Pich (2013), Graph markup language. JSON-LD 1.1 (W3C, 2020). RFC
    4180 for CSV.
    """
    forms = {".graphml": _graphml, ".jsonld": _json_ld, ".csv": _csv}
    form = forms.get(path.suffix.casefold())
    if form is None:
        known = ", ".join(forms)
        raise CallError(f"statements cannot be written as {path.suffix!r}", str(path),
                        f"name a file that ends in {known}")  # fmt: skip
    replace_bytes(path, form(statements))


def _graphml(statements: Sequence[EntityStatement]) -> bytes:
    root = ET.Element("graphml", xmlns=_GRAPHML)
    of_edges = ("relation", "document", "start", "end", "way")
    for name, of in (("name", "node"), *((name, "edge") for name in of_edges)):
        ET.SubElement(root, "key", {"id": name, "for": of, "attr.name": name,
                                    "attr.type": "string"})  # fmt: skip
    graph = ET.SubElement(root, "graph", edgedefault="directed")
    nodes: dict[str, str] = {}
    for one in statements:
        for name in (one.subject, one.object):
            if key_of(name) not in nodes:
                nodes[key_of(name)] = f"n{len(nodes)}"
                node = ET.SubElement(graph, "node", id=nodes[key_of(name)])
                ET.SubElement(node, "data", key="name").text = visible(name)
        edge = ET.SubElement(graph, "edge", source=nodes[key_of(one.subject)],
                             target=nodes[key_of(one.object)])  # fmt: skip
        values = {"relation": one.relation, "document": one.document, "start": str(one.start),
                  "end": str(one.end), "way": one.way}  # fmt: skip
        for key, value in values.items():
            ET.SubElement(edge, "data", key=key).text = visible(value)
    written: bytes = ET.tostring(root, encoding="utf-8", xml_declaration=True)
    return written


def _json_ld(statements: Sequence[EntityStatement]) -> bytes:
    context = {
        "@vocab": "urn:yonder:statement:",
        "subject": {"@type": "@id"},
        "validFrom": "https://schema.org/validFrom",
        "validThrough": "https://schema.org/validThrough",
    }
    graph = [
        {
            "@type": "Statement",
            "subject": f"urn:yonder:entity:{key_of(one.subject).replace(' ', '-')}",
            "name": one.subject,
            "relation": one.relation,
            "object": one.object,
            "document": one.document,
            "version": one.version,
            "start": one.start,
            "end": one.end,
            "way": one.way,
            **({"validFrom": one.valid_from} if one.valid_from else {}),
            **({"validThrough": one.valid_until} if one.valid_until else {}),
        }
        for one in statements
    ]
    whole = {"@context": context, "@graph": graph}
    text = json.dumps(whole, ensure_ascii=False, indent=1)
    return text.encode("utf-8", "surrogatepass")


def _csv(statements: Sequence[EntityStatement]) -> bytes:
    written = io.StringIO(newline="")
    names = list(EntityStatement.__dataclass_fields__)
    writer = csv.DictWriter(written, names)
    writer.writeheader()
    for one in statements:
        row = asdict(one)
        row["audience"] = " ".join(one.audience)
        writer.writerow(row)
    return written.getvalue().encode("utf-8", "surrogatepass")
