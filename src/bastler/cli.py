"""The command line. Exit status: 0 done, 1 a ``stop`` finding, 2 input that can't be used (one line on stderr)."""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from bastler import __version__
from bastler.core import faults
from bastler.core.data import Table as Read
from bastler.core.diskfiles import read_file, write_atomically
from bastler.core.job.document import Job
from bastler.core.jobfiles.store import SUFFIX, load
from bastler.core.problems import Unusable

if TYPE_CHECKING:
    from bastler.core.plans.plan import Plan

app = typer.Typer(add_completion=False, no_args_is_help=False, pretty_exceptions_enable=False, rich_markup_mode=None)

LARGEST_TEXT_BYTES = 400_000_000

SetupNumber = Annotated[int, typer.Option("--setup", help="Which setup, counted from 1.")]


def run(words: list[str]) -> int:
    """Run a command; every input error is one line on stderr."""
    try:
        result = app(words, standalone_mode=False)
    except Unusable as error:
        print(f"bastler: {error}", file=sys.stderr)
        return 2
    except typer.Exit as stop:
        return stop.exit_code
    except BrokenPipeError:
        return 2
    except Exception as error:
        if hasattr(error, "format_message"):
            print(f"bastler: {error.format_message()}", file=sys.stderr)
            return 2
        faults.record(error, f"command {words[0]}")
        print(f"bastler: This could not be done: a fault in Bastler. {faults.told()}", file=sys.stderr)
        return 2
    return result if isinstance(result, int) else 0


def _version(wanted: bool) -> None:
    if wanted:
        print(f"bastler {__version__}")
        raise typer.Exit


@app.callback(invoke_without_command=True)
def _root(version: Annotated[bool, typer.Option("--version", callback=_version, is_eager=True)] = False) -> None:
    """Bastler: part programs from feature cycles. Without a command: bastler [JOB | --demo] opens the window."""


def _setup_index(job: Job, number: int) -> int:
    if not 1 <= number <= len(job.setups):
        raise Unusable(f"There is no setup {number}; the job has {len(job.setups)}.")
    return number - 1


def _dialect(name: str | None) -> str | None:
    """A dialect's name, if one is given."""
    from bastler.core.post.dialect import dialects

    if name is not None and name not in dialects():
        raise Unusable(f"Dialect “{name}” is unknown. Known: {', '.join(sorted(dialects()))}.")
    return name


def _planned(job: Job, index: int, file: Path) -> Plan:
    """A job's plan, ready to be posted; tools that it has to do without are told."""
    from bastler.core.planner import plan

    planned = plan(job, index)
    obstacle = planned.first_obstacle()
    if obstacle:
        raise Unusable(f"{file.name}: {obstacle}")
    for sentence in planned.tools_left_out():
        print(f"{file.name}: {sentence}", file=sys.stderr)
    return planned


@app.command("post")
def post_command(
    job: Path,
    output: Annotated[Path, typer.Option("-o", help="File to write.")],
    dialect: Annotated[str | None, typer.Option(help="Dialect instead of the machine's own.")] = None,
    setup: SetupNumber = 1,
) -> int:
    """Write a job's G-code."""
    from bastler.core.benches import post
    from bastler.core.post.dialect import dialects

    document = load(job)
    planned = _planned(document, _setup_index(document, setup), job)
    name = _dialect(dialect) or planned.frame.machine.dialect
    program = post(planned, dialects()[name])
    write_atomically(output, program.text.encode())
    print(f"{output}: {len(program.lines)} lines, {len(planned.cut)} steps, dialect {name}")
    return 0


@app.command("check")
def check_command(
    file: Path,
    job: Annotated[
        Path | None, typer.Option(help="Job that gives stock, tools and offsets for a program text.")
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="The report as one JSON object.")] = False,
    dialect: Annotated[
        str | None, typer.Option(help="The dialect that the text is in, if not the machine's own.")
    ] = None,
    setup: SetupNumber = 1,
) -> int:
    """Run a job's program, or a program text, against the stock."""
    from bastler.core.engine import Engine
    from bastler.core.request import Request

    text: bytes | None = None
    if file.suffix == SUFFIX and job is None:
        document = load(file)
        _planned(document, _setup_index(document, setup), file)
    else:
        text = _read(file)
        document = load(job) if job is not None else Job()
        if job is None:
            return _check_bare(file, text, as_json, _dialect(dialect))
    checked = Engine().check(
        Request(
            document,
            _setup_index(document, setup),
            text,
            file.name if text is not None else "",
            folder=str(file.resolve().parent),
            dialect=_dialect(dialect),
        )
    )
    report = checked.report()
    if as_json:
        print(json.dumps(report, ensure_ascii=False))
    else:
        _print_report(report)
    return 1 if checked.stops else 0


def _check_bare(file: Path, text: bytes, as_json: bool, dialect: str | None) -> int:
    """A program without any job: words, motion and time only, of a mill unless the dialect is a lathe's."""
    from bastler.core.engine import check_text_only

    report = check_text_only(text, file.name, dialect)
    if as_json:
        print(json.dumps(report, ensure_ascii=False))
    else:
        _print_report(report)
    return 1 if any(f["severity"] == "stop" for f in report["findings"]) else 0


def _read(file: Path) -> bytes:
    return read_file(file, LARGEST_TEXT_BYTES, "larger than any program. Choose another file")


def minutes(seconds: float) -> str:
    """Seconds as ``12:05``."""
    whole = round(seconds)
    return f"{whole // 60}:{whole % 60:02d}"


def _print_report(report: Read) -> None:
    from rich.console import Console
    from rich.table import Table

    out = Console(highlight=False, soft_wrap=True)
    t = report["time_s"]
    out.print(f"{report['program']}: {report['lines']} lines, {report['moves']} moves, {minutes(t['total'])} min "
              f"(cutting {minutes(t['cutting'])}, rapid {minutes(t['rapid'])}, tool changes {minutes(t['tool_change'])})", markup=False)  # fmt: skip
    if report["steps"]:
        table = Table("step", "min", "removed cm³", box=None)
        for s in report["steps"]:
            table.add_row(s["name"], minutes(s["time_s"]), f"{s['removed_mm3'] / 1000:.1f}")
        out.print(table)
    for f in report["findings"]:
        where = f"line {f['line']}: " if f["line"] else ""
        out.print(f"{f['severity']:4}  {f['kind']}  {where}{f['text']}", markup=False)
    if not report["findings"]:
        out.print("No findings.")


@app.command("contour")
def contour_command(
    file: Path,
    as_json: Annotated[bool, typer.Option("--json", help="The answer as one JSON object.")] = False,
) -> int:
    """Find every point of a contour from the facts that a drawing gives. Exit status 1 for a contradiction."""
    from bastler.core.geometry.contour.facts import read_contour
    from bastler.core.geometry.contour.report import report

    try:
        data = json.loads(_read(file).decode())
    except (ValueError, RecursionError):
        raise Unusable(f"{file.name} is not a contour file: it can't be read as JSON.") from None
    try:
        contour = read_contour(data)
    except Unusable as error:
        raise Unusable(f"{file.name}: {error}") from None
    answer = report(contour)
    if as_json:
        print(json.dumps(answer, ensure_ascii=False))
    else:
        _print_contour(answer)
    return 1 if answer["status"] == "conflict" else 0


def _print_contour(answer: Read) -> None:
    count = len(answer["solutions"])
    lacks = f", {answer['missing']} missing" if answer["missing"] else ""
    print(f"{answer['status']}{lacks}" + (f": {count} answer{'s' if count > 1 else ''}" if count else ""))
    for n, one in enumerate(answer["solutions"], 1):
        print(f"answer {n}, length {one['length']:.6f}")
        for e in one["elements"]:
            print("  " + "  ".join(f"{k} {v:.6f}" if isinstance(v, float) else f"{k} {v}" for k, v in e.items()))
    for p in answer["problems"]:
        print(p["text"])


@app.command("import")
def import_command(
    drawing: Path,
    into: Annotated[Path, typer.Option(help="The job that gets the contours.")],
    units: Annotated[str, typer.Option(help="mm, inch, cm, foot or m, if not as the drawing says.")] = "",
    layers: Annotated[str, typer.Option(help="Only these layers, with commas between.")] = "",
    gap: Annotated[float, typer.Option(help="Ends closer than this are joined, mm.")] = 0.05,
    error: Annotated[float, typer.Option(help="Free curves become arcs within this, mm.")] = 0.01,
) -> int:
    """Put the contours of a DXF drawing into a job."""
    from bastler.core.exchange.dxfread import MM, read_dxf
    from bastler.core.geometry.fitting import chained
    from bastler.core.jobfiles import store
    from bastler.core.planning.imported import contour_of

    if units and units not in MM:
        raise Unusable(f"--units is one of {', '.join(MM)}, not {units}.")
    job, found = store.load(into), read_dxf(drawing, units, min(max(error, 0.0005), 1.0))
    if not found.units:
        raise Unusable(f"{drawing.name} doesn't say its units. Give --units mm or --units inch.")
    wanted = {name.strip() for name in layers.split(",") if name.strip()}
    unknown = wanted - set(found.layers)
    if unknown:
        raise Unusable(f"{drawing.name} has no layer {', '.join(sorted(unknown))}; it has {', '.join(found.layers)}.")
    chains = chained([s.path for s in found.strokes if not wanted or s.layer in wanted], max(gap, 0.0))
    made = [contour_of(p, f"{drawing.stem} {k}", (0.0, 0.0), job.units) for k, p in enumerate(chains.paths, 1)]
    contours = [c for c in made if c is not None]
    store.save(job.changed(contours=(*job.contours, *contours)), into)
    closed = sum(p.start == p.end for p in chains.paths)
    print(f"{into}: {len(contours)} contours more, {closed} of them closed")
    for g in chains.gaps:
        print(f"gap of {g.size:.4f} mm closed at X {g.at[0]:.3f} Y {g.at[1]:.3f}")
    if chains.doubles:
        print(f"drawn twice, taken once: {chains.doubles}")
    if len(contours) < len(made):
        print(f"left out, too many elements: {len(made) - len(contours)}")
    for sentence in found.left_out:
        print(sentence)
    return 0


@app.command("export")
def export_command(
    job: Path,
    stl: Annotated[Path | None, typer.Option(help="The checked part as STL.")] = None,
    dxf: Annotated[Path | None, typer.Option(help="The top view as DXF.")] = None,
    shape: Annotated[Path | None, typer.Option(help="The finished shape, as the steps declare it, as STL.")] = None,
    svg: Annotated[Path | None, typer.Option(help="The sheet as SVG.")] = None,
    pdf: Annotated[Path | None, typer.Option(help="The setup sheet as PDF.")] = None,
    html: Annotated[Path | None, typer.Option(help="The setup sheet as a page for a browser.")] = None,
    csv: Annotated[Path | None, typer.Option(help="The tools and steps as CSV.")] = None,
    setup: SetupNumber = 1,
) -> int:
    """Write the checked part or the drawing."""
    from bastler.core.engine import Engine
    from bastler.core.exchange.dxf import write_dxf
    from bastler.core.exchange.stl import write_stl
    from bastler.core.request import Request

    if not any((stl, dxf, shape, svg, pdf, html, csv)):
        raise Unusable(
            "Say what to write: --stl FILE, --shape FILE, --dxf FILE, --svg FILE, --pdf FILE, --html FILE, --csv FILE."
        )
    document = load(job)
    index = _setup_index(document, setup)
    planned = _planned(document, index, job)
    if dxf is not None:
        print(f"{dxf}: {write_dxf(planned, dxf)} entities")
    if svg is not None:
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        from bastler.ui.paper import write_svg

        print(f"{svg}: {write_svg(document, svg)} bytes")
    if not any((stl, shape, pdf, html, csv)):
        return 0
    checked = Engine().check(Request(document, index))
    if stl is not None:
        print(f"{stl}: {write_stl(checked, planned.frame.bed, stl)} triangles")
    if shape is not None:
        print(f"{shape}: {write_stl(checked, planned.frame.bed, shape, finished=True)} triangles")
    if csv is not None:
        from bastler.core.exchange.tables import write_csv

        print(f"{csv}: {write_csv(planned, checked, csv)} lines")
    if pdf is not None or html is not None:
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        from bastler.ui import paper

        if pdf is not None:
            print(f"{pdf}: {paper.write_pdf(document, planned, checked, pdf)} pages")
        if html is not None:
            print(f"{html}: {paper.write_html(document, planned, checked, html)} bytes")
    return 0


@app.command("schema")
def schema_command() -> int:
    """Print the JSON Schema of the job file, with every cycle's fields."""
    from bastler.core.jobfiles.schema import job_schema

    print(json.dumps(job_schema(), indent=1, ensure_ascii=False))
    return 0


@app.command("screenshots")
def screenshots_command(folder: Path) -> int:
    """Draw every main view from the demo job, offscreen, 1280x800."""
    from bastler.ui.screenshots import take_all

    for name in take_all(folder):
        print(folder / name)
    return 0
