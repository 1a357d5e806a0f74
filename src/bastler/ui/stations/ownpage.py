"""A page for a table of which the user may have own copies: the machine's profile, the material."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtWidgets import QHBoxLayout, QPushButton

from bastler.core.post.dialect import dialects
from bastler.core.problems import Unusable
from bastler.core.tooling.own import OwnKind, is_own, new_id
from bastler.core.tooling.ownmaterials import OWN_MATERIALS
from bastler.core.tooling.profileforms import own_machines
from bastler.ui.edits import with_value
from bastler.ui.forms.form import Form
from bastler.ui.plain.label import Label
from bastler.ui.plain.line import LineEdit
from bastler.ui.session import Session
from bastler.ui.sheets.graphsheet import GraphSheet
from bastler.ui.stations.station import Page
from bastler.ui.theme.tokens import Theme
from bastler.ui.widgets.page import bench, record_head

FORM_PX = 400


class OwnPage(Page):
    """Shows the one that the setup uses; every valid edit of an own one is kept at once."""

    def __init__(self, session: Session, theme: Theme, kind: OwnKind, groups: Mapping[str, str]) -> None:
        super().__init__()
        self.session, self.kind = session, kind
        self._id = ""
        self._texts: dict[str, str] = {}
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(0)
        column, box = bench(FORM_PX, (0, 4, 0, 12))
        self.name = LineEdit()
        self.name.setAccessibleName(f"Name of the {kind.word}")
        self.name.textEdited.connect(lambda _: self._keep())
        box.addLayout(record_head(Label("Name"), self.name))
        self.hint = Label()
        self.hint.setWordWrap(True)
        self.hint.setProperty("role", "soft")
        self.hint.setContentsMargins(16, 0, 16, 0)
        box.addWidget(self.hint)
        self.form: Form = Form(dict(groups))
        self.form.typed.connect(self._typed)
        box.addWidget(self.form, 1)
        self.copy_button = QPushButton("Make my own copy")
        self.copy_button.clicked.connect(self.copy)
        foot = QHBoxLayout()
        foot.setContentsMargins(16, 0, 16, 0)
        foot.addWidget(self.copy_button)
        box.addLayout(foot)
        line.addWidget(column)
        self.sheet = GraphSheet(theme)
        line.addWidget(self.sheet, 1)
        session.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the one that the setup uses."""
        used = getattr(self.session.plan.frame, self.kind.word)
        if used.id != self._id:
            self._id, self._texts = used.id, self.kind.texts(used)
            self.name.setText(used.name)
        own = is_own(self._id)
        self.name.setEnabled(own)
        self.form.setEnabled(own)
        self.hint.setText(
            f"Your own copy. Changes are saved at once and apply to every job that uses this {self.kind.word}."
            if own
            else f"A shipped {self.kind.word} stays as it is. Make your own copy to change it."
        )
        self._show()

    def _show(self) -> None:
        """Bring form and graph to the texts."""
        made, answers = self.kind.made(self._id, self.name.text(), self._texts)
        self.form.show_form(self.kind.fields, self._texts, answers, "mm")
        self.sheet.show_graph(self.kind.graph(made) if made is not None else None)

    def _typed(self, key: str, text: str) -> None:
        self._texts = with_value(self._texts, key, text)
        self._keep()

    def _keep(self) -> None:
        """Save an own one that is complete."""
        name = self.name.text().strip() or self.kind.word.capitalize()
        made, _ = self.kind.made(self._id, name, self._texts)
        self._show()
        if made is not None and is_own(self._id):
            self._save(made)
            self.session.replan()

    def _save(self, made: object) -> bool:
        try:
            self.kind.save(made)
        except (Unusable, OSError) as error:
            self.session.message.emit(str(error))
            return False
        return True

    def copy(self) -> None:
        """An own one like that in view, which the setup then uses."""
        name = f"{self.name.text()} (own)"
        key = new_id(name, self.kind.known(), self.kind.word)
        made, _ = self.kind.made(key, name, self._texts)
        if made is None or not self._save(made):
            return
        self.session.edit(self.session.with_setup(self.session.setup.changed(**{self.kind.word: key})))
        self.name.setFocus()
        self.name.selectAll()

    def enter(self) -> None:
        """The page comes to the front."""
        if not is_own(self._id):
            self.copy_button.setFocus()

    def set_theme(self, theme: Theme) -> None:
        """Redraw in a theme."""
        self.sheet.set_theme(theme)


def machine_page(session: Session, theme: Theme) -> OwnPage:
    """The setup's machine with its spindle's curve."""
    kind = own_machines({d.name: d.machine for d in dialects().values()})
    return OwnPage(session, theme, kind, {"Place": "Program", "Size": "Axes", "Cut": "Spindle and tools"})


def material_page(session: Session, theme: Theme) -> OwnPage:
    """The setup's material with its cutting force."""
    groups = {"Place": "Kind", "Size": "Cutting force", "Cut": "Speeds and feeds to start with"}
    return OwnPage(session, theme, OWN_MATERIALS, groups)
