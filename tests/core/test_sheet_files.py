"""Files of a sheet, read back by others: Poppler and PDFium for PDF, ezdxf for DXF, openpyxl, csv, an XML parser."""

import contextlib
import csv
import io
import json
import re
import subprocess
import tempfile
import xml.etree.ElementTree as ET
import zlib
from collections import Counter
from dataclasses import replace
from functools import cache
from pathlib import Path
from unittest import TestCase

import ezdxf
import ezdxf.recover
import numpy as np
import openpyxl
import pypdfium2
from PIL import Image

from pulley.core import cli
from pulley.core.drawing import changes, document, writers
from pulley.core.drawing.draw import draw
from pulley.core.drawing.layout import first_sheet
from pulley.core.drawing.lettering import FAMILY, HEIGHTS, width
from pulley.core.drawing.model import LAYERS, Circle, Text, pen
from pulley.core.drawing.paper import Paper
from pulley.core.drawing.rows import rows
from pulley.core.drawing.title import checked_logo, title_values
from pulley.core.drawing.writers.dxf import layer_name
from pulley.core.drawing.writers.svg import svg
from pulley.core.errors import PulleyError
from pulley.core.formats import teardown as teardown_json
from pulley.core.teardown import Teardown
from tests.scenes import DEMO, DEMO_TEARDOWN, ROOT, axial, boxes, read, teardown, within_this_process


def main(words):
    """The exit status of a headless command, what it says left aside."""
    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()), within_this_process():
        return cli.main(words)


MM = 72 / 25.4  # points
NAMES = ("Rope guard, left", "Führung <b>& Co</b>", "מדריך חבל", "مسمار", "=SUM(A1:A9)", "x" * 500)


@cache
def halyard():
    """The halyard block with its first sheet."""
    assembly = read(DEMO)
    return assembly, first_sheet(assembly, teardown_json.loads(DEMO_TEARDOWN.read_bytes()))


def named():
    """A sheet of boxes whose parts have difficult names."""
    assembly = boxes(**{f"b{k}": ((10.0 + k, 10.0, 5.0), (0, 0, 8.0 * k)) for k in range(len(NAMES))})
    sheet = first_sheet(assembly, teardown(axial(("b5",), (0, 0, 1), 30)))
    for k, name in enumerate(NAMES):
        sheet = changes.rename_row(assembly, sheet, f"p{k}", name)
    return assembly, sheet


def told(*command: str) -> str:
    """What a program of Poppler's says."""
    return subprocess.run(command, check=True, capture_output=True, text=True).stdout


def block_at_half():
    """A plate of 120 mm seen from the front at 1:2, its sheet, and where its edge of 120 mm runs on paper."""
    assembly = boxes(plate=((120.0, 40.0, 30.0), (0, 0, 0)))
    sheet = first_sheet(assembly, Teardown("T"), paper=Paper("A3"), scale=(1.0, 2.0))
    sheet = changes.look_from(assembly, sheet, "p1", "v1", "front")
    return assembly, changes.change_view(assembly, sheet, "p1", "v1", captioned=False)


class PdfTests(TestCase):
    def setUp(self):
        self.assembly, self.sheet = halyard()
        self.pdf = writers.write(self.assembly, self.sheet, "pdf")
        self.file = Path(self.enterContext(tempfile.TemporaryDirectory())) / "sheet.pdf"
        self.file.write_bytes(self.pdf)

    def test_page_size_is_that_of_the_paper(self):
        found = re.search(r"Page size:\s+([\d.]+) x ([\d.]+)", told("pdfinfo", str(self.file)))
        np.testing.assert_allclose([float(found[1]) / MM, float(found[2]) / MM], (420, 297), atol=0.05)
        page = pypdfium2.PdfDocument(self.pdf)[0]
        np.testing.assert_allclose([page.get_width() / MM, page.get_height() / MM], (420, 297), atol=0.05)

    def test_text_can_be_searched_and_fonts_are_embedded(self):
        text = told("pdftotext", "-layout", str(self.file), "-")
        for row in rows(self.assembly, self.sheet):
            self.assertIn(row.name, text)
        fonts = told("pdffonts", str(self.file)).splitlines()[2:]
        self.assertTrue(fonts)
        for font in fonts:
            self.assertIn("DejaVuSansCondensed", font)
            self.assertRegex(font, r"yes yes yes")  # embedded, a subset, with a table back to Unicode

    def test_several_pages_wide_and_tall(self):
        sheet = changes.add_page(self.sheet, "p1")
        sheet = changes.set_paper(self.assembly, sheet, "p2", Paper("A4", wide=False))
        found = pypdfium2.PdfDocument(writers.write(self.assembly, sheet, "pdf"))
        self.assertEqual(len(found), 2)
        np.testing.assert_allclose([found[1].get_width() / MM, found[1].get_height() / MM], (210, 297), atol=0.05)

    def test_difficult_names_are_there_and_long_ones_are_cut(self):
        assembly, sheet = named()
        self.file.write_bytes(writers.write(assembly, sheet, "pdf"))
        text = told("pdftotext", str(self.file), "-")
        for word in ("Rope guard, left", "Führung", "<b>&", "=SUM(A1:A9)"):
            self.assertIn(word, text)
        self.assertTrue(any("\u0590" <= letter <= "\u05ff" for letter in text))
        self.assertTrue(any("\u0600" <= letter <= "\u06ff" or letter >= "\ufb50" for letter in text))

    def test_the_same_sheet_is_the_same_file(self):
        self.assertEqual(self.pdf, writers.write(self.assembly, self.sheet, "pdf"))


class SvgTests(TestCase):
    def test_it_is_well_formed_and_says_what_is_what(self):
        assembly, sheet = halyard()
        root = ET.fromstring(writers.write(assembly, sheet, "svg"))
        self.assertEqual((root.get("width"), root.get("height")), ("420mm", "297mm"))
        tags = {group.get("data-tag") for group in root.iter("{http://www.w3.org/2000/svg}g")}
        self.assertTrue({f"balloon:{b.id}" for b in sheet.pages[0].balloons} <= tags)
        self.assertIn("view:v1/Halyard block/Cheek, near", tags)

    def test_names_with_markup_stay_text(self):
        assembly, sheet = named()
        root = ET.fromstring(writers.write(assembly, sheet, "svg"))
        texts = [text.text or "" for text in root.iter("{http://www.w3.org/2000/svg}text")]
        self.assertTrue(any("<b>&" in text for text in texts))
        self.assertFalse(list(root.iter("{http://www.w3.org/2000/svg}b")))


class DxfTests(TestCase):
    def test_it_passes_the_audit_and_has_the_layers_of_the_standard(self):
        assembly, sheet = halyard()
        found, auditor = ezdxf.recover.read(io.BytesIO(writers.write(assembly, sheet, "dxf")))
        self.assertEqual((auditor.errors, auditor.fixes), ([], []))
        layers = {layer.dxf.name: layer.dxf.linetype for layer in found.layers}
        for layer in LAYERS.values():
            self.assertIn(layer_name(layer), layers)
        self.assertEqual(layers["Hidden edges (02.1)"], "ISO 128 02.1")  # ISO 128-2: dashed narrow (from memory)
        self.assertEqual(layers["Trail lines (04.1)"], "ISO 128 04.1")  # long-dashed dotted narrow (from memory)
        counted = Counter(entity.dxf.layer for entity in found.modelspace() if entity.dxftype() == "CIRCLE")
        dots = sum(balloon.end == "dot" for balloon in sheet.pages[0].balloons)
        self.assertEqual(counted["Leaders and balloons (01.1)"], len(sheet.pages[0].balloons) + dots)
        texts = [e.dxf.text for e in found.modelspace().query("TEXT") if e.dxf.layer == "Parts list (01.1)"]
        self.assertEqual(len(texts), 3 * len(rows(assembly, sheet)) + 3)
        self.assertIn("Rope guard, left", texts)

    def test_hidden_lines_lie_on_their_layer_when_they_are_drawn(self):
        assembly, sheet = halyard()
        sheet = changes.change_view(assembly, sheet, "p1", "v1", style="hidden")
        found = ezdxf.read(io.StringIO(writers.write(assembly, sheet, "dxf").decode()))
        layers = Counter(entity.dxf.layer for entity in found.modelspace())
        self.assertGreater(layers["Hidden edges (02.1)"], 50)


class TrueLengthTests(TestCase):
    """A length of 120 mm drawn at 1:2 is 60 mm on paper, whichever file one measures in."""

    def setUp(self):
        self.assembly, self.sheet = block_at_half()

    def assert_sixty(self, xs):
        lengths = np.diff(np.unique(np.round(xs, 3)))
        self.assertTrue((np.abs(np.subtract.outer(xs, xs)) - 60 < 0.01).any(), lengths)
        self.assertAlmostEqual(max(xs) - min(xs), 60.0, delta=0.01)

    def test_in_svg(self):
        root = ET.fromstring(writers.write(self.assembly, self.sheet, "svg"))
        space = "{http://www.w3.org/2000/svg}"
        paths = [
            p for g in root.iter(f"{space}g") if g.get("data-tag") == "view:v1/plate" for p in g.iter(f"{space}path")
        ]
        self.assert_sixty([float(x) for p in paths for x in re.findall(r"[ML](-?[\d.]+) ", p.get("d"))])

    def test_in_dxf(self):
        found = ezdxf.read(io.StringIO(writers.write(self.assembly, self.sheet, "dxf").decode()))
        lines = [e for e in found.modelspace().query("LWPOLYLINE") if e.dxf.layer == "Visible edges (01.2)"]
        view = self.sheet.pages[0].views[0]
        xs = [
            p[0]
            for line in lines
            for p in line.get_points()
            if abs(p[1] - view.at[1]) < 20 and abs(p[0] - view.at[0]) < 40
        ]
        self.assert_sixty(xs)

    def test_in_pdf(self):
        streams = re.findall(rb"stream\r?\n(.*?)\r?\nendstream", writers.write(self.assembly, self.sheet, "pdf"), re.S)
        drawn = b" ".join(zlib.decompress(stream) for stream in streams if stream[:1] == b"x").decode("latin-1")
        steps = re.findall(r"(-?[\d.]+) (-?[\d.]+) m\s+(?:(-?[\d.]+) (-?[\d.]+) l\s+)", drawn)
        lengths = [abs(float(x1) - float(x0)) / MM for x0, y0, x1, y1 in steps if y0 == y1]
        self.assertLess(min(abs(length - 60.0) for length in lengths), 0.01)

    def test_a_dimension_tells_the_true_distance_whatever_the_view(self):
        sheet = changes.look_from(self.assembly, self.sheet, "p1", "v1", "isometric")
        from pulley.core.drawing.sheet import Target

        sheet = changes.add_dimension(sheet, "p1", "v1", Target("plate", (0, 0, 0)), Target("plate", (120, 40, 30)))
        texts = [item.text for item in draw(self.assembly, sheet)[0].items if isinstance(item, Text)]
        self.assertIn("130", texts)  # 120, 40, 30: the diagonal of the box is 130

    def test_enlarging_scales_the_drawing_and_not_its_lines(self):
        items = draw(self.assembly, self.sheet)[0].items
        wide = {item.pen.width for item in items if getattr(item, "tag", "") == "view:v1/plate"}
        self.assertEqual(wide, {0.35})


class SameEverywhereTests(TestCase):
    def test_the_pdf_looks_as_the_svg_does_in_a_browser(self):
        from tests.browser.chromium import picture_of_svg

        assembly, sheet = halyard()
        page = draw(assembly, sheet)[0]
        ours = np.asarray(Image.open(io.BytesIO(writers.write(assembly, sheet, "png"))).convert("L").resize((840, 594)))
        theirs = np.asarray(picture_of_svg(svg(page), (840, 594)).convert("L"))
        ink = (ours < 200) | (theirs < 200)
        off = np.abs(blurred(ours) - blurred(theirs))
        self.assertGreater(np.count_nonzero(ink), 10_000)
        self.assertLess(off[ink].mean(), 14.0)  # of 255
        self.assertLess(np.percentile(off, 99.5), 60.0)


def blurred(picture):
    """A picture averaged over 3 x 3 pixels: where a line falls between two is chance."""
    padded = np.pad(picture.astype(float), 1, mode="edge")
    return sum(padded[y : y + picture.shape[0], x : x + picture.shape[1]] for y in range(3) for x in range(3)) / 9


class TableTests(TestCase):
    def test_csv_and_xlsx_hold_the_rows(self):
        assembly, sheet = halyard()
        want = [["Item", "Qty", "Part"], *([str(r.item), str(r.quantity), r.name] for r in rows(assembly, sheet))]
        self.assertEqual(list(csv.reader(io.StringIO(writers.write(assembly, sheet, "csv").decode("utf-8-sig")))), want)
        book = openpyxl.load_workbook(io.BytesIO(writers.write(assembly, sheet, "xlsx")))
        found = [[str(cell) for cell in row] for row in book.active.iter_rows(values_only=True)]
        self.assertEqual(found, want)
        self.assertEqual(sum(r.quantity for r in rows(assembly, sheet)), len(assembly.leaves))

    def test_what_looks_like_a_formula_is_text(self):
        assembly, sheet = named()
        self.assertIn("'=SUM(A1:A9)", writers.write(assembly, sheet, "csv").decode("utf-8-sig"))
        book = openpyxl.load_workbook(io.BytesIO(writers.write(assembly, sheet, "xlsx")))
        types = {cell.value: cell.data_type for row in book.active.iter_rows() for cell in row}
        self.assertEqual(types["=SUM(A1:A9)"], "s")


class StandardTests(TestCase):
    def test_narrow_lines_are_half_as_wide_as_wide_ones(self):
        """ISO 128-2 (from memory): widths 0.13 to 2 mm in steps of the root of 2; wide to narrow as 2 to 1."""
        for wide in (0.25, 0.35, 0.5, 0.7):
            self.assertEqual(pen("visible", wide).width, wide)
            self.assertEqual(pen("leader", wide).width, wide / 2)

    def test_dashed_and_chain_lines(self):
        """ISO 128-2, table of line elements (from memory): dashes 12 d, long dashes 24 d, gaps 3 d, dots 0.5 d."""
        self.assertEqual([part / 0.25 for part in pen("hidden", 0.5).dashes], [12, 3])
        self.assertEqual([part / 0.25 for part in pen("trail", 0.5).dashes], [24, 3, 0.5, 3])

    def test_lettering_heights(self):
        """ISO 3098-1 (from memory): 1.8, 2.5, 3.5, 5, 7, 10, 14, 20 mm."""
        self.assertEqual(HEIGHTS, (1.8, 2.5, 3.5, 5.0, 7.0, 10.0, 14.0, 20.0))
        assembly, sheet = halyard()
        self.assertTrue(all(item.height in HEIGHTS for item in draw(assembly, sheet)[0].items if isinstance(item, Text) and item.tag.startswith(("list", "title/"))))  # fmt: skip  # noqa: E501

    def test_a_capital_is_as_high_as_it_is_called(self):
        """Measured in the font, which another library rasterizes."""
        from PIL import ImageFont

        from pulley.core.drawing.lettering import FILE, font_size

        font = ImageFont.truetype(str(FILE), round(font_size(100)))
        left, top, right, foot = font.getbbox("H")
        self.assertAlmostEqual(foot - top, 100, delta=1.5)
        self.assertAlmostEqual(font.getlength("Rope guard") / width("Rope guard", 100), 1.0, delta=0.02)  # kerning
        self.assertEqual(font.getname()[0], FAMILY.removesuffix(" Condensed"))

    def test_the_title_block_has_the_fields_of_iso_7200(self):
        """ISO 7200 (from memory): legal owner, identification number, date of issue, sheet, title, approval person,
        creator, document type are mandatory; the block is 180 mm wide."""
        assembly, sheet = halyard()
        keys = {field.key for field in sheet.pattern.fields}
        self.assertLessEqual({"owner", "document", "date", "page", "title", "approver", "creator", "type"}, keys)
        values = title_values(sheet, sheet.pages[0])
        self.assertEqual((values["scale"], values["page"], values["paper"]), ("1:1", "1 / 1", "A3"))
        self.assertEqual(assembly.name, "Halyard block")

    def test_balloons_are_circles_of_one_size(self):
        """ISO 6433 (from memory): all encircled item references of a drawing have circles of the same diameter."""
        assembly, sheet = halyard()
        items = draw(assembly, sheet)[0].items
        radii = {i.radius for i in items if isinstance(i, Circle) and re.fullmatch(r"balloon:b\d+", i.tag)}
        self.assertEqual(radii, {sheet.pattern.radius})


class LogoTests(TestCase):
    def test_a_logo_keeps_its_proportions_and_what_is_none_is_refused(self):
        buffer = io.BytesIO()
        Image.new("RGB", (300, 100), "navy").save(buffer, "PNG")
        assembly, sheet = halyard()
        sheet = replace(sheet, pattern=replace(sheet.pattern, logo=checked_logo(buffer.getvalue())))
        (picture,) = [i for i in draw(assembly, sheet)[0].items if getattr(i, "tag", "") == "title/logo"]
        left, foot, right, top = picture.box
        self.assertAlmostEqual((right - left) / (top - foot), 3.0, delta=0.02)
        for data, why in ((b"GIF89a", "no picture"), (b"", "no picture"), (b"x" * (3 << 20), "limit is 2 MB")):
            with self.assertRaisesRegex(PulleyError, why):
                checked_logo(data)


class CommandTests(TestCase):
    def test_every_kind_of_file_from_a_teardown_and_from_a_sheet(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        for kind in writers.KINDS:
            out = folder / f"a.{kind}"
            self.assertEqual(
                main(["sheet", str(DEMO), str(DEMO_TEARDOWN), "-o", str(out), "--paper", "A3", "--json"]), 0
            )
            self.assertGreater(out.stat().st_size, 100, kind)
        again = folder / "b.json"
        self.assertEqual(main(["sheet", str(DEMO), str(folder / "a.json"), "-o", str(again)]), 0)
        self.assertEqual(json.loads(again.read_text()), json.loads((folder / "a.json").read_text()))
        other = folder / "c.svg"
        words = ["--paper", "A2", "--scale", "2:1", "--view", "isometric", "--pattern", "parts book"]
        self.assertEqual(main(["sheet", str(DEMO), str(folder / "a.json"), "-o", str(other), *words]), 0)
        self.assertIn('width="594mm"', other.read_text())

    def test_bad_input_is_two_with_a_sentence(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        (folder / "empty.json").write_bytes(b"")
        (folder / "nonsense.json").write_text('{"format": "pulley-sheet", "version": 1}')
        base = ["sheet", str(DEMO), str(DEMO_TEARDOWN), "-o", str(folder / "x.pdf")]
        for words in (
            [*base, "--scale", "0"],
            [*base, "--scale", "1:1e9"],
            [*base, "--paper", "A9"],
            [*base, "--view", "nowhere"],
            [*base, "--pattern", "/none"],
            [*base[:3], "-o", str(folder / "x.doc")],
            ["sheet", str(DEMO), str(folder / "empty.json"), "-o", str(folder / "x.pdf")],
            ["sheet", str(DEMO), str(folder / "nonsense.json"), "-o", str(folder / "x.pdf")],
            ["sheet", str(DEMO), str(folder / "gone.json"), "-o", str(folder / "x.pdf")],
        ):
            with self.subTest(words[2:]):
                self.assertEqual(main(words), 2)
        self.assertFalse((folder / "x.pdf").exists())

    def test_the_published_schema_is_the_one_that_is_checked(self):
        self.assertEqual(json.loads((ROOT / "docs/sheet.schema.json").read_text()), document.schema())
