"""A screen, a window manager and two hands. Where no X server can be had the tests are left out, and say so."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

KEY_MS = 80
PAUSE_S = 0.25
PATIENCE_S = 30.0
LOOK_S = 0.02
PROGRAMS = ("Xvfb", "xdotool", "matchbox-window-manager")
SIZE = "1280x820x24"


@pytest.fixture(scope="session")
def display() -> Iterator[str]:
    """The number of an X server with a window manager."""
    lacking = [p for p in PROGRAMS if shutil.which(p) is None]
    if lacking:
        pytest.skip(f"no real window here: {', '.join(lacking)} not installed (scripts/system-packages does, as root)")
    read, write = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", SIZE, "-nolisten", "tcp"],
        pass_fds=(write,), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    os.close(write)
    with os.fdopen(read) as answer:
        name = f":{answer.readline().strip()}"
    manager = subprocess.Popen(
        ["matchbox-window-manager", "-use_titlebar", "no", "-display", name], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )  # fmt: skip
    yield name
    for process in (manager, server):
        process.terminate()
        process.wait()


class Hands:
    """Keys and clicks at a person's pace; what is waited for is seen, never counted in seconds."""

    def __init__(self, display: str, folder: Path, word: str | None) -> None:
        self.folder, self.count = folder, 0
        self.env = {
            **{k: v for k, v in os.environ.items() if k not in ("QT_QPA_PLATFORM", "WAYLAND_DISPLAY")},
            "DISPLAY": display, "HOME": str(folder), "LC_ALL": "C.UTF-8",
            **{f"XDG_{name}_HOME": str(folder / name.lower()) for name in ("STATE", "DATA", "CONFIG")},
        }  # fmt: skip
        door = folder / "eyes"
        words = [sys.executable, "-m", "tests.hands.watched", str(door), *([word] if word else [])]
        self.process = subprocess.Popen(words, env=self.env, cwd=Path(__file__).parents[2])
        self._eyes = socket.socket(socket.AF_UNIX)
        self._eyes.settimeout(PATIENCE_S)
        self._wait(lambda: self._connected(str(door)), "the window to open")
        self._lines = self._eyes.makefile("rw")
        self.until(lambda s: s["up"], "the window to open")

    def _connected(self, door: str) -> bool:
        assert self.process.poll() is None, "the window ended"
        with contextlib.suppress(OSError):
            self._eyes.connect(door)
            return True
        return False

    # eyes

    def see(self, what: str, **more: Any) -> Any:
        """Ask the eyes."""
        self._lines.write(json.dumps({"see": what, **more}) + "\n")
        self._lines.flush()
        line = self._lines.readline()
        assert line, f"the window ended: {self.process.wait(5)}"
        seen = json.loads(line)
        assert not (isinstance(seen, dict) and "fault" in seen), seen
        return seen

    def _wait(self, done: Callable[[], Any], what: str) -> None:
        end = time.monotonic() + PATIENCE_S
        while not done():
            assert time.monotonic() < end, f"waited in vain for {what}"
            time.sleep(LOOK_S)

    def until(self, done: Callable[[dict[str, Any]], Any], what: str = "") -> dict[str, Any]:
        """Wait for what the window says."""
        state: dict[str, Any] = {}

        def look() -> Any:
            state.clear()
            state.update(self.see("state"))
            return state["up"] and done(state)

        try:
            self._wait(look, what or "a state")
        except AssertionError as error:
            raise AssertionError(f"{error}: {state}, focus {self.see('focus')}") from None
        return state

    @property
    def state(self) -> dict[str, Any]:
        return self.see("state")  # type: ignore[no-any-return]

    @property
    def focus(self) -> dict[str, str]:
        return self.see("focus")  # type: ignore[no-any-return]

    def focused(self, name: str) -> None:
        """Wait until a thing has the focus."""
        self._wait(lambda: self.focus["name"] == name, f"the focus at {name}; it is at {self.focus}")

    # hands

    def _do(self, *words: str) -> None:
        subprocess.run(["xdotool", *words], env=self.env, check=True, timeout=PATIENCE_S)

    def type(self, text: str) -> None:
        """Characters, one after another, to whatever has the focus then."""
        self.count += len(text)
        self._do("type", "--delay", str(KEY_MS), "--", text)

    def rush(self, *texts: str) -> None:
        """Texts, each with Enter, as fast as they go, so that the window is behind."""
        words: list[str] = []
        for text in texts:
            words += ["type", "--args", "1", "--delay", "1", "--", text] if text else []
            words += ["key", "--delay", "1", "Return"]
        self._do(*words)

    def key(self, *names: str) -> None:
        """Keys by their X names."""
        self.count += len(names)
        self._do("key", "--delay", str(KEY_MS), *names)

    def pause(self) -> None:
        """A look at the drawing: what the window does meanwhile must not matter."""
        time.sleep(PAUSE_S)

    def answer(self, *texts: str) -> None:
        """Texts, each with Enter."""
        for text in texts:
            if text:
                self.type(text)
            self.key("Return")

    def click(self, word: str, kind: str = "") -> None:
        """A click in the middle of what bears a word."""
        at: list[int] = []

        def there() -> bool:
            at[:] = self.see("place", word=word, kind=kind) or []
            return bool(at)

        self._wait(there, f"“{word}” to be seen")
        self.count += 1
        self._do("mousemove", str(at[0]), str(at[1]), "click", "1")

    def tab_to(self, name: str, most: int = 30) -> None:
        """Tab after Tab to a thing."""
        for _ in range(most):
            if self.focus["name"] == name:
                return
            self.key("Tab")
        raise AssertionError(f"Tab doesn't come to {name}")

    def add(self, word: str) -> None:
        """A step by a word, from wherever the focus is."""
        before = len(self.state["steps"])
        self.key("ctrl+t")
        self.focused("Word for the new step")
        self.answer(word)
        self.until(lambda s: len(s["steps"]) == before + 1, f"the step {word}")

    def save(self, name: str) -> Path:
        """Save the job under a name, by the dialog."""
        path = self.folder / name
        self.key("ctrl+shift+s")
        self.until(lambda s: s["dialog"], "the dialog")
        self.key("ctrl+a")
        self.type(str(path))
        self.key("Return")
        self.until(lambda s: s["saved"] == "saved", "the job to be saved")
        return path

    def close(self) -> None:
        """End the window's process."""
        self._eyes.close()
        self.process.terminate()
        self.process.wait()


@pytest.fixture
def hands(display: str, tmp_path: Path) -> Iterator[Callable[[str | None], Hands]]:
    """Opens the application for two hands."""
    opened: list[Hands] = []

    def open_(word: str | None = None) -> Hands:
        if word is not None:
            word = shutil.copy(word, tmp_path)
        opened.append(Hands(display, tmp_path, word))
        return opened[-1]

    yield open_
    for one in opened:
        one.close()
        log = tmp_path / "state" / "bastler" / "faults.log"
        assert not log.exists(), log.read_text()
