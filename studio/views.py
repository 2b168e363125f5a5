"""How far a request is, and pages for when something cannot be shown or is not taken."""

from django.conf import settings
from django.contrib.staticfiles import finders
from django.core.exceptions import RequestDataTooBig, TooManyFieldsSent, TooManyFilesSent
from django.http import Http404, HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.templatetags.static import static
from django.views.decorators.http import require_safe

from studio.background.health import measure_health
from studio.web.refusals import refuse
from studio.web.wanted import UNDER_WAY

TOO_MUCH = {
    RequestDataTooBig: ("That was more than the studio accepts at once. Your last change was not kept; send less."),
    TooManyFieldsSent: "Those were more values than the studio accepts at once. Nothing was kept; send fewer.",
    TooManyFilesSent: ("Those were more files than the studio accepts at once. Nothing was kept; choose at most 200."),
}
NOT_UNDERSTOOD = "The studio could not read what was sent. Nothing was kept; reload the page and try again."


@require_safe
def progress(request, name):
    """How far the request is that its page called so, 0 to 1, and what is being done; nothing where it has ended."""
    asked = UNDER_WAY.get(name)
    if asked is None:
        return HttpResponse(status=204)
    return JsonResponse({"fraction": asked.fraction, "message": asked.message}, headers={"Cache-Control": "no-store"})


@require_safe
def health(request):
    """How the studio is doing, as JSON, with 503 when something needs somebody.

    Who has not signed in to a shared studio, such as a proxy that asks, learns only whether all is well.
    """
    found = measure_health()
    told = found.as_data() if not settings.SHARED or request.user.is_staff else {"well": found.is_well}
    return JsonResponse(told, status=200 if found.is_well else 503, headers={"Cache-Control": "no-store"})


@require_safe
def moved_file(request, name):
    """A script, a style or a font at the address that it had before something changed, to where it is now: for pages
    that stay open while the studio is brought up to date.
    """
    now = static(name)
    if finders.find(name) is None or request.path == now:
        raise Http404
    return redirect(now)


def not_found(request, exception=None):
    """Nothing is at the address, or it belongs to somebody else."""
    return refuse(request, 404, "Not found", "There is nothing at this address, or it is not yours.")


def broken(request):
    """A fault of the studio itself."""
    return refuse(
        request, 500, "Something went wrong", "Everything up to your last change is kept. Go back and try again."
    )


def not_taken(request, exception=None):
    """What was sent is too much, or no request at all."""
    sentence = next((words for kind, words in TOO_MUCH.items() if isinstance(exception, kind)), NOT_UNDERSTOOD)
    return refuse(request, 400, "Not taken", sentence)


def not_from_here(request, reason=""):
    """A post that came from no page of this studio."""
    return refuse(request, 403, "Not accepted", "The request did not come from a page of this studio. Reload the page.")
