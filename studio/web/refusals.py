"""Answers that say no, in a sentence, in the form that whoever asked can show: a page, a word on a page, or JSON."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator

from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render

from relief.errors import NO_ROOM

FULL_DISK = "The disk is full. Nothing was changed; free some space and try again."

LOCKED = "The studio's database is busy. Nothing was changed; try again."


def refuse(request: HttpRequest, status: int, title: str, sentence: str) -> HttpResponse:
    """The sentence as JSON for a script, as plain text for a part of a page, as a page otherwise."""
    if request.headers.get("hx-request"):
        return HttpResponse(sentence, status=status, content_type="text/plain; charset=utf-8")
    if wants_json(request):
        return JsonResponse({"message": sentence}, status=status)
    return render(request, "studio/message.html", {"title": title, "text": sentence}, status=status)


def wants_json(request: HttpRequest) -> bool:
    """Whether a script asked: it takes anything, or JSON, and no page by name."""
    accepted = request.headers.get("accept", "")
    return "application/json" in accepted or accepted == "*/*"


def is_full_disk(problem: BaseException) -> bool:
    """Whether something went wrong as the disk is full."""
    return any(
        (isinstance(each, OSError) and each.errno in NO_ROOM)
        or (isinstance(each, sqlite3.Error | DatabaseError) and "disk is full" in str(each))
        for each in _causes(problem)
    )


def say_file_fault(problem: OSError) -> str:
    """What went wrong with a file, in a sentence."""
    return (
        f"A file could not be written or read ({problem.strerror or type(problem).__name__}). Nothing was kept of it."
    )


def is_locked(problem: BaseException) -> bool:
    """Whether something went wrong as another program holds the database for longer than one waits for it."""
    return any(
        isinstance(each, sqlite3.Error | DatabaseError) and "database is locked" in str(each)
        for each in _causes(problem)
    )


def _causes(problem: BaseException | None) -> Iterator[BaseException]:
    while problem is not None:
        yield problem
        problem = problem.__cause__ or problem.__context__
