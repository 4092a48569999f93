"""Which files of which npm package the application ships, and their copying or bundling into static/vendor."""

import json
import re
import shutil
import subprocess
from pathlib import Path

WEIGHTS = {"barlow": (400, 500, 600), "ibm-plex-mono": (400, 500)}
ICONS = [
    "arrow-clockwise",
    "arrow-counterclockwise",
    "arrow-left-right",
    "arrows-angle-expand",
    "arrows-fullscreen",
    "bezier2",
    "binoculars",
    "box-arrow-up",
    "camera-video",
    "chevron-double-left",
    "chevron-double-right",
    "chevron-up",
    "clock-history",
    "eye",
    "eye-slash",
    "eyeglasses",
    "file-earmark-ruled",
    "lightbulb",
    "list-ul",
    "rulers",
    "search",
    "sliders",
    "stopwatch",
    "table",
]
FILES = {
    "three": ["LICENSE"],
    "htmx.org": ["dist/htmx.min.js", "LICENSE"],
    "idiomorph": ["dist/idiomorph-ext.min.js", "LICENSE"],
    "bootstrap": ["dist/css/bootstrap.min.css", "LICENSE"],
    "sortablejs": ["LICENSE"],
    "bootstrap-icons": [*(f"icons/{name}.svg" for name in ICONS), "LICENSE"],
    **{
        f"@fontsource/{family}": ["LICENSE", *(f"files/{family}-latin-{w}-normal.woff2" for w in weights)]
        for family, weights in WEIGHTS.items()
    },
}
BUNDLES = {"three": "three", "sortable": "sortablejs"}  # what is shipped as one minified module -> its package
LETTERING = {"DejaVuSansCondensed.ttf": "ttf/DejaVuSansCondensed.ttf", "LICENSE": "LICENSE"}  # the typeface of sheets
TYPES = {
    "sortable": '// Written by `./pulley vendor`.\nexport { default } from "sortablejs";\n'
}  # where the entry's do not fit


def refresh(node_modules: Path, vendor: Path, lettering: Path) -> None:
    """Make ``vendor`` anew: one folder a package, without source maps, and a list of versions; and the typeface that
    sheets are lettered in, which core has for its own."""
    for name, place in LETTERING.items():
        shutil.copyfile(node_modules / "dejavu-fonts-ttf" / place, lettering / name)
    shutil.rmtree(vendor, ignore_errors=True)
    versions = {}
    for package, files in FILES.items():
        source = node_modules / package
        versions[package] = json.loads((source / "package.json").read_text())["version"]
        for name in files:
            target = vendor / package.removeprefix("@") / name
            target.parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(source / name, target)
            if target.suffix in (".js", ".css"):
                target.write_text(_without_map(target.read_text()))
    for name, package in BUNDLES.items():
        _bundle(node_modules, name, vendor / package / f"{name}.min.js")
    (vendor / "versions.json").write_text(json.dumps(versions, indent=1) + "\n")


def _bundle(node_modules: Path, name: str, target: Path) -> None:
    """One minified module of what an entry in ``bundles`` names, and beside it the types for `tsc`."""
    entry = Path(__file__).with_name("bundles") / f"{name}.js"
    settings = ["--bundle", "--minify", "--format=esm", "--legal-comments=inline", "--log-level=warning"]
    subprocess.run([node_modules / ".bin" / "esbuild", entry, *settings, f"--outfile={target}"], check=True)
    target.with_suffix(".d.ts").write_text(TYPES.get(name) or entry.read_text())


def _without_map(text: str) -> str:
    return re.sub(r"(//|/\*)# sourceMappingURL=[^\n*]*(\*/)?", "", text)
