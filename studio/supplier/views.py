"""The supplier's catalogue: looked through, looked at large, and taken."""

from __future__ import annotations

from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_POST, require_safe

from relief.deliver.images import png
from relief.height import Edges, Footprint, HeightField
from relief.inspect.swatch import in_light
from relief.maps.slopes import slopes
from relief.maps.vectors import of_slopes
from relief.sources.colour import decode_srgb
from relief.synthetic.textures import MAPS, SIZES, TEXTURES, Texture
from studio.background.quotas import refuse_beyond_quota
from studio.background.tasks import begin
from studio.shelf.search import FAMILIES
from studio.supplier.models import Order
from studio.supplier.supplier import SupplierError
from studio.supplier.tasks import SUPPLIER
from studio.web.packet import packet

SWATCH, LARGE = 256, 1024


@require_safe
def catalogue(request: HttpRequest) -> HttpResponse:
    """The page, or for a search the list alone."""
    word, family = request.GET.get("q", "")[:100], request.GET.get("colour", "")
    context = {"textures": SUPPLIER.search(word, family), "word": word, "family": family, "families": FAMILIES}
    return render(request, "supplier/list.html" if request.htmx else "supplier/catalogue.html", context)


@require_safe
def texture(request: HttpRequest, key: str) -> HttpResponse:
    """One surface, its maps large and lit on a turning plane."""
    one = _find_texture(key)
    return render(request, "supplier/texture.html", {"texture": one, "maps": MAPS, "sizes": SIZES})


@require_safe
@cache_control(private=True, max_age=86_400)
def small(request: HttpRequest, key: str) -> HttpResponse:
    """A small picture of a surface: its colours, lit."""
    one = _find_texture(key)
    height = SUPPLIER.preview(key, "height", SWATCH)
    footprint = Footprint(width=one.width, height=one.width)
    field = HeightField(height / 65535, footprint, Edges(across="wrap", down="wrap"))
    colour = SUPPLIER.preview(key, "colour", SWATCH)
    lit = in_light(of_slopes(slopes(field, one.depth)), decode_srgb(colour))
    return HttpResponse(png(lit), content_type="image/png")


@require_safe
def preview(request: HttpRequest, key: str, role: str) -> HttpResponse:
    """The pixels of one map, as the supplier shows them before it is taken."""
    one = _find_texture(key)
    try:
        pixels = SUPPLIER.preview(key, role, LARGE)
    except SupplierError as problem:
        return JsonResponse({"message": str(problem)}, status=422)
    if pixels.dtype == "uint16":
        pixels = (pixels >> 8).astype("uint8")
    return packet({"pixels": pixels}, footprint=[one.width, one.width])


@require_safe
def orders(request: HttpRequest, key: str) -> HttpResponse:
    """How the orders of a surface stand."""
    return _orders(request, _find_texture(key))


@require_POST
def take(request: HttpRequest, key: str) -> HttpResponse:
    """Orders a surface at a size; one that is under way is not ordered twice."""
    one = _find_texture(key)
    size = request.POST.get("size", "")
    if size not in map(str, SIZES):
        raise Http404
    with transaction.atomic():
        waiting = Order.objects.filter(owner=request.artist, key=key, size=int(size))
        if any(order.active for order in waiting):
            return _orders(request, one)
        refuse_beyond_quota(request.artist)
        order = Order.objects.create(owner=request.artist, key=key, size=int(size))
    begin(order)
    return _orders(request, one)


@require_POST
def cancel(request: HttpRequest, pk: int) -> HttpResponse:
    """Ends an order that is under way."""
    order = get_object_or_404(Order, pk=pk, owner=request.artist)
    order.cancel()
    return _orders(request, order.texture)


def _find_texture(key: str) -> Texture:
    if key not in TEXTURES:
        raise Http404
    return TEXTURES[key]


def _orders(request: HttpRequest, one: Texture) -> HttpResponse:
    made = list(Order.objects.filter(owner=request.artist, key=one.key)[:4])
    context = {"texture": one, "orders": made, "active": any(order.active for order in made)}
    return render(request, "supplier/orders.html", context)
