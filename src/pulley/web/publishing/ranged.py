"""Files sent whole or in part, as a film's player asks for them (RFC 9110, 14)."""

import re
from collections.abc import Iterator
from typing import IO

from django.http import FileResponse, HttpRequest, HttpResponse, StreamingHttpResponse

PIECE = 2**16  # bytes read at a time


def sent(
    request: HttpRequest, file: IO[bytes], size: int, kind: str, name: str, download: bool
) -> HttpResponse | StreamingHttpResponse:
    """A file, or the range of it that was asked for; 416 for a range that it does not have."""
    whole = FileResponse(file, content_type=kind, as_attachment=download, filename=name)
    whole["Accept-Ranges"] = "bytes"
    asked = request.headers.get("Range", "")
    span = re.fullmatch(r"bytes=(\d{0,15})-(\d{0,15})", asked)
    if span is None or span[0] == "bytes=-":
        return whole
    first = int(span[1]) if span[1] else max(size - int(span[2]), 0)
    last = min(int(span[2]), size - 1) if span[1] and span[2] else size - 1
    if first > last:
        file.close()
        return HttpResponse(status=416, headers={"Content-Range": f"bytes */{size}"})
    file.seek(first)
    part = StreamingHttpResponse(_pieces(file, last - first + 1), status=206, content_type=kind)
    part["Content-Range"], part["Content-Length"] = f"bytes {first}-{last}/{size}", str(last - first + 1)
    part["Accept-Ranges"], part["Content-Disposition"] = "bytes", whole["Content-Disposition"]
    return part


def _pieces(file: IO[bytes], left: int) -> Iterator[bytes]:
    with file:
        while left > 0 and (piece := file.read(min(PIECE, left))):
            left -= len(piece)
            yield piece
