"""From a folder of documents to a cited answer, and back from the citation to the document.

python examples/first_answer.py
"""

import tempfile
from pathlib import Path

from yonder_lantern import Desk
from yonder_lantern.demo import copy_demo, demo_services

folder = Path(tempfile.mkdtemp()) / "harbour"
copy_demo(folder)  # a folder with yonder.toml and documents; yours would be there already

desk = Desk.open(folder)
with demo_services(folder):  # the demo's own web site; yours needs nothing of the kind
    report = desk.gather()
print(f"{report.added} documents gathered, {report.passages} passages")

answer = desk.ask("What are the landing dues on fish?", as_of="2026-10-01")
print(answer.text)

for citation in answer.citations:
    document = desk.document(citation.document)
    assert document is not None
    print(f"[{citation.number}] {citation.document}, {citation.location}")
    # A citation is a span of one version of one document: it can be checked at any time.
    assert document.version == citation.version
    assert document.text[citation.start : citation.end] == citation.quote

declined = desk.ask("How much petty cash is in the safe?", audience=["public"])
print(declined.text)
assert declined.declined
