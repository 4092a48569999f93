"""Tests: core, web, browser, local, reference (against published values and other libraries)."""

import sys
from pathlib import Path

from hypothesis import settings

# the demo's own modelling helpers make test files too
sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "demo"))
# machines are noisy: how long an example takes says nothing about whether it is right
settings.register_profile("pulley", deadline=None)
settings.load_profile("pulley")
