"""What the window can do: one table of commands with their keys."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from bastler.ui.commands import Command
from bastler.ui.stations.station import STATIONS

if TYPE_CHECKING:
    from bastler.ui.stations.check import CheckStation
    from bastler.ui.window import Window

LOOKS = (
    ("closer", "Look closer", "Ctrl++ | Ctrl+="),
    ("farther", "Look from farther", "Ctrl+-"),
    ("whole", "The whole part", "Ctrl+0"),
    ("selected", "The selected step, as large as it fits", "Ctrl+9"),
)
PAGES = ("Stock and zero", "Tools", "Magazine", "Patterns", "Machine", "Material")


def commands_of(window: Window) -> list[Command]:
    """Everything the window can do, in the order of its menus."""
    groups = (_places, _jobs, _steps, _views, _checks, _help)
    return [command for group in groups for command in group(window)]


def _places(window: Window) -> list[Command]:
    """Stations, pages of the setup, setups."""
    s = window.session

    return [
        *(Command(f"station.{w}", f"{w} station", "Stations", f"Ctrl+{i}", partial(window.show_station, w)) for i, w in enumerate(STATIONS, 1)),
        *(Command(f"setup.{page.split()[0].lower()}", page, "Setup", f"Ctrl+Shift+{i}", partial(window._setup_page, page)) for i, page in enumerate(PAGES, 1)),
        Command("setup.next", "Next setup", "Setup", "Alt+Right", lambda: s.show_setup(s.at + 1), lambda: s.at + 1 < len(s.job.setups)),
        Command("setup.before", "Setup before", "Setup", "Alt+Left", lambda: s.show_setup(s.at - 1), lambda: s.at > 0),
        Command("setup.add", "Add a setup", "Setup", "Ctrl+Shift+A", window._add_setup),
        Command("setup.delete", "Delete the setup", "Setup", "Ctrl+Shift+Del", s.delete_setup, lambda: len(s.job.setups) > 1),
    ]  # fmt: skip


def _jobs(window: Window) -> list[Command]:
    """Files, output, undo."""
    return [
        Command("job.new", "New job", "Job", "Ctrl+N", window.new),
        Command("job.start", "Keep as a starting point …", "Job", "Ctrl+Shift+N", window.keep_start),
        Command("job.open", "Open …", "Job", "Ctrl+O", window.open_file),
        Command("job.save", "Save", "Job", "Ctrl+S", window.save),
        Command("job.save_as", "Save as …", "Job", "Ctrl+Shift+S", window.save_as),
        Command("job.output", "Save G-code …", "Job", "Ctrl+E", window.save_code),
        Command("job.copy", "Copy the G-code", "Job", "Ctrl+Shift+C", window.copy_code),
        Command("job.compare", "Compare with the saved G-code", "Job", "Ctrl+Shift+K", window.compare_code),
        Command("job.paper", "Setup sheet …", "Job", "Ctrl+Shift+E", window.save_paper),
        Command("job.picture", "Save the picture …", "Job", "Ctrl+Shift+G", lambda: window.save_picture(window._picture())),
        Command("job.print", "Print the picture …", "Job", "Ctrl+Shift+Q", lambda: window.print_picture(window._picture())),
        Command("job.units", "Change units …", "Job", "", window.change_units),
        Command("edit.undo", "Undo", "Edit", "Ctrl+Z", window.undo, window.can_undo),
        Command("edit.redo", "Redo", "Edit", "Ctrl+Shift+Z | Ctrl+Y", lambda: window.undo(again=True), lambda: window.can_undo(again=True)),
    ]  # fmt: skip


def _steps(window: Window) -> list[Command]:
    """The plan and its steps."""
    s = window.session

    def has_step() -> bool:
        return s.current is not None

    steps = window._steps

    def add() -> None:
        window.show_station("Steps")
        steps().open_add()

    def to_form() -> None:
        window.show_station("Steps")
        steps().close_add()
        steps().form.focus_first()

    def clip(run: str, *args: object) -> None:
        from bastler.ui import clipboard

        getattr(clipboard, run)(*args)

    return [
        Command("step.add", "Add a step", "Steps", "Ctrl+T", add),
        Command("step.next", "Next step", "Steps", "Alt+Down", lambda: window._walk(1), has_step),
        Command("step.before", "Step before", "Steps", "Alt+Up", lambda: window._walk(-1), has_step),
        Command("step.down", "Move the step down", "Steps", "Ctrl+Down", lambda: s.move_step(1), has_step),
        Command("step.up", "Move the step up", "Steps", "Ctrl+Up", lambda: s.move_step(-1), has_step),
        Command("step.copy", "Double the step", "Steps", "Ctrl+D", s.copy_step, has_step),
        Command("steps.copy", "Copy steps", "Steps", "Ctrl+C", lambda: clip("copy_steps", s, window.front.picked()), has_step),
        Command("steps.cut", "Cut steps out", "Steps", "Ctrl+X", lambda: clip("cut_steps", s, window.front.picked()), has_step),
        Command("steps.paste", "Put copied steps in", "Steps", "Ctrl+V", lambda: clip("paste_steps", window, s)),
        Command("step.repeat", "Repeat the step elsewhere", "Steps", "Ctrl+Shift+D", s.repeat_step, has_step),
        Command("step.switch", "Switch the step on or off", "Steps", "Ctrl+Space", s.switch_step, has_step),
        Command("step.delete", "Delete the steps", "Steps", "Ctrl+Del", lambda: s.delete_steps(window.front.picked()), has_step),
        Command("step.single", "Open recipe or copies into single steps", "Steps", "Ctrl+Shift+R", s.open_recipe, lambda: s.current is not None and bool(s.current.parts)),
        Command("step.pattern", "Name the step's pattern for other steps", "Steps", "Ctrl+Shift+P", window._name_pattern, has_step),
        Command("step.keep", "Keep the typed values with the tool", "Steps", "Ctrl+K", s.keep_values, lambda: s.keepable is not None),
        Command("step.remedy", "Take the remedy that the step names", "Steps", "Ctrl+R", s.take_remedy, lambda: s.remedy is not None),
        Command("step.form", "To the form", "Steps", "Ctrl+Return", to_form, has_step),
        Command("steps.gather", "Gather steps by tool", "Steps", "Ctrl+G", window.gather),
    ]  # fmt: skip


def _views(window: Window) -> list[Command]:
    """How the part is looked at."""
    return [
        Command("view.sheet", "Sheet, solid or both", "View", "Ctrl+B", window._next_view),
        Command("view.paths", "Paths on the sheet", "View", "Ctrl+Shift+L", window._paths),
        Command("view.measure", "Measure on the sheet", "View", "Ctrl+M", window._measure),
        *(Command(f"view.{word}", title, "View", keys, partial(window.look, word)) for word, title, keys in LOOKS),
        Command("view.theme", "Day or night", "View", "Ctrl+L", window.switch_theme),
    ]  # fmt: skip


def _checks(window: Window) -> list[Command]:
    """The replay."""

    def check() -> CheckStation:
        from bastler.ui.stations.check import CheckStation

        window.show_station("Check")
        return window.station_of(CheckStation)

    return [
        Command("check.play", "Play or stop", "Check", "Ctrl+P", lambda: check().play()),
        Command("check.move", "Next move", "Check", "Ctrl+Right", lambda: check().go_move(1)),
        Command("check.move_back", "Move before", "Check", "Ctrl+Left", lambda: check().go_move(-1)),
        Command("check.step", "Next step of the replay", "Check", "Ctrl+Shift+Right", lambda: check().go_step(1)),
        Command("check.step_back", "Step before of the replay", "Check", "Ctrl+Shift+Left", lambda: check().go_step(-1)),
        Command("check.hold", "Compare with this moment", "Check", "Ctrl+Shift+M", lambda: check().hold()),
        Command("check.cancel", "Cancel what is running", "Check", "Ctrl+.", window.cancel),
    ]  # fmt: skip


def _help(window: Window) -> list[Command]:
    """Keys, version."""
    return [
        Command("help.about", "About Bastler", "Help", "", window.about_bastler),
        Command("help.keys", "All shortcuts", "Help", "Ctrl+H | F1", window.show_overview),
    ]  # fmt: skip
