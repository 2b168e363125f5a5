"""The local mode: only this machine is answered, and whoever sits at it is the one artist."""

import ipaddress

from django.contrib.auth import get_user_model
from django.http import HttpResponseForbidden
from django.utils.functional import SimpleLazyObject


def this_machine_only(get_response):
    """Refuses requests from another machine. Borrowed host names are refused by ALLOWED_HOSTS, here too for files."""

    def answer(request):
        try:
            local = ipaddress.ip_address(request.META.get("REMOTE_ADDR", "")).is_loopback
        except ValueError:
            local = False
        if not local:
            return HttpResponseForbidden("This studio answers its own machine only.", content_type="text/plain")
        request.get_host()  # raises DisallowedHost
        return get_response(request)

    return answer


def local_artist(get_response):
    """Sets `request.artist`, the owner of what is made here. With sign-in this is the one thing to change."""

    def answer(request):
        request.artist = SimpleLazyObject(the_artist)
        return get_response(request)

    return answer


def the_artist():
    """The one artist of this machine."""
    artist, _ = get_user_model().objects.get_or_create(username="artist")
    return artist
