"""Fill a typed register of cranes from the documents, and show what each field rests on.

python examples/fill_a_register.py
"""

import tempfile
from pathlib import Path

from yonder_lantern import Desk
from yonder_lantern.demo import copy_demo, demo_services

CRANE = {
    "type": "object",
    "properties": {
        "what_it_is": {"type": "string"},
        "load_kg": {"type": "number", "title": "Safe working load"},
        "next_thorough_examination": {"type": "string", "format": "date"},
        "driver": {"type": "string", "description": "name of who drives it"},
    },
}

folder = Path(tempfile.mkdtemp()) / "harbour"
copy_demo(folder)
desk = Desk.open(folder, record=False)
with demo_services(folder):
    desk.gather()
for code in ("CR-01", "CR-02", "CR-03"):
    filled = desk.extract(f"crane {code}", CRANE)
    print(code, filled.value)
    for citation in filled.citations:
        print(f"   {citation}")
