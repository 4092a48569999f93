"""Bundles: selections with a name, for use again."""

from collections.abc import Sequence
from dataclasses import replace

from pulley.core.assembly import Assembly
from pulley.core.editing.common import checked_name, known_members
from pulley.core.errors import PulleyError
from pulley.core.teardown import Bundle, Teardown

BUNDLE_LIMIT = 500


def find_bundle(teardown: Teardown, name: str) -> Bundle:
    """The bundle of a name; PulleyError when there is none."""
    for bundle in teardown.bundles:
        if bundle.name == name:
            return bundle
    raise PulleyError(f"There is no bundle “{name[:80]}” any more. Nothing was changed.")


def tie(teardown: Teardown, assembly: Assembly, name: str, members: Sequence[str]) -> Teardown:
    """Keep a selection by name; a bundle of that name gets the new members."""
    bundle = Bundle(checked_name(name, "name of the bundle"), known_members(assembly, members))
    others = tuple(other for other in teardown.bundles if other.name != bundle.name)
    if len(others) >= BUNDLE_LIMIT:
        raise PulleyError(f"An assembly holds at most {BUNDLE_LIMIT} bundles.")
    if len(others) == len(teardown.bundles):
        return replace(teardown, bundles=(*others, bundle))
    kept = tuple(bundle if other.name == bundle.name else other for other in teardown.bundles)
    return replace(teardown, bundles=kept)


def rename_bundle(teardown: Teardown, name: str, new: str) -> Teardown:
    """Give a bundle another name.

    Raises
    ------
    PulleyError
        When there is none of that name, or another has the new one.
    """
    bundle, new = find_bundle(teardown, name), checked_name(new, "name of the bundle")
    if new != name and any(other.name == new for other in teardown.bundles):
        raise PulleyError(f"There is another bundle “{new}”. Choose another name.")
    named = replace(bundle, name=new)
    return replace(teardown, bundles=tuple(named if other is bundle else other for other in teardown.bundles))


def untie(teardown: Teardown, name: str) -> Teardown:
    """Forget a bundle; its components stay."""
    bundle = find_bundle(teardown, name)
    return replace(teardown, bundles=tuple(other for other in teardown.bundles if other is not bundle))


def known_in(assembly: Assembly, bundle: Bundle) -> tuple[str, ...]:
    """The members that the assembly still has."""
    return tuple(member for member in bundle.members if member in assembly.by_path)
