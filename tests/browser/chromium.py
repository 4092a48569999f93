"""How headless Chromium is started, by tests and benchmarks alike."""

import subprocess
import tempfile
from pathlib import Path

from PIL import Image

CHROMIUM = "/usr/bin/chromium-headless-shell"
FLAGS = [
    "--no-sandbox",
    "--use-gl=angle",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--disable-gpu-compositing",  # a graphics card in software takes twice as long for pages
    "--disable-gpu-rasterization",
    "--process-per-site",  # starting a process for each page takes nearly as long as opening it
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
]


def picture_of_svg(text: str, size: tuple[int, int]) -> Image.Image:
    """An SVG document as a browser draws it, in pixels."""
    with tempfile.TemporaryDirectory() as folder:
        page, out = Path(folder) / "page.html", Path(folder) / "page.png"
        style = f"<style>body{{margin:0}}svg{{display:block;width:{size[0]}px;height:{size[1]}px}}</style>"
        page.write_text(f"<!doctype html><meta charset=utf-8>{style}{text}", encoding="utf-8")
        command = [CHROMIUM, *FLAGS, "--headless", "--hide-scrollbars", f"--window-size={size[0]},{size[1]}"]
        subprocess.run([*command, f"--screenshot={out}", page.as_uri()], check=True, capture_output=True, timeout=120)
        return Image.open(out).copy()
