"""Which files of which npm package the application ships, and their copying into static/vendor."""

import json
import re
import shutil
from pathlib import Path

WEIGHTS = {"barlow": (400, 500, 600), "ibm-plex-mono": (400, 500)}
FILES = {
    "three": [
        "build/three.module.js",
        "build/three.core.js",
        "examples/jsm/controls/OrbitControls.js",
        "examples/jsm/lines/LineMaterial.js",
        "examples/jsm/lines/LineSegments2.js",
        "examples/jsm/lines/LineSegmentsGeometry.js",
        "examples/jsm/loaders/GLTFLoader.js",
        "examples/jsm/utils/BufferGeometryUtils.js",
        "examples/jsm/utils/SkeletonUtils.js",
        "LICENSE",
    ],
    "htmx.org": ["dist/htmx.min.js", "LICENSE"],
    "idiomorph": ["dist/idiomorph-ext.min.js", "LICENSE"],
    "bootstrap": ["dist/css/bootstrap.min.css", "LICENSE"],
    "sortablejs": ["modular/sortable.core.esm.js", "LICENSE"],
    "bootstrap-icons": ["icons/eye.svg", "icons/eye-slash.svg", "LICENSE"],
    **{
        f"@fontsource/{family}": ["LICENSE", *(f"files/{family}-latin-{w}-normal.woff2" for w in weights)]
        for family, weights in WEIGHTS.items()
    },
}


def refresh(node_modules: Path, vendor: Path) -> None:
    """Make ``vendor`` anew: one folder a package, without source maps, and a list of versions."""
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
                target.write_text(_self_contained(target.read_text()))
    (vendor / "versions.json").write_text(json.dumps(versions, indent=1) + "\n")


def _self_contained(text: str) -> str:
    """Without source maps, and with three's add-ons finding three by its place: no import map is needed."""
    text = re.sub(r"(//|/\*)# sourceMappingURL=[^\n*]*(\*/)?", "", text)
    return text.replace("from 'three'", "from '../../../build/three.module.js'")
