"""The engine as a process of its own: requests in, progress and results out, over one socket.

Messages are pickled tuples whose first entry is a word. A new ``check`` cancels the one running; the
rest wait. Started with the number of an inherited socket.
"""

from __future__ import annotations

import contextlib
import ctypes
import sys
import time
from multiprocessing.connection import Connection

from bastler.core import faults
from bastler.core.messages import Message
from bastler.core.problems import Unusable

PROGRESS_EVERY_S = 0.05


def _give_back() -> None:
    """What a check has freed goes back to the system: the allocator would keep about a third of it."""
    with contextlib.suppress(OSError, AttributeError):  # not everywhere
        ctypes.CDLL(None).malloc_trim(0)


def serve(connection: Connection) -> None:
    """Answer until the other side is gone."""
    from bastler.core.engine import Engine
    from bastler.core.request import Cancelled

    engine = Engine()
    waiting: list[Message] = []
    last = 0.0

    def newer() -> bool:
        while connection.poll():
            waiting.append(connection.recv())
        return any(m[0] in ("check", "cancel") for m in waiting)

    def progress(share: float) -> None:
        nonlocal last
        if time.monotonic() - last > PROGRESS_EVERY_S:
            last = time.monotonic()
            connection.send(("progress", share))

    while True:
        try:
            if not waiting:
                waiting.append(connection.recv())
            newer()
            checks = [m for m in waiting if m[0] in ("check", "cancel")]
            message = checks[-1] if checks else waiting[-1]
            waiting.clear()
            if message[0] == "check":
                _, number, request = message
                try:
                    connection.send(("checked", number, engine.check(request, progress, newer)))
                    _give_back()
                except Cancelled:
                    connection.send(("cancelled", number))
            elif message[0] == "stock":
                _, number, move, share = message
                connection.send(("stock", number, engine.stock_at(move, share)))
            elif message[0] == "cancel":
                connection.send(("cancelled", message[1]))
        except Unusable as error:
            connection.send(("refused", str(error)))
        except (EOFError, ConnectionError):
            return
        except MemoryError:
            connection.send(
                ("refused", "The check needs more memory than there is. Give a smaller stock, or close other programs.")
            )
        except Exception as error:  # a fault of ours must reach the person as a sentence, not a silent stop
            faults.record(error, "check")
            connection.send(("refused", f"The check failed: a fault in Bastler. Undo the last edit. {faults.told()}"))


if __name__ == "__main__":
    serve(Connection(int(sys.argv[1])))
