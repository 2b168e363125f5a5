"""Changes to what a delivery holds: its maps, and profiles that are taken, kept and removed."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.views.decorators.http import require_POST

from relief.deliver.plan_maps import list_maps
from relief.deliver.profiles import SHIPPED, read_profile
from relief.errors import RecipeError
from relief.recipe.recipe import Recipe
from studio.bench.models import Revision
from studio.bench.posts.changes import carry_out
from studio.deliveries.models import Profile

MOST_PROFILES = 60


@require_POST
def change(request: HttpRequest, pk: int) -> HttpResponse:
    """Leaves a map out or takes it in again; takes, keeps or removes a profile."""
    action = request.POST.get("action", "")
    if action not in ACTIONS:
        raise Http404

    def on_recipe(recipe: Recipe) -> tuple[Recipe, str]:
        return ACTIONS[action](request, recipe)

    return carry_out(request, pk, lambda base: Revision.objects.edit(base.piece, base.number, on_recipe))


def profiles_of(artist) -> dict[str, dict]:
    """The values of all profiles by their names: those that ship, then the artist's own."""
    return SHIPPED | {profile.name: profile.values for profile in Profile.objects.filter(owner=artist)}


def profile_of(artist, recipe: Recipe) -> str:
    """The name of the profile that a delivery is set as; empty for none."""
    for name, values in profiles_of(artist).items():
        if read_profile(values)[0] == recipe.delivery:
            return name
    return ""


def _toggle_map(request: HttpRequest, recipe: Recipe) -> tuple[Recipe, str]:
    name, left_out = request.POST.get("map", ""), recipe.delivery.left_out
    known = list_maps(recipe)
    if name not in known:
        raise RecipeError("The piece has no such map.")
    out = name not in left_out
    kept = (*left_out, name) if out else tuple(each for each in left_out if each != name)
    delivery = recipe.delivery.model_copy(update={"left_out": kept})
    changed = recipe.model_copy(update={"delivery": delivery})
    return changed, f"{'Left out' if out else 'Delivers'} {known[name].lower()}"


def _take_profile(request: HttpRequest, recipe: Recipe) -> tuple[Recipe, str]:
    name = request.POST.get("profile", "")
    if not name:
        return recipe, "Settings unchanged"
    values = profiles_of(request.artist).get(name)
    if values is None:
        raise RecipeError("There is no such profile.")
    delivery, _ = read_profile(values)
    return recipe.model_copy(update={"delivery": delivery}), f"Applied profile {name}"


def _keep_profile(request: HttpRequest, recipe: Recipe) -> tuple[Recipe, str]:
    name = " ".join(request.POST.get("name", "").split())[:60]
    if not name or name in SHIPPED:
        raise RecipeError("Give the profile a name of your own.")
    if Profile.objects.filter(owner=request.artist).exclude(name=name).count() >= MOST_PROFILES:
        raise RecipeError(f"At most {MOST_PROFILES} profiles are kept. Remove one first.")
    values = recipe.delivery.model_dump(mode="json")
    Profile.objects.update_or_create(owner=request.artist, name=name, defaults={"values": values})
    return recipe, f"Saved profile {name}"


def _remove_profile(request: HttpRequest, recipe: Recipe) -> tuple[Recipe, str]:
    Profile.objects.filter(owner=request.artist, name=request.POST.get("name", "")).delete()
    return recipe, "Removed a profile"


ACTIONS = {
    "toggle-map": _toggle_map,
    "take-profile": _take_profile,
    "keep-profile": _keep_profile,
    "remove-profile": _remove_profile,
}
