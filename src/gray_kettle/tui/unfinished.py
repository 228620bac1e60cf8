"""Work that must not be cut off: what is being stored while the app ends."""

import os
import threading
import time


class Unfinished:
    """Counts what is being stored, in any thread. Use it in a `with` block around such work."""

    def __init__(self) -> None:
        self._count, self._changed = 0, threading.Condition()

    def __enter__(self) -> "Unfinished":
        with self._changed:
            self._count += 1
        return self

    def __exit__(self, *_: object) -> None:
        with self._changed:
            self._count -= 1
            self._changed.notify_all()

    def end_process_after(self, grace_s: float, code: int) -> None:
        """End the process once nothing is unfinished, if it has not ended by itself until then.

        A terminal that was closed takes no more output, and whoever waits for it to do so waits for ever.
        """

        def end() -> None:
            time.sleep(grace_s)
            with self._changed:
                self._changed.wait_for(lambda: self._count == 0)
            os._exit(code)

        threading.Thread(target=end, name="end", daemon=True).start()


STORING = Unfinished()
