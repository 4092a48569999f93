"""How far something is that a worker is at, for a page that asks again by itself."""

import json
from typing import Any

from pulley.web.door import whole
from pulley.web.editor.parsing import Sent

FIRST, MORE, LEAST_OFTEN = 150, 1.4, 2000  # ms between two askings: the first, how they grow, and the longest


def shown(sent: Sent, share: float, count: int, what: str) -> dict[str, Any]:
    """What the template of progress needs; the page sends back how often it has asked."""
    looked = min(whole(sent.get("looked"), 0), 99)
    delay = round(min(FIRST * MORE**looked, LEAST_OFTEN))
    again = json.dumps({**sent, "looked": looked + 1})
    return {"done": round(share * count), "count": count, "what": what, "sent": again, "delay": delay}
