"""Signing in and out, where artists share a studio."""

from __future__ import annotations

from django.conf import settings
from django.contrib.auth.views import LoginView, LogoutView, PasswordChangeView
from django.urls import URLPattern, URLResolver, path, reverse_lazy

from studio.web.refusals import refuse


def refuse_guessing(request, *_, **__):  # type: ignore[no-untyped-def]
    """What is said where a password was wrong too often."""
    minutes = round(settings.AXES_COOLOFF_TIME * 60)
    return refuse(
        request, 429, "Too many attempts", f"The password was wrong too often. Try again in {minutes} minutes."
    )


def account_urls() -> list[URLPattern | URLResolver]:
    """Where artists sign in and out and change their password, and Django's own pages for who runs the studio."""
    from django.contrib import admin

    form = "studio/account.html"
    titles = {
        "sign-in": {"title": "Sign in", "button": "Sign in"},
        "password": {"title": "Change your password", "button": "Change it"},
    }
    return [
        path("sign-in/", LoginView.as_view(template_name=form, extra_context=titles["sign-in"]), name="sign-in"),
        path("sign-out/", LogoutView.as_view(), name="sign-out"),
        path(
            "password/",
            PasswordChangeView.as_view(
                template_name=form, extra_context=titles["password"], success_url=reverse_lazy("shelf:shelf")
            ),
            name="password",
        ),
        path("admin/", admin.site.urls),
    ]
