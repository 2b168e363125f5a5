"""What every request passes through: which machines are answered, who the artist is, and turns at the processors."""

import ipaddress
import logging
import threading

from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.auth.views import redirect_to_login
from django.http import HttpResponse, HttpResponseForbidden
from django.urls import Resolver404, resolve, reverse
from django.utils.functional import SimpleLazyObject

from relief.errors import Cancelled, ReliefError
from relief.figures import lengths_in
from studio.turns import Turns
from studio.web.refusals import FULL_DISK, LOCKED, is_full_disk, is_locked, refuse
from studio.web.sending import send_to
from studio.web.wanted import answering, holding

logger = logging.getLogger(__name__)

COMPUTING = {"bench", "deliveries", "supplier"}
"""Apps whose pages may compute; of the shelf what shows pictures. What takes them in has bounds of its own."""

COMPUTING_ON_SHELF = {"pixels", "swatch", "set", "mend"}

UNHURRIED, BEARABLE = {"measured", "histogram", "repeats", "adviser", "facts"}, 0.6
"""What a page asks for when the hand rests, and the seconds for which it lets go first what follows a hand."""

BUSY = "The studio is busy with other requests. Nothing was changed; try again in a moment."


def this_machine_only(get_response):
    """Refuses requests from another machine, unless the studio was opened to some.

    Borrowed host names are refused by ALLOWED_HOSTS, here too for files.
    """

    def answer(request):
        try:
            local = ipaddress.ip_address(request.META.get("REMOTE_ADDR", "")).is_loopback
        except ValueError:
            local = False
        if not local and not settings.OPEN_TO:
            return HttpResponseForbidden("This studio only answers its own machine.", content_type="text/plain")
        request.get_host()  # raises DisallowedHost
        return get_response(request)

    return answer


def forbid_embedding(get_response):
    """Keeps other sites from loading what is answered here, or holding on to a window of it."""

    def answer(request):
        response = get_response(request)
        response["Cross-Origin-Resource-Policy"] = "same-origin"
        response["Cross-Origin-Opener-Policy"] = "same-origin"
        return response

    return answer


def head_without_body(get_response):
    """Answers HEAD with what GET would say and no body (RFC 9110, 9.3.2); the server sends whatever it is given."""

    def answer(request):
        response = get_response(request)
        if request.method == "HEAD":
            if response.streaming:
                response.streaming_content = ()
            else:
                response.headers.setdefault("Content-Length", str(len(response.content)))
                response.content = b""
        return response

    return answer


def faults_in_words(get_response):
    """What no view answers to: a disk that is full, work that nobody waits for any more, or that took too long."""

    def process_exception(request, problem):
        if isinstance(problem, Cancelled):
            return HttpResponse(status=204)
        if isinstance(problem, ReliefError):
            return refuse(request, 422, "Not done", str(problem))
        if is_full_disk(problem):
            logger.warning("The disk is full: %s", problem)
            return refuse(request, 507, "The disk is full", FULL_DISK)
        if is_locked(problem):
            logger.warning("The database is locked: %s", problem)
            return refuse(request, 503, "Busy", LOCKED)
        return None

    def answer(request):
        return get_response(request)

    answer.process_exception = process_exception
    return answer


def one_after_the_other(get_response):
    """Requests that compute take turns, so many at once; beyond so many that wait one is told to come again.

    One that waits and whose page has gone is not answered any more.
    """
    turns = Turns(settings.COMPUTING_AT_ONCE)
    places = threading.BoundedSemaphore(settings.COMPUTING_AND_WAITING)

    def answer(request):
        kind = _what_computes(request)
        if not kind:
            return get_response(request)
        with answering(request) as progress:
            if not places.acquire(blocking=False):
                return refuse(request, 503, "Busy", BUSY)
            try:
                turn = _Turn(turns, BEARABLE if kind in UNHURRIED else 0, progress)
                if not turn.take_again():
                    return HttpResponse(status=204)
                try:
                    with holding(turn):
                        return get_response(request)
                finally:
                    turn.give_back()
            finally:
                places.release()

    return answer


class _Turn:
    """The turn of one request, which may be given back and taken again."""

    def __init__(self, turns, bearable, progress):
        self.turns, self.bearable, self.progress = turns, bearable, progress
        self.held = False

    def take_again(self):
        self.held = self.turns.take(self.bearable, self.progress.hung_up)
        self.progress.begin()
        return self.held

    def give_back(self):
        if self.held:
            self.held = False
            self.turns.give_back()


def _what_computes(request):
    """The name of the page, where it is one that may compute."""
    try:
        match = resolve(request.path_info)
    except Resolver404:
        return None
    computes = match.app_name in COMPUTING or (match.app_name == "shelf" and match.url_name in COMPUTING_ON_SHELF)
    return match.url_name if computes else None


def lengths_of_the_piece(get_response):
    """The unit that a piece's lengths are shown in holds for its own request alone."""

    def answer(request):
        with lengths_in(""):
            return get_response(request)

    return answer


def local_artist(get_response):
    """Sets `request.artist`, the owner of what is made here: the one of this machine."""

    def answer(request):
        request.artist = SimpleLazyObject(the_artist)
        return get_response(request)

    return answer


def signed_in_artist(get_response):
    """Sets `request.artist` to who has signed in; others are sent to where they can."""

    def answer(request):
        request.artist = request.user
        if request.user.is_authenticated or request.path_info.startswith(OPEN_TO_ALL):
            return get_response(request)
        if request.htmx:  # a part of a page cannot be sent elsewhere, the page can
            return send_to(reverse("sign-in"))
        return redirect_to_login(request.get_full_path())

    return answer


OPEN_TO_ALL = ("/sign-in/", "/admin/", "/health")
"""Addresses that look after themselves who may see them."""


def the_artist():
    """The one artist of this machine."""
    artist, _ = get_user_model().objects.get_or_create(username="artist")
    return artist
