"""A mail server that answers as a test tells it, over a real socket."""

from __future__ import annotations

import socket
import ssl
import threading
import time
from collections.abc import Callable, Sequence
from ssl import SSLContext

# What it says to a command; None closes the connection without a word, a number waits so many seconds first.
Answer = str | None | tuple[float, str]


class FarSide:
    """Keeps what it took as (recipients, message); ``script`` gives answers by command, in the order they are asked."""

    def __init__(
        self,
        script: Callable[[str, int], Answer] = lambda command, count: "",
        extensions: Sequence[str] = (),
        context: SSLContext | None = None,
    ) -> None:
        self.taken: list[tuple[list[str], bytes]] = []
        self.said: list[str] = []
        self.connections = 0
        self._script, self._extensions, self._context = script, extensions, context
        self._counts: dict[str, int] = {}
        self._server = socket.create_server(("127.0.0.1", 0))
        self.port = self._server.getsockname()[1]
        threading.Thread(target=self._accept, daemon=True).start()

    def close(self) -> None:
        self._server.shutdown(socket.SHUT_RDWR)
        self._server.close()

    def _accept(self) -> None:
        while True:
            try:
                connection, _ = self._server.accept()
            except OSError:
                return
            self.connections += 1
            threading.Thread(target=self._serve, args=(connection,), daemon=True).start()

    def _serve(self, connection: socket.socket) -> None:
        try:
            if self._context is not None:
                connection = self._context.wrap_socket(connection, server_side=True)
            self._talk(connection)
        except (OSError, ssl.SSLError):
            pass
        finally:
            connection.close()

    def _talk(self, connection: socket.socket) -> None:
        lines = connection.makefile("rb")
        connection.sendall(b"220 far side\r\n")
        recipients: list[str] = []
        transaction = False
        while line := lines.readline():
            text = line.decode("utf-8").rstrip("\r\n")
            command = text.split(" ")[0].split(":")[0].upper()
            self.said.append(text)
            answer = self._answer(command)
            if isinstance(answer, tuple):
                time.sleep(answer[0])
                answer = answer[1]
            if answer is None:
                return
            if command == "EHLO" and not answer:
                answer = "\r\n".join(f"250-{x}" for x in ("far", *self._extensions)) + "\r\n250 8BITMIME"
            elif command == "MAIL" and not answer:
                # RFC 5321 section 4.1.4: no second MAIL within a transaction.
                answer = "503 nested MAIL" if transaction else "250 ok"
                transaction = True
            elif command == "AUTH" and not answer:
                answer = "235 welcome"
            elif command == "RCPT" and not answer:
                recipients.append(text.partition("<")[2].rstrip(">"))
                answer = "250 ok"
            elif command == "RSET":
                recipients, transaction = [], False
            elif command == "DATA" and not answer:
                connection.sendall(b"354 go on\r\n")
                body = b""
                while (row := lines.readline()) != b".\r\n":
                    if not row:
                        return
                    body += row[1:] if row.startswith(b".") else row
                answer = self._answer("END")
                if isinstance(answer, tuple):
                    time.sleep(answer[0])
                    answer = answer[1]
                if answer is None:
                    return
                if not answer or answer.startswith("250"):
                    self.taken.append((recipients, body))
                recipients, transaction = [], False
            connection.sendall(f"{answer or '250 ok'}\r\n".encode())
            if answer.startswith("421"):
                return

    def _answer(self, command: str) -> Answer:
        self._counts[command] = self._counts.get(command, 0) + 1
        return self._script(command, self._counts[command])
