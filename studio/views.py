"""Pages for when something cannot be shown."""

from django.shortcuts import render


def not_found(request, exception=None):
    """Nothing is at the address, or it belongs to somebody else."""
    return _page(request, 404, "Not found", "There is nothing at this address, or it is not yours.")


def broken(request):
    """A fault of the studio itself."""
    return _page(request, 500, "Something broke", "Everything up to your last change is kept. Go back and try again.")


def not_from_here(request, reason=""):
    """A post that came from no page of this studio."""
    return _page(request, 403, "Not accepted", "The request did not come from a page of this studio. Reload the page.")


def _page(request, status, title, text):
    return render(request, "studio/message.html", {"title": title, "text": text}, status=status)
