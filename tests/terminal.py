"""A terminal of our own: a tmux server on its own socket, so that nothing else on the machine is touched."""

import subprocess
import sys
import time

PROGRAM = (sys.executable, "-m", "gray_kettle")
ENVIRONMENT = ["env", "-u", "COLUMNS", "-u", "LINES", "COLORTERM=truecolor", "LANG=C.UTF-8", "LC_ALL=C.UTF-8"]


class Terminal:
    def __init__(self, socket: str) -> None:
        self.tmux = ["tmux", "-S", socket, "-f", "/dev/null"]

    def start(self, *command: str, columns: int = 120, lines: int = 40, folder: str = ".") -> None:
        size = ["-x", str(columns), "-y", str(lines), "-c", folder]
        # The pane stays after the program has ended, so that its last words can be read.
        options = [";", "set-option", "-g", "remain-on-exit", "on"]
        subprocess.run([*self.tmux, "new-session", "-d", *size, *ENVIRONMENT, *command, *options], check=True)

    def keys(self, *keys: str) -> None:
        subprocess.run([*self.tmux, "send-keys", *keys], check=True)

    def clear_field(self) -> None:
        """Empty the field under the cursor. Bindings run behind letters that come fast after them: nobody types so."""
        before, until_s = self.screen(), time.monotonic() + 3.0
        self.keys("C-u")
        while self.screen() == before and time.monotonic() < until_s:
            time.sleep(0.05)
        time.sleep(0.3)

    def open_field(self, hint: str) -> None:
        """Enter on a row whose value has a field of its own: once its hint shows, the field takes the keys."""
        self.keys("Enter")
        self.wait_for(hint)
        time.sleep(0.4)

    def leave_field(self) -> None:
        """Enter, and the moment until a person strikes the next key."""
        self.keys("Enter")
        time.sleep(0.4)

    def type(self, text: str) -> None:
        subprocess.run([*self.tmux, "send-keys", "-l", text], check=True)

    def screen(self) -> str:
        return subprocess.run(
            [*self.tmux, "capture-pane", "-p"], capture_output=True, text=True, check=True
        ).stdout

    def process(self) -> int:
        """Number of the process in the pane."""
        return int(self.ask("#{pane_pid}"))

    def ask(self, form: str) -> str:
        """What tmux knows of the pane, in a form of its own."""
        words = [*self.tmux, "display-message", "-p", form]
        return subprocess.run(words, capture_output=True, text=True, check=True).stdout

    def wait_for(self, *texts: str, timeout_s: float = 40.0) -> str:
        """Give the screen once it shows all the texts; fail with what it shows instead."""
        deadline_s = time.monotonic() + timeout_s
        while True:
            shown = self.screen()
            if all(text in shown for text in texts):
                return shown
            assert time.monotonic() < deadline_s, f"no {texts!r} in:\n{shown}"
            time.sleep(0.05)

    def press_until(self, key: str, text: str, timeout_s: float = 40.0) -> None:
        """Press a key now and then until the text shows: for lists that are still being filled."""
        deadline_s = time.monotonic() + timeout_s
        while text not in (shown := self.screen()):
            assert time.monotonic() < deadline_s, f"no {text!r} after {key} in:\n{shown}"
            self.keys(key)
            time.sleep(0.5)

    def wait_without(self, text: str, timeout_s: float = 40.0) -> str:
        deadline_s = time.monotonic() + timeout_s
        while text in (shown := self.screen()):
            assert time.monotonic() < deadline_s, f"still {text!r} in:\n{shown}"
            time.sleep(0.05)
        return shown

    def wait_for_end(self) -> str:
        """Give the last words of the program, once it has ended."""
        deadline_s = time.monotonic() + 40
        while self.ask("#{pane_dead}").strip() != "1":
            assert time.monotonic() < deadline_s, f"still running:\n{self.screen()}"
            time.sleep(0.05)
        # The note that the program has ended scrolls the first line out of the pane.
        capture = [*self.tmux, "capture-pane", "-p", "-S", "-50"]
        return subprocess.run(capture, capture_output=True, text=True, check=True).stdout

    def stop(self) -> None:
        subprocess.run([*self.tmux, "kill-server"], capture_output=True, check=False)

    def search_command(self, words: str) -> None:
        """Open the command palette and search; it may be drawn before it takes keys, and filters after a pause."""
        time.sleep(0.5)  # it comes before the keys that a list has still to take
        self.keys("C-p")
        self.wait_for("Search for commands")
        time.sleep(0.7)
        self.type(words)
        self.wait_for(words)
        time.sleep(0.7)
