"""What differs between a sheet and its teardown as it is now, and taking that over; issuing a sheet."""

import re
from collections.abc import Iterable
from dataclasses import dataclass, replace

from pulley.core.assembly import Assembly
from pulley.core.describe import differences
from pulley.core.drawing.balloons import look_at
from pulley.core.drawing.changes.balloons import balloons_for, retidied
from pulley.core.drawing.rows import Row, row_of, rows
from pulley.core.drawing.sheet import Balloon, Issue, Page, Sheet, with_page
from pulley.core.errors import PulleyError
from pulley.core.teardown import Teardown

NAMED = 3  # differences that are said one by one


@dataclass(frozen=True)
class Fault:
    """Something that is not right with a sheet: a sentence, and what can be done (empty for nothing by itself)."""

    sentence: str
    remedy: str = ""


def behind(sheet: Sheet, now: Teardown) -> list[str]:
    """What of a teardown changed since the sheet was drawn from it, in sentences.

    Examples
    --------
    >>> behind(Sheet("S", Teardown("Service")), Teardown("Service"))
    []
    """
    if sheet.teardown == now:
        return []
    return differences(sheet.teardown, now) or ["how it looks or plays changed"]


def behind_sentence(found: list[str]) -> str:
    """What changed since, in one line.

    >>> behind_sentence(["step “Rod out” is new"])
    'Step “Rod out” is new.'
    """
    if not found:
        return ""
    more = f" And {len(found) - NAMED} more changes." if len(found) > NAMED else ""
    words = "; ".join(found[:NAMED])
    return words[:1].upper() + words[1:] + "." + more


def take_over(assembly: Assembly, sheet: Sheet, now: Teardown) -> Sheet:
    """The sheet drawn from the teardown as it is now: balloons placed by hand stay where their part still is, parts
    that are new in a view get theirs, what points at parts that are gone is taken away.

    Raises
    ------
    PulleyError
        When the sheet is issued: then the next revision is begun first.
    """
    if sheet.frozen:
        raise PulleyError(
            f"Revision {sheet.issues[-1].letter} is issued and stays as it is. Begin the next revision first."
        )
    known = {row.key for row in rows(assembly, sheet)}
    changed = replace(sheet, teardown=now, source=dict(assembly.source) or sheet.source)
    for page in changed.pages:
        changed = with_page(changed, _without_gone(assembly, page))
    for page in sheet.pages:
        had = {b.view for b in page.balloons}
        drawable = {v.id for v in page.views if _drawable(assembly, changed, page, v.id)}
        changed = retidied(assembly, sheet, changed, page.id, had & drawable)
        fresh = {row.key for row in rows(assembly, changed)} - known
        if had & drawable and fresh:
            changed, _ = balloons_for(assembly, changed, page.id, had & drawable)
    return changed


def _drawable(assembly: Assembly, sheet: Sheet, page: Page, view: str) -> bool:
    try:
        look_at(assembly, sheet, page.view(view))
    except PulleyError:
        return False
    return True


def _without_gone(assembly: Assembly, page: Page) -> Page:
    """The page without what points at components that the assembly lacks."""

    def there(*paths: str) -> bool:
        return all(path in assembly.by_path for path in paths)

    return replace(
        page,
        balloons=tuple(
            replace(b, more=tuple(p for p in b.more if there(p))) for b in page.balloons if there(b.target.component)
        ),
        dimensions=tuple(d for d in page.dimensions if there(d.start.component, d.end.component)),
        centre_lines=tuple(c for c in page.centre_lines if there(c.target.component)),
        notes=tuple(replace(n, target=None) if n.target and not there(n.target.component) else n for n in page.notes),
    )


def faults(assembly: Assembly, sheet: Sheet) -> list[Fault]:
    """What is not right with a sheet: items without a balloon, balloons without an item, views of what is gone."""
    found = rows(assembly, sheet)
    result: list[Fault] = []
    balloons = [b for page in sheet.pages for b in page.balloons]
    shown: set[str] = set()
    for page in sheet.pages:
        for view in page.views:
            try:
                shown |= set(look_at(assembly, sheet, view).spots)
            except PulleyError as error:
                result.append(Fault(str(error)))
    without = [row for row in found if not _has_balloon(row, balloons) and _shows(assembly, row, shown)]
    if balloons and without:
        result.append(Fault(f"{_named(row.name for row in without)} without a balloon.", "tidy"))
    unseen = [row for row in found if not _shows(assembly, row, shown)]
    if shown and unseen:
        result.append(Fault(f"{_named(row.name for row in unseen)} cannot be seen in any view."))
    stray = [b for b in balloons if row_of(assembly, found, b.target.component) is None]
    if stray:
        count = "1 balloon points" if len(stray) == 1 else f"{len(stray)} balloons point"
        result.append(Fault(f"{count} at parts that the list leaves out.", "remove strays"))
    return result


def _has_balloon(row: Row, balloons: Iterable[Balloon]) -> bool:
    return any(path in row.components for b in balloons for path in (b.target.component, *b.more))


def _shows(assembly: Assembly, row: Row, shown: set[str]) -> bool:
    return any(leaf in shown for path in row.components for leaf in assembly.below[path])


def _named(names: Iterable[str]) -> str:
    """Names in a sentence: the first three, and how many more.

    >>> _named(["Rod", "Nut"])
    'Rod and Nut'
    """
    every = list(names)
    if len(every) > NAMED:
        return f"{', '.join(every[:NAMED])} and {len(every) - NAMED} more"
    return " and ".join([", ".join(every[:-1]), every[-1]] if len(every) > 1 else every)


def remove_strays(assembly: Assembly, sheet: Sheet) -> Sheet:
    """The sheet without balloons that point at what the list leaves out."""
    found = rows(assembly, sheet)
    for page in sheet.pages:
        kept = tuple(b for b in page.balloons if row_of(assembly, found, b.target.component))
        sheet = with_page(sheet, replace(page, balloons=kept))
    return sheet


def next_letter(issues: tuple[Issue, ...]) -> str:
    """The letter of the next revision: A, B and so on, without I and O, then AA.

    >>> next_letter(()), next_letter((Issue("H", "", ""),)), next_letter((Issue("Z", "", ""),))
    ('A', 'J', 'AA')
    """
    letters = "ABCDEFGHJKLMNPQRSTUVWXYZ"
    last = issues[-1].letter.upper() if issues else ""
    if not re.fullmatch(f"[{letters}]+", last):
        return "A"
    number = 0
    for letter in last:
        number = number * len(letters) + letters.index(letter) + 1
    number, text = number + 1, ""
    while number:
        number, place = divmod(number - 1, len(letters))
        text = letters[place] + text
    return text


def issue(sheet: Sheet, date: str, name: str, text: str = "", letter: str = "") -> Sheet:
    """The sheet issued as a revision: frozen, with a row in its table of revisions, and the names that parts have
    everywhere as its own, whatever they are called later.

    Raises
    ------
    PulleyError
        When it is issued already, or nobody's name is given.
    """
    if sheet.frozen:
        raise PulleyError(
            f"Revision {sheet.issues[-1].letter} is issued already. Begin the next revision to change it."
        )
    if not name.strip():
        raise PulleyError("Say who issues the sheet: the name is empty.")
    letter = (letter.strip() or next_letter(sheet.issues))[:6]
    if any(done.letter == letter for done in sheet.issues):
        raise PulleyError(f"Revision {letter} was issued before. Choose another letter.")
    done = Issue(letter, date.strip()[:40], name.strip()[:200], " ".join(text.split())[:300])
    items = replace(sheet.items, names=sheet.items.everywhere | sheet.items.names)
    return replace(sheet, items=items, issues=(*sheet.issues, done), frozen=True)


def begin_revision(sheet: Sheet) -> Sheet:
    """The sheet opened for the next revision; what was issued stays in its history and in the table."""
    if not sheet.frozen:
        raise PulleyError("The sheet is not issued: it can be changed as it is.")
    return replace(sheet, frozen=False)


def check_open(sheet: Sheet) -> None:
    """Raise PulleyError when a sheet is issued, and so may not be changed."""
    if sheet.frozen:
        raise PulleyError(
            f"Revision {sheet.issues[-1].letter} is issued and stays as it is. Begin the next revision to change it."
        )
