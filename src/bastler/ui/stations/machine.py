"""The machine page: the profile's fields, its spindle as a graph; own profiles are copies that can be edited."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QWidget

from bastler.core.fields import Field
from bastler.core.post.dialect import dialects
from bastler.core.problems import Unusable
from bastler.core.tooling import profiles
from bastler.ui.drawing.powersheet import PowerSheet
from bastler.ui.forms.form import Form
from bastler.ui.session import Session, with_value
from bastler.ui.theme.tokens import Theme
from bastler.ui.widgets.page import bench, record_head

FORM_PX = 400
OWN = "own-"


class MachinePage(QWidget):
    """Shows the setup's machine; every valid edit of an own one is kept at once."""

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self.session = session
        self.fields: tuple[Field, ...] = profiles.fields(tuple((d.name, d.name) for d in dialects().values()))
        self._id = ""
        self._texts: dict[str, str] = {}
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(0)
        column, box = bench(FORM_PX, (0, 4, 0, 12))
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the machine")
        self.name.textEdited.connect(lambda _: self._keep())
        box.addLayout(record_head(QLabel("Name"), self.name))
        self.hint = QLabel()
        self.hint.setWordWrap(True)
        self.hint.setProperty("role", "soft")
        self.hint.setContentsMargins(16, 0, 16, 0)
        box.addWidget(self.hint)
        self.form = Form({"Place": "Program", "Size": "Axes", "Cut": "Spindle and tools"})
        self.form.typed.connect(self._typed)
        box.addWidget(self.form, 1)
        self.copy_button = QPushButton("Make my own copy")
        self.copy_button.clicked.connect(self.copy)
        foot = QHBoxLayout()
        foot.setContentsMargins(16, 0, 16, 0)
        foot.addWidget(self.copy_button)
        box.addLayout(foot)
        line.addWidget(column)
        self.sheet = PowerSheet(theme)
        line.addWidget(self.sheet, 1)
        session.changed.connect(self.refresh)
        self.refresh()

    @property
    def own(self) -> bool:
        """Whether the machine in view is the user's."""
        return self._id.startswith(OWN)

    def refresh(self) -> None:
        """Show the machine that the setup has."""
        machine = self.session.plan.frame.machine
        if machine.id != self._id:
            self._id, self._texts = machine.id, profiles.typed(machine)
            self.name.setText(machine.name)
        self.name.setEnabled(self.own)
        self.form.setEnabled(self.own)
        self.copy_button.setFocus() if not self.own and self.isVisible() else None
        self.hint.setText(
            "Your own profile: every change is kept at once, and every job on this machine follows."
            if self.own
            else "A shipped profile stays as it is. Make your own copy to change it."
        )
        self._show()

    def _show(self) -> bool:
        """Bring form and graph to the texts; whether they make a machine."""
        made, answers = profiles.machine_of(self._id, self.name.text(), self._texts, self.fields)
        self.form.show_form(self.fields, self._texts, answers, "mm")
        self.sheet.show_machine(made)
        return made is not None

    def _typed(self, key: str, text: str) -> None:
        self._texts = with_value(self._texts, key, text)
        self._keep()

    def _keep(self) -> None:
        """Save an own profile that is complete."""
        made, _ = profiles.machine_of(self._id, self.name.text().strip() or "Machine", self._texts, self.fields)
        self._show()
        if made is not None and self.own:
            try:
                profiles.save(made)
            except (Unusable, OSError) as error:
                self.session.message.emit(str(error))
            self.session.replan()

    def copy(self) -> None:
        """An own profile like the one in view, which the setup then uses."""
        name = f"{self.name.text()} (own)"
        made, _ = profiles.machine_of(profiles.new_id(name), name, self._texts, self.fields)
        if made is None:
            return
        try:
            profiles.save(made)
        except (Unusable, OSError) as error:
            self.session.message.emit(str(error))
            return
        self.session.edit(self.session.job.with_setup(self.session.setup.changed(machine=made.id)))
        self.name.setFocus()
        self.name.selectAll()

    def set_theme(self, theme: Theme) -> None:
        """Redraw in a theme."""
        self.sheet.set_theme(theme)
