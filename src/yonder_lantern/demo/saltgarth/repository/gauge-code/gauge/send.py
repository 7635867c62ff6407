"""Writes the day file and sends the minute line to Harbour Control."""

import socket

PORT = 4714
RETRIES = (5, 15, 60, 300)  # seconds to wait before each further try


class Sender:
    """Sends lines, and keeps those that could not be sent."""

    def __init__(self, address: str) -> None:
        self.address = address
        self.unsent: list[str] = []

    def send(self, line: str) -> bool:
        """Send a line and all that were kept; whether it worked.

        No more than 1,440 lines are kept, one day's worth; the oldest go first.
        """
        self.unsent = [*self.unsent, line][-1440:]
        try:
            with socket.create_connection((self.address, PORT), timeout=10) as open_:
                while self.unsent:
                    open_.sendall(self.unsent[0].encode() + b"\r\n")
                    self.unsent.pop(0)
        except OSError:
            return False
        return True
