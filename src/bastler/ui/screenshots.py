"""Pictures of every main view from the demo job, at 1280 x 800, without a display."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

SIZE = (1280, 800)
PATIENCE_S = 90.0


def take_all(folder: Path) -> list[str]:
    """Write the pictures; returns their names."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    with tempfile.TemporaryDirectory() as home:
        for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME"):
            os.environ[name] = home
        return _Photographer(folder).run()


class _Photographer:
    """Drives a window through its views."""

    def __init__(self, folder: Path) -> None:
        from bastler.core.demo import demo_job
        from bastler.ui.app import application
        from bastler.ui.window import Window

        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)
        self.app = application()
        self.window = Window(demo_job())
        self.window.resize(*SIZE)
        self.window.show()
        self.names: list[str] = []
        self.picture = 0
        self.window.solid.view.pictured.connect(self._pictured)

    def _pictured(self, number: int) -> None:
        self.picture = number

    def until(self, done: Callable[[], bool]) -> None:
        """Let the window work until something is so."""
        end = time.monotonic() + PATIENCE_S
        while not done() and time.monotonic() < end:
            self.app.processEvents()
            time.sleep(0.01)
        for _ in range(5):
            self.app.processEvents()

    def checked(self) -> None:
        """Wait for the check."""
        s = self.window.session
        self.until(lambda: s.checked is not None and s.checking is None and not self.window.checker._timer.isActive())

    def settled(self) -> None:
        """Wait for the stock of the moment and its picture."""
        c, view = self.window.checker, self.window.solid.view
        self.until(lambda: not c._stock_busy and c._stock_wanted is None)
        number = view.number
        self.until(lambda: self.picture >= number)

    def shoot(self, name: str) -> None:
        """One picture."""
        self.until(lambda: True)
        self.window.grab().save(str(self.folder / f"{name}.png"))
        self.names.append(f"{name}.png")

    def run(self) -> list[str]:
        """Every view."""
        w = self.window
        s = w.session
        self.checked()
        s.select("left")
        w.show_station("Steps")
        w.stations["Steps"].form.focus_field("length")  # type: ignore[attr-defined]
        self.shoot("steps-day")
        w.switch_theme()
        s.select("bolts")
        self.shoot("steps-night")
        w.switch_theme()
        w.stations["Steps"].show_view("Both")  # type: ignore[attr-defined]
        s.select("right")
        self.settled()
        self.shoot("steps-both")
        w.stations["Steps"].show_view("Sheet")  # type: ignore[attr-defined]
        s.select("dowels")
        w.stations["Steps"].form.focus_field("diameter")  # type: ignore[attr-defined]
        self.shoot("recipe")
        self._asked_question()
        self._finding()
        w.show_station("Setup")
        self.settled()
        self.shoot("setup")
        w.stations["Setup"].show_page(1)  # type: ignore[attr-defined]
        w.stations["Setup"].tools.table.setCurrentCell(10, 0)  # type: ignore[attr-defined]
        self.shoot("tools")
        w.stations["Setup"].show_page(3)  # type: ignore[attr-defined]
        self.shoot("machine")
        w.stations["Setup"].show_page(2)  # type: ignore[attr-defined]
        w.stations["Setup"].patterns.table.setCurrentCell(1, 0)  # type: ignore[attr-defined]
        w.stations["Setup"].patterns.form.focus_field("circle_diameter")  # type: ignore[attr-defined]
        self.shoot("patterns")
        w.show_station("Check")
        s.set_time(w.ribbon.total * 0.58)
        w.solid.lines.click()
        self.settled()
        self.shoot("check-solid")
        w.solid.lines.click()
        w.solid.compare.click()
        self.settled()
        self.shoot("check-deviation")
        w.solid.compare.click()
        s.set_time(w.ribbon.total)
        w.solid.section.setCurrentIndex(2)
        self.settled()
        self.shoot("check-section")
        w.solid.section.setCurrentIndex(0)
        w.show_station("Code")
        self.until(lambda: True)
        s.select("left")
        w.stations["Code"].go_to_line(70)  # type: ignore[attr-defined]
        self.shoot("code")
        w.session.saved_job = w.session.job
        w.close()
        return self.names

    def _asked_question(self) -> None:
        """A new pocket whose length nobody has given."""
        w, s = self.window, self.window.session
        station = w.stations["Steps"]
        s.select("right")
        s.type_value("right", "length", "")
        station.form.focus_field("length")  # type: ignore[attr-defined]
        self.checked()
        self.shoot("asked-question")
        s.undo()
        self.checked()

    def _finding(self) -> None:
        """The face as small as the part: a strip stays."""
        w, s = self.window, self.window.session
        job = s.job
        for key, text in (
            ("area", "rectangle"),
            ("centre_x", "100"),
            ("centre_y", "60"),
            ("length", "200"),
            ("width", "120"),
        ):
            s.type_value("face", key, text)
        s.select("face")
        s.checked = None
        self.checked()
        w.show_station("Check")
        self.settled()
        item = w.stations["Check"].list.item(0)  # type: ignore[attr-defined]
        w.stations["Check"].list.setCurrentItem(item)  # type: ignore[attr-defined]
        w.stations["Check"]._show_item(item)  # type: ignore[attr-defined]
        self.settled()
        self.shoot("finding")
        s.edit(job)
        s.checked = None
        self.checked()
        w.show_station("Steps")
