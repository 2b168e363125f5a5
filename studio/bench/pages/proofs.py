"""Proofs: kept looks of a piece, and what lies between one of them and the piece as it stands."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST, require_safe

from relief.deliver.files import safe_stem
from relief.errors import ReliefError
from relief.figures import show_lengths_in
from relief.inspect.differences import difference, in_words
from relief.run.finished import vectors_along
from relief.run.pipeline import PROXY, Pipeline
from studio.bench.models import Proof, Revision
from studio.bench.requests import piece_of, proof_of, revision_of
from studio.shelf.engine import get_engine
from studio.shelf.models import Piece, read_source


@require_safe
def proofs(request: HttpRequest, pk: int) -> HttpResponse:
    """The proofs of a piece."""
    return _list_proofs(request, piece_of(request, pk))


@require_POST
def keep(request: HttpRequest, pk: int) -> HttpResponse:
    """Keeps a proof of the revision that is shown; one that is kept already stays as it is."""
    piece = piece_of(request, pk)
    revision = revision_of(piece, request.POST.get("base"))
    Proof.objects.get_or_create(revision=revision, defaults={"name": revision.label[:80]})
    return _list_proofs(request, piece)


@require_POST
def name(request: HttpRequest, pk: int) -> HttpResponse:
    """Names a proof; a name of nothing leaves the old one."""
    piece = piece_of(request, pk)
    proof = proof_of(piece, request.POST.get("number"))
    wanted = " ".join(request.POST.get("name", "").split())[:80]
    if wanted:
        Proof.objects.filter(pk=proof.pk).update(name=wanted)  # another window may have removed it meanwhile
    return _list_proofs(request, piece)


@require_POST
def remove(request: HttpRequest, pk: int) -> HttpResponse:
    """Removes a proof. Its revision stays, so undo still goes through it."""
    piece = piece_of(request, pk)
    proof_of(piece, request.POST.get("number")).delete()
    return _list_proofs(request, piece)


@require_safe
def differences(request: HttpRequest, pk: int) -> HttpResponse:
    """What lies between a proof and the piece as it stands, or another proof, in words and in figures."""
    piece = piece_of(request, pk)
    proof = proof_of(piece, request.GET.get("number"))
    other = proof_of(piece, request.GET["other"]) if "other" in request.GET else None
    now = other.revision.read() if other else Revision.objects.now(piece).read()
    then = proof.revision.read()
    show_lengths_in(now.unit)
    context = {"piece": piece, "proof": proof, "other": other, "words": in_words(then, now)}
    try:
        states = [Pipeline.of(recipe, read_source, PROXY) for recipe in (now, then)]
        fields = tuple(get_engine().run(state.height()) for state in states)
        along = tuple(vectors_along(state, get_engine()) for state in states)
        context["measured"] = difference((now.shown, then.shown), fields, along)
    except ReliefError as problem:
        context["problem"] = str(problem)
    return render(request, "bench/differences.html", context)


@require_safe
def recipe(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """The recipe of a proof as a file."""
    proof = proof_of(piece_of(request, pk), number)
    answer = HttpResponse(proof.revision.read().as_text(read_source), content_type="application/json")
    answer["Content-Disposition"] = f'attachment; filename="{safe_stem(proof.name)}.json"'
    return answer


def _list_proofs(request: HttpRequest, piece: Piece) -> HttpResponse:
    kept = Proof.objects.filter(revision__piece=piece).select_related("revision").prefetch_related("revision__stills")
    return render(request, "bench/proofs.html", {"piece": piece, "proofs": kept})
