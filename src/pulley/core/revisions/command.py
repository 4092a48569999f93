"""The headless commands `compare` and `carry`."""

import argparse
from dataclasses import asdict
from pathlib import Path
from typing import Any

from pulley.core.assembly import Assembly
from pulley.core.contact.check import Snag
from pulley.core.errors import PulleyError
from pulley.core.formats import teardown as teardown_json
from pulley.core.quantities import counted
from pulley.core.revisions.carrying import carry
from pulley.core.revisions.describing import sentence, summary
from pulley.core.revisions.judging import fresh_snags
from pulley.core.revisions.matching import Comparison, Pair, compare
from pulley.core.teardown import Teardown


def compare_files(old: Assembly, new: Assembly) -> tuple[dict[str, Any], int]:
    """What became of every component; status 1 where nothing is in common."""
    comparison = compare(old, new)
    return {
        "old": old.source,
        "new": new.source,
        "summary": summary(comparison),
        "components": [_row(pair, comparison) for pair in comparison.pairs],
        "subassemblies": [asdict(pair) | {"kind": pair.kind} for pair in comparison.groups],
        "frame": comparison.frame.tolist(),
    }, 1 if comparison.strange else 0


def _row(pair: Pair, comparison: Comparison) -> dict[str, Any]:
    return asdict(pair) | {"kind": pair.kind, "says": sentence(pair, comparison)}


def carry_file(
    old: Assembly, teardown: Teardown, new: Assembly, args: argparse.Namespace
) -> tuple[dict[str, Any], int]:
    """A teardown for the new revision, written to a file, and what a person has to look at; status 1 where there is."""
    comparison = compare(old, new)
    if comparison.strange:
        raise PulleyError(f"{args.new} has next to nothing in common with {args.file}. Nothing was carried over.")
    carried = carry(teardown, comparison)
    _, fresh = fresh_snags(teardown, carried.teardown, comparison)
    found = [_snag(id, snag) for id, snag in fresh]
    Path(args.output).write_text(teardown_json.dumps(carried.teardown))
    answer = {
        "output": args.output,
        "steps": len(carried.teardown.steps),
        "changes": [_row(pair, comparison) for pair in comparison.pairs if pair.kind != "same"],
        "lost": [asdict(one) for one in carried.lost],
        "offers": [asdict(one) for one in carried.offers],
        "unsure": [asdict(pair) for pair in comparison.unsure],
        "snags": found,
    }
    return answer, 1 if found or carried.lost or comparison.unsure else 0


def _snag(id: str, snag: Snag) -> dict[str, Any]:
    return {"step": id, "moving": snag.moving, "blocker": snag.blocker, "travel": snag.travel}


def plain_compare(answer: dict[str, Any]) -> str:
    """The answer in lines."""
    return "\n".join([row["says"] for row in answer["components"] if row["kind"] != "same"] + [answer["summary"]])


def plain_carry(answer: dict[str, Any]) -> str:
    """The answer in lines."""
    lines = [row["says"] for row in answer["changes"]] + [one["sentence"] for one in answer["lost"]]
    lines += [f"{offer['component']} may go with step {offer['step']}." for offer in answer["offers"]]
    lines += [
        f"Step {snag['step']}: {snag['moving']} meets {snag['blocker']} at {snag['travel']:.1f} mm."
        for snag in answer["snags"]
    ]
    return "\n".join([*lines, f"{answer['output']}: {counted(answer['steps'], 'step')}"])
