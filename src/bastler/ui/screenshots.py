"""Pictures of every main view from the demo job, at 1280 x 800, without a display."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from bastler.ui.stations.check import CheckStation
from bastler.ui.stations.code import CodeStation
from bastler.ui.stations.records import RecordPage
from bastler.ui.stations.setup import SetupStation
from bastler.ui.stations.steps import StepsStation

if TYPE_CHECKING:
    from bastler.ui.session import Session

SIZE = (1280, 800)
PATIENCE_S = 90.0


def take_all(folder: Path) -> list[str]:
    """Write the pictures; returns their names."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    with tempfile.TemporaryDirectory() as home:
        for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME"):
            os.environ[name] = home
        return _Photographer(folder).run()


def sample_pictures(folder: Path) -> None:
    """The small pictures of the sample jobs, and of a starting point: the part as its last step leaves it."""
    from PyQt6.QtCore import Qt

    from bastler.core.demo import SAMPLE_JOBS, demo_job, new_job
    from bastler.ui.application import application
    from bastler.ui.session import Session
    from bastler.ui.sheets.sheet import Sheet
    from bastler.ui.widgets.joblist import ICON_PX

    application()
    folder.mkdir(parents=True, exist_ok=True)
    jobs = {Path(s.file).stem: demo_job(s.file) for s in SAMPLE_JOBS} | {"start": new_job()}
    for name, job in jobs.items():
        session = Session(job)
        session.selected = _last_milled(session)
        sheet = Sheet(session)
        sheet.with_dimensions = sheet.with_section = False
        sheet.resize(ICON_PX[0] * 6, ICON_PX[1] * 6)
        picture = sheet.grab().scaled(
            ICON_PX[0] * 2,
            ICON_PX[1] * 2,
            Qt.AspectRatioMode.KeepAspectRatio,
            Qt.TransformationMode.SmoothTransformation,
        )
        picture.save(str(folder / f"{name}.png"))


def _last_milled(session: Session) -> str | None:
    """The last step whose driven tool works on the end face: there a part of a turning centre tells most."""
    return next((s.id for s in reversed(session.steps) if s.values.get("works_on") == "end"), None)


class _Photographer:
    """Drives a window through its views."""

    def __init__(self, folder: Path) -> None:
        from bastler.core.demo import demo_job
        from bastler.ui.application import application
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
        w.station_of(StepsStation).form.focus_field("length")
        self.shoot("steps-day")
        w.switch_theme()
        s.select("bolts")
        self.shoot("steps-night")
        w.switch_theme()
        self._which_tool()
        self._asked_question()
        self._finding()
        w.show_station("Setup")
        self.settled()
        self.shoot("setup")
        w.station_of(SetupStation).show_page("Tools")
        tools = w.station_of(SetupStation).page("Tools")
        assert isinstance(tools, RecordPage)
        tools.table.setCurrentCell(10, 0)
        self.shoot("tools")
        w.station_of(SetupStation).show_page("Patterns")
        patterns = w.station_of(SetupStation).page("Patterns")
        assert isinstance(patterns, RecordPage)
        patterns.table.setCurrentCell(1, 0)
        patterns.form.focus_field("circle_diameter")
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
        w.show_station("Code")
        self.until(lambda: True)
        s.select("left")
        w.station_of(CodeStation).go_to_line(70)
        self.shoot("code")
        self._contours()
        self._second_setup()
        self._lathe()
        w.session.saved_job = w.session.job
        w.close()
        return self.names

    def _which_tool(self) -> None:
        """The tools for a pocket whose corners are too small for the first of them."""
        w, s = self.window, self.window.session
        station = w.station_of(StepsStation)
        s.select("left")
        s.type_value("left", "corner", "5.5")
        station.offer_tools("tool")
        self.shoot("which-tool")
        station._close_chooser()
        s.undo()

    def _contours(self) -> None:
        """The drain tray: a pocket with islands, and a contour with two answers."""
        from bastler.core.demo import TRAY, demo_job

        w, s = self.window, self.window.session
        station, job = w.station_of(StepsStation), s.job
        tray = demo_job(TRAY)
        s.edit(tray)
        w.show_station("Steps")
        self.checked()
        s.select("basin")
        station.show_paths(True)
        self.shoot("contour-pocket")
        station.show_paths(False)
        rim = tray.contours[0]
        s.select("rim")
        s.edit(tray.changed(contours=(rim.changed(values={"closed": "yes"}), *tray.contours[1:])))
        station.desk.edit(rim.id)
        station.desk.panel.select(0)
        self.shoot("contour-answers")
        station.desk.close()
        s.edit(job)
        self.checked()

    def _second_setup(self) -> None:
        """The plate turned over, with a recess for the spindle's end cut from its back."""
        w, s = self.window, self.window.session
        s.add_setup()
        s.type_setup("turned_over", "y")
        s.add_step("round")
        recess = {"points": "100, 60", "diameter": "52", "depth": "6", "tool": "2"}
        for key, text in recess.items():
            s.type_value(str(s.selected), key, text)
        self.checked()
        w.show_station("Check")
        s.set_time(w.ribbon.total)
        self.settled()
        self.shoot("second-setup")

    def _lathe(self) -> None:
        """The spindle from bar to part, and the handle hub with what driven tools do to it."""
        from bastler.core.demo import HUB, SPINDLE, demo_job

        w, s = self.window, self.window.session
        s.at = 0
        s.edit(demo_job(SPINDLE))
        s.forget_check()
        self.checked()
        w.show_station("Setup")
        w.station_of(SetupStation).show_page("Stock and zero")
        w.station_of(SetupStation).form.focus_field("out")
        self.settled()
        self.shoot("lathe-setup")
        w.show_station("Steps")
        station = w.station_of(StepsStation)
        s.select("finish")
        station.close_add()
        station.show_paths(True)
        self.shoot("lathe-turned")
        station.show_paths(False)
        w.show_station("Check")
        assert s.checked is not None
        begin, end = next((begin, end) for step, begin, end in s.checked.spans() if step == s.index_of("grooves"))
        s.set_time(begin + 0.67 * (end - begin))
        self.settled()
        self.shoot("lathe-check")
        s.edit(demo_job(HUB))
        s.forget_check()
        self.checked()
        w.show_station("Steps")
        s.select("threads")
        station.close_add()
        station.form.focus_field("circle_diameter")
        self.shoot("driven-face")
        w.show_station("Check")
        assert s.checked is not None
        begin, end = next((begin, end) for step, begin, end in s.checked.spans() if step == s.index_of("handles"))
        s.set_time(begin + 0.75 * (end - begin))
        self.settled()
        self.shoot("driven-check")

    def _asked_question(self) -> None:
        """A new pocket whose length nobody has given."""
        w, s = self.window, self.window.session
        station = w.station_of(StepsStation)
        s.select("right")
        s.type_value("right", "length", "")
        station.form.focus_field("length")
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
        s.forget_check()
        self.checked()
        w.show_station("Check")
        self.settled()
        item = w.station_of(CheckStation).list.item(0)
        w.station_of(CheckStation).list.setCurrentItem(item)
        w.station_of(CheckStation)._show_item(item)
        self.settled()
        self.shoot("finding")
        s.edit(job)
        s.forget_check()
        self.checked()
        w.show_station("Steps")
