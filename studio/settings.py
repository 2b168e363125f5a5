"""Settings of the studio: one artist, everything kept in one data folder. `environment.py` names what can be set."""

import hashlib
import os
import secrets
from pathlib import Path

import django
from csp.constants import NONE, SELF

from studio.background.queue import DurableHuey
from studio.environment import bind_address, data_folder, read_choice, read_list, read_number, read_switch, read_text

DATA = data_folder().expanduser().resolve()
DATA.mkdir(parents=True, exist_ok=True)


def _secret_key() -> str:
    """The key kept in the data folder, made at the first start; of several that start at once all take the same."""
    place = DATA / "secret-key"
    if not place.exists():
        made = DATA / f".secret-key.{secrets.token_hex(4)}"
        made.touch(0o600)
        made.write_text(secrets.token_urlsafe(48))
        try:
            os.link(made, place)  # it is seen whole or not at all
        except FileExistsError:
            pass
        finally:
            made.unlink()
    return place.read_text()


def _fingerprint_of_static() -> str:
    """Eight letters that change with any script, style, font or picture that browsers keep."""
    known = hashlib.sha256(django.__version__.encode())  # its administration has some, too
    house = Path(__file__).parent
    for path in sorted(house.glob("**/static/**/*")):
        if path.is_file():
            known.update(f"{path.relative_to(house)}\n{path.stat().st_size}\n".encode() + path.read_bytes())
    return known.hexdigest()[:8]


SECRET_KEY = read_text("GRAVEL_SECRET_KEY") or _secret_key()
DEBUG = False
BIND = bind_address()
OPEN_TO = read_list("GRAVEL_HOSTS")
"""Names under which other machines may ask; none, and only this machine is answered."""

ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]", *OPEN_TO]
CSRF_TRUSTED_ORIGINS = read_list("GRAVEL_ORIGINS")
PROXY = read_text("GRAVEL_PROXY")
SHARED = read_switch("GRAVEL_SHARED")
"""Whether artists sign in; otherwise whoever sits at this machine is the one artist."""

HTTPS = read_switch("GRAVEL_HTTPS")

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.staticfiles",
    "django_htmx",
    "huey.contrib.djhuey",
    "csp",
    "studio",
    "studio.background",
    "studio.shelf",
    "studio.supplier",
    "studio.rig",
    "studio.recipes",
    "studio.bench",
    "studio.deliveries",
]

MIDDLEWARE = [
    "studio.middleware.head_without_body",
    "studio.middleware.forbid_embedding",
    "studio.middleware.this_machine_only",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "studio.middleware.one_after_the_other",
    "studio.middleware.faults_in_words",
    "studio.middleware.local_artist",
    "studio.middleware.lengths_of_the_piece",
]

ROOT_URLCONF = "studio.urls"
WSGI_APPLICATION = "studio.wsgi.application"

TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": ["django.template.context_processors.request"],
            "libraries": {"figures": "studio.web.figures"},
        },
    }
]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / "studio.sqlite3",
        "OPTIONS": {
            "timeout": 20,
            "transaction_mode": "IMMEDIATE",
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL;",
        },
        # a file: the browser tests read it from several threads
        "TEST": {"NAME": DATA / "test.sqlite3"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

HUEY = DurableHuey("jobs", filename=str(DATA / "queue.sqlite3"))

MEDIA_ROOT = DATA / "media"

DELIVERIES_DAYS, DELIVERIES_BYTES = 90, 50 << 30
"""Bundles older than so many days are cleared away, and the oldest ones beyond so many bytes in all."""

CLEAR_AFTER = read_number("GRAVEL_CLEAR_AFTER", 0, least=0)
"""Days after which the worker clears what nothing uses any more; 0 leaves it to a command."""

WATCH = read_text("GRAVEL_WATCH")
"""The folder that is watched for new pictures; empty for none."""

REDIS = read_text("GRAVEL_REDIS")
REDIS_LEASE = 15.0
"""The Redis server by which series are handed out to helpers, if any; seconds that work is theirs without a sign."""

QUOTA_BYTES = read_number("GRAVEL_QUOTA_GB", 0, least=0) << 30
QUOTA_WORK = read_number("GRAVEL_QUOTA_JOBS", 0, least=0)
"""Bytes that each artist may keep, and jobs that may run or wait; 0 for no limit."""

ENGINE_BYTES = read_number("GRAVEL_CACHE_MB", 640) << 20
"""Bytes of finished computations that a process keeps; what is under way comes on top."""

ENGINE_TEXELS = read_number("GRAVEL_TEXELS", 1_000_000_000)
"""Texels that one stage may touch for a page: some twenty seconds. What takes longer is refused before it starts."""

LONGEST_REQUEST = 60
"""Seconds that a request may compute."""

COMPUTING_AT_ONCE, COMPUTING_AND_WAITING = max(2, os.cpu_count() or 2), 24
"""Requests that compute at the same time, and those with the ones that wait for it; the server has threads for more."""

STATIC_URL = f"static/{_fingerprint_of_static()}/"
STATIC_ROOT = Path(read_text("GRAVEL_STATIC") or DATA / "static")
STATIC_ROOT.mkdir(parents=True, exist_ok=True)
WHITENOISE_USE_FINDERS = True
WHITENOISE_MAX_AGE = 365 * 24 * 3600  # where a script, a style or a font has changed, all are at another address

LONGEST_READING, MOST_TO_READ = 30, 3 << 30
"""Seconds and bytes that reading one file may take that has just come in."""

INTAKE_AT_ONCE, LONGEST_INTAKE = 6, 600
"""Seconds for which a request takes files in, the rest going on in the background; and those for which that goes on."""

LARGEST_UPLOAD = 600 * 1024 * 1024
"""Bytes in one request. The largest picture that is read fits, uncompressed and with 16 bits."""

DATA_UPLOAD_MAX_MEMORY_SIZE = 1024 * 1024
DATA_UPLOAD_MAX_NUMBER_FILES = 200
FILE_UPLOAD_HANDLERS = [
    "studio.uploads.RefuseTooLarge",
    "django.core.files.uploadhandler.MemoryFileUploadHandler",
    "django.core.files.uploadhandler.TemporaryFileUploadHandler",
]

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "style-src": [SELF],
        "font-src": [SELF],
        "img-src": [SELF, "data:", "blob:"],
        "connect-src": [SELF],
        "form-action": [SELF],
        "base-uri": [NONE],
        "frame-ancestors": [NONE],
    }
}
SECURE_REFERRER_POLICY = "same-origin"
CSRF_COOKIE_HTTPONLY = False
CSRF_COOKIE_SAMESITE = "Strict"
SESSION_COOKIE_SAMESITE = "Strict"
CSRF_FAILURE_VIEW = "studio.views.not_from_here"
X_FRAME_OPTIONS = "DENY"

USE_I18N = False
USE_TZ = True
TIME_ZONE = "UTC"

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {"faults": {"()": "studio.log.OnlyOurFaults"}},
    "formatters": {"json": {"()": "studio.log.OneLineOfJson"}},
    "handlers": {
        "console": {
            "class": "logging.StreamHandler",
            "filters": ["faults"],
            **({"formatter": "json"} if read_choice("GRAVEL_LOG", "text", "json") == "json" else {}),
        }
    },
    # Django's own handlers are left out, so that every record takes one way
    "loggers": {"django": {"handlers": [], "level": "WARNING", "propagate": True}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}

if SHARED:
    INSTALLED_APPS += ["django.contrib.sessions", "django.contrib.messages", "django.contrib.admin", "axes"]
    MIDDLEWARE[MIDDLEWARE.index("studio.middleware.local_artist")] = "studio.middleware.signed_in_artist"
    place = MIDDLEWARE.index("django.middleware.csrf.CsrfViewMiddleware")
    MIDDLEWARE.insert(place, "django.contrib.sessions.middleware.SessionMiddleware")
    place = MIDDLEWARE.index("django_htmx.middleware.HtmxMiddleware")
    MIDDLEWARE[place:place] = [
        "django.contrib.auth.middleware.AuthenticationMiddleware",
        "django.contrib.messages.middleware.MessageMiddleware",
    ]
    MIDDLEWARE.append("axes.middleware.AxesMiddleware")
    TEMPLATES[0]["OPTIONS"]["context_processors"] += [  # type: ignore[index]
        "django.contrib.auth.context_processors.auth", "django.contrib.messages.context_processors.messages",
    ]  # fmt: skip
    AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
    AUTH_PASSWORD_VALIDATORS = [
        {"NAME": f"django.contrib.auth.password_validation.{name}Validator"}
        for name in ("UserAttributeSimilarity", "MinimumLength", "CommonPassword", "NumericPassword")
    ]
    LOGIN_URL, LOGIN_REDIRECT_URL, LOGOUT_REDIRECT_URL = "sign-in", "/", "sign-in"
    AXES_FAILURE_LIMIT, AXES_COOLOFF_TIME = 8, 0.25
    AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
    AXES_LOCKOUT_CALLABLE = "studio.accounts.refuse_guessing"
    AXES_VERBOSE = False
    # behind a proxy that is believed, the server itself puts the client's address in its place
    AXES_IPWARE_META_PRECEDENCE_ORDER = ["REMOTE_ADDR"]

if HTTPS:
    SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE_SSL_REDIRECT = True
    SECURE_HSTS_SECONDS, SECURE_HSTS_INCLUDE_SUBDOMAINS, SECURE_HSTS_PRELOAD = 365 * 86_400, True, True
