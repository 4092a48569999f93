"""The headless command ``sheet``: from an assembly and a teardown, or a sheet, to a file."""

import argparse
import sys
from pathlib import Path
from typing import Any

from pulley.core.assembly import Assembly
from pulley.core.drawing import changes, writers
from pulley.core.drawing import document as sheet_json
from pulley.core.drawing.changes.views import camera_from
from pulley.core.drawing.follow import faults
from pulley.core.drawing.layout import first_sheet
from pulley.core.drawing.paper import Paper, paper_of
from pulley.core.drawing.patterns import read_pattern
from pulley.core.drawing.rows import rows as list_rows
from pulley.core.drawing.sheet import PagePattern, Sheet
from pulley.core.errors import PulleyError
from pulley.core.formats import strict_json
from pulley.core.formats import teardown as teardown_json
from pulley.core.scales import parse_scale, scale_text


def run(args: argparse.Namespace, assembly: Assembly) -> dict[str, Any]:
    """Write a sheet, and say what is on it."""
    kind = Path(args.output).suffix.lower().lstrip(".")
    if kind not in writers.KINDS:
        raise PulleyError(
            f"{args.output} ends with no kind of sheet. Let it end with one of .{', .'.join(writers.KINDS)}."
        )
    sheet = _sheet(args, assembly, _document(args.teardown))

    def report(share: float) -> None:
        if args.progress:
            print(f"{share:.0%}", file=sys.stderr, flush=True)

    for k, path in enumerate(_outputs(args.output, kind, len(sheet.pages))):
        path.write_bytes(writers.write(assembly, sheet, kind, k, report))
    pages = [
        {"paper": page.paper, "size": page.sheet_of_paper.size, "balloons": len(page.balloons)} for page in sheet.pages
    ]
    scales = [scale_text(view.scale) for page in sheet.pages for view in page.views]
    found = [fault.sentence for fault in faults(assembly, sheet)]
    rows = [
        {"item": r.item, "quantity": r.quantity, "name": r.name, "components": r.components}
        for r in list_rows(assembly, sheet)
    ]
    return {"output": args.output, "pages": pages, "scales": scales, "rows": rows, "faults": found}


def _outputs(output: str, kind: str, pages: int) -> list[Path]:
    """The files to write: of SVG and PNG one for each page, numbered from the second on."""
    path = Path(output)
    if kind not in writers.PAGED:
        return [path]
    return [path if k == 0 else path.with_stem(f"{path.stem}-{k + 1}") for k in range(pages)]


def _document(file: str) -> Any:
    try:
        text = Path(file).read_bytes()
    except OSError as error:
        raise PulleyError(f"{file} cannot be opened: {error.strerror}.") from error
    if len(text) > sheet_json.SIZE_LIMIT:
        raise PulleyError(f"{file} is over {sheet_json.SIZE_LIMIT >> 20} MB.")
    return strict_json.read(text, "This is neither a teardown nor a sheet")


def _sheet(args: argparse.Namespace, assembly: Assembly, document: Any) -> Sheet:
    """The sheet of a document: as it says when it is one, else the first sheet of a teardown."""
    pattern = read_pattern(args.pattern) if args.pattern else None
    paper = paper_of(args.paper) if args.paper else None
    scale = parse_scale(args.scale) if args.scale else None
    if isinstance(document, dict) and document.get("format") == "pulley-sheet":
        sheet = sheet_json.from_document(document, assembly)
        teardown_json.check_source(assembly, sheet.teardown)
        return _as_asked(args, assembly, sheet, pattern, paper, scale)
    teardown = teardown_json.from_document(document)
    teardown_json.check_source(assembly, teardown)
    teardown_json.check_members(assembly, teardown)
    bare = Sheet("", teardown)
    camera = camera_from(assembly, bare, args.view) if args.view else None
    return first_sheet(assembly, teardown, pattern or PagePattern(), paper, scale, camera)


def _as_asked(
    args: argparse.Namespace,
    assembly: Assembly,
    sheet: Sheet,
    pattern: PagePattern | None,
    paper: Paper | None,
    scale: tuple[float, float] | None,
) -> Sheet:
    """A sheet with what the command line wants otherwise."""
    sheet = changes.use_pattern(assembly, sheet, pattern) if pattern else sheet
    for page in sheet.pages:
        sheet = changes.set_paper(assembly, sheet, page.id, paper) if paper else sheet
        for view in page.views:
            sheet = changes.look_from(assembly, sheet, page.id, view.id, args.view) if args.view else sheet
            sheet = changes.scale_view(assembly, sheet, page.id, view.id, scale) if scale else sheet
    return sheet


def sentences(answer: dict[str, Any]) -> str:
    """The answer in words."""
    pages = "; ".join(f"{page['paper']}, {page['balloons']} balloons" for page in answer["pages"])
    return "\n".join([f"{answer['output']}: {pages}; scale {', '.join(answer['scales'])}", *answer["faults"]])


def arguments(command: argparse.ArgumentParser) -> None:
    """The flags of the command."""
    command.add_argument("teardown", metavar="TEARDOWN.json", help="a teardown, or a sheet")
    command.add_argument(
        "-o", dest="output", required=True, metavar="OUT", help="ends with .pdf, .svg, .dxf, .png, .csv, .xlsx or .json"
    )
    command.add_argument("--paper", metavar="A3", help="the paper; “A4 tall” stands upright")
    command.add_argument("--scale", metavar="1:2", help="by default the largest standard scale that fits")
    command.add_argument("--view", metavar="NAME", help="a saved view, or a direction such as isometric or top")
    command.add_argument("--pattern", metavar="FILE", help="a page pattern: a file, or the name of one of Pulley's")
    command.add_argument("--progress", action="store_true", help="say on standard error how far it is")
