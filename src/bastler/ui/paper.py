"""The setup sheet on paper: pictures drawn by the window's own drawings, pages by Qt's PDF writer."""

from __future__ import annotations

import base64
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF, QSize, QUrl
from PyQt6.QtGui import QFont, QImage, QPagedPaintDevice, QPageLayout, QPageSize, QPainter, QPdfWriter, QTextDocument
from PyQt6.QtSvg import QSvgGenerator
from PyQt6.QtWidgets import QWidget

from bastler.core.checked import Checked
from bastler.core.diskfiles import write_atomically
from bastler.core.exchange.setupsheet import collect, html
from bastler.core.job.document import Job
from bastler.core.plans.plan import Plan
from bastler.core.quantities import Units
from bastler.core.tooling.tools import Tool
from bastler.ui.application import application
from bastler.ui.benches import window_bench
from bastler.ui.session import Session
from bastler.ui.sheets.setupdrawing import SetupSheet
from bastler.ui.sheets.sheet import Sheet
from bastler.ui.sheets.toolsheet import ToolSheet
from bastler.ui.theme import style
from bastler.ui.theme.tokens import DAY

if TYPE_CHECKING:
    from bastler.ui.scene.renderer import Renderer

if TYPE_CHECKING:
    from PyQt6.QtPrintSupport import QPrinter

SETUP_PX, TOOL_PX, PART_PX = QSize(1000, 560), QSize(260, 420), QSize(1400, 760)
PAPER = "#FFFFFF"
PRINT = replace(DAY, paper=PAPER)
"""Daylight on white paper."""
PAGE_PT = 10.0


def pictures(job: Job, plan: Plan, checked: Checked) -> dict[str, QImage]:
    """Block with zero and clamping, every tool that is called, and the checked part."""
    found = {"setup": _grab(SetupSheet(Session(job), PRINT), SETUP_PX), "part": _part(plan, checked)}
    for number in dict.fromkeys(checked.motion.tool.tolist()):
        tool = plan.tools.get(int(number))
        if tool is not None:
            found[f"tool{tool.number}"] = _tool(tool, job.units)
    return found


def _grab(widget: QWidget, size: QSize) -> QImage:
    widget.resize(size)
    image = QImage(size * 2, QImage.Format.Format_RGB32)
    image.setDevicePixelRatio(2.0)
    image.fill(0xFFFFFF)
    widget.render(image)
    return image


def _tool(tool: Tool, units: Units) -> QImage:
    sheet = ToolSheet(PRINT)
    sheet.show_tool(tool, None, units)
    sheet.plain = True
    image = _grab(sheet, TOOL_PX)
    return image.copy(120, 30, image.width() - 240, image.height() - 180)


def _part(plan: Plan, checked: Checked) -> QImage:
    """The stock after the last move in the colours of its steps, seen from the corner."""
    from bastler.ui.scene.renderer import Renderer

    scene = Renderer()
    scene.set_background(PAPER)
    window_bench(plan).draw_part(scene, plan, checked)
    return _picture(scene)


def _picture(scene: Renderer) -> QImage:
    """A scene seen from the corner."""
    scene.resize(PART_PX.width(), PART_PX.height())
    scene.view("iso")
    picture = np.ascontiguousarray(scene.image())
    height, width = picture.shape[:2]
    return QImage(picture.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()


def write_pdf(job: Job, plan: Plan, checked: Checked, path: Path) -> int:
    """Write the setup sheet as PDF; returns the number of pages."""
    application()
    style.apply(application(), DAY)
    document = QTextDocument()
    images = pictures(job, plan, checked)
    for name, image in images.items():
        document.addResource(QTextDocument.ResourceType.ImageResource.value, QUrl(f"picture:{name}"), image)
    font = QFont(style.font(PAGE_PT))
    font.clearFeatures()  # figures of equal width are glyphs that a PDF can't name: nobody could search or copy them
    document.setDefaultFont(font)
    document.setHtml(html(collect(plan, checked), {n: f"picture:{n}" for n in images}, font.family()))
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setTitle(f"{job.name}: setup sheet")
    writer.setPageLayout(
        QPageLayout(
            QPageSize(QPageSize.PageSizeId.A4),
            QPageLayout.Orientation.Portrait,
            QMarginsF(0, 0, 0, 0),
            QPageLayout.Unit.Millimeter,
        )
    )
    document.print(writer)
    buffer.close()
    written = data.data()
    write_atomically(path, written)
    return written.count(b"/Type /Page\n")


def write_html(job: Job, plan: Plan, checked: Checked, path: Path) -> int:
    """Write the setup sheet as one page with its pictures inside; returns its size in bytes."""
    application()
    style.apply(application(), DAY)
    addresses = {}
    for name, image in pictures(job, plan, checked).items():
        data = QByteArray()
        buffer = QBuffer(data)
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        image.save(buffer, "PNG")
        addresses[name] = "data:image/png;base64," + base64.b64encode(data.data()).decode()
    text = html(collect(plan, checked), addresses, "Atkinson Hyperlegible Next").encode()
    write_atomically(path, text)
    return len(text)


def draw_sheet(widget: QWidget, path: Path) -> int:
    """A drawing of the window as SVG, PDF or PNG, by the ending of ``path``; returns its size in bytes."""
    if path.suffix.lower() == ".png":
        data = QByteArray()
        buffer = QBuffer(data)
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        _grab_now(widget).save(buffer, "PNG")
    else:
        data = _vector(widget, path.suffix.lower())
    written = data.data()
    write_atomically(path, written)
    return len(written)


def _grab_now(widget: QWidget) -> QImage:
    return widget.grab().toImage()


def print_sheet(widget: QWidget, printer: QPrinter) -> None:
    """A drawing of the window on paper, as large as the page."""
    scale = _fill_page(widget, printer)
    painter = QPainter(printer)
    painter.scale(scale, scale)
    widget.render(painter, flags=QWidget.RenderFlag.DrawChildren)
    painter.end()


def _fill_page(widget: QWidget, device: QPagedPaintDevice) -> float:
    """An A4 page across; by how much the widget grows to fill it."""
    size, margins = QPageSize(QPageSize.PageSizeId.A4), QMarginsF(10, 10, 10, 10)
    device.setPageLayout(QPageLayout(size, QPageLayout.Orientation.Landscape, margins, QPageLayout.Unit.Millimeter))
    return min(device.width() / widget.width(), device.height() / widget.height())


def _vector(widget: QWidget, ending: str) -> QByteArray:
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    device: QPdfWriter | QSvgGenerator
    if ending == ".pdf":
        device = QPdfWriter(buffer)
        scale = _fill_page(widget, device)
    else:
        device = svg = QSvgGenerator()
        svg.setOutputDevice(buffer)
        svg.setSize(widget.size())
        svg.setViewBox(widget.rect())
        scale = 1.0
    painter = QPainter(device)
    painter.scale(scale, scale)
    widget.render(painter, flags=QWidget.RenderFlag.DrawChildren)
    painter.end()
    buffer.close()
    return data


def write_svg(job: Job, path: Path) -> int:
    """The sheet of a job, its last step selected, as SVG."""
    application()
    style.apply(application(), DAY)
    session = Session(job)
    if session.steps:
        session.select(session.steps[-1].id)
    sheet = Sheet(session, PRINT)
    sheet.resize(SETUP_PX.width(), SETUP_PX.height() + 200)
    return draw_sheet(sheet, path)
