"""Files on their way to the browser, whole or in part: a download that broke off goes on where it was."""

from __future__ import annotations

import mimetypes
import re
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO

from django.http import FileResponse, Http404, HttpRequest, HttpResponse, StreamingHttpResponse
from django.utils.http import content_disposition_header

from studio.web.packet import PIECE


def send_to(address: str) -> HttpResponse:
    """Has htmx open another page."""
    return HttpResponse(status=204, headers={"HX-Redirect": address})


def send_file(request: HttpRequest, place: Path, filename: str) -> HttpResponse | FileResponse | StreamingHttpResponse:
    """A file as a download, or the one range of it that is asked for (RFC 9110, section 14).

    Raises:
        Http404: it is not there.
    """
    try:
        file = place.open("rb")
    except FileNotFoundError:
        raise Http404 from None
    size = place.stat().st_size
    tag = f'"{place.stat().st_mtime_ns:x}-{size:x}"'
    asked = request.headers.get("range", "")
    if request.headers.get("if-range", tag) != tag:
        asked = ""  # it has changed since, so all of it is sent
    part = _range(asked, size)
    if part is None:
        answer = FileResponse(file, as_attachment=True, filename=filename)
    elif part[0] > part[1]:
        file.close()
        answer = HttpResponse(status=416, headers={"Content-Range": f"bytes */{size}"})
    else:
        first, last = part
        pieces = _read(file, first, last - first + 1)
        answer = StreamingHttpResponse(pieces, status=206, content_type="application/octet-stream")
        answer["Content-Range"] = f"bytes {first}-{last}/{size}"
        answer["Content-Length"] = last - first + 1
        answer["Content-Disposition"] = content_disposition_header(True, filename) or "attachment"
    answer["Accept-Ranges"], answer["ETag"] = "bytes", tag
    return answer


def send_from_zip(place: Path, filename: str) -> StreamingHttpResponse:
    """One file out of a ZIP archive, as a download.

    Raises:
        Http404: the archive, or the file in it, is not there.
    """
    try:
        with zipfile.ZipFile(place) as archive:
            size = archive.getinfo(filename).file_size
    except (OSError, KeyError, zipfile.BadZipFile):
        raise Http404 from None
    kind = mimetypes.guess_type(filename)[0] or "application/octet-stream"
    answer = StreamingHttpResponse(_unpack(place, filename), content_type=kind)
    answer["Content-Length"] = size
    answer["Content-Disposition"] = content_disposition_header(True, filename) or "attachment"
    return answer


def _unpack(place: Path, filename: str) -> Iterator[bytes]:
    with zipfile.ZipFile(place) as archive, archive.open(filename) as file:
        while piece := file.read(PIECE):
            yield piece


def _range(asked: str, size: int) -> tuple[int, int] | None:
    """The first and the last byte; the first beyond the last where there is none; nothing where all is to be sent."""
    found = re.fullmatch(r"bytes=(\d{0,18})-(\d{0,18})", asked.strip())
    if not found or found.groups() == ("", ""):
        return None
    begun, ended = found.groups()
    if not begun:  # so many at the end
        return (max(0, size - int(ended)), size - 1) if int(ended) else (1, 0)
    last = min(int(ended), size - 1) if ended else size - 1
    if ended and int(ended) < int(begun):
        return None
    return (int(begun), last) if int(begun) < size else (1, 0)


def _read(file: BinaryIO, first: int, left: int) -> Iterator[bytes]:
    with file:
        file.seek(first)
        while left:
            piece = file.read(min(PIECE, left))
            if not piece:
                return
            left -= len(piece)
            yield piece
