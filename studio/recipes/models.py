"""Recipes that are kept, and series: many pictures through one of them, into a delivery each."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any, ClassVar

from django.conf import settings
from django.db import models
from django.db.models import Count

from relief.deliver.files import is_whole
from relief.errors import ReliefError
from relief.recipe.layer import SourceReference
from relief.recipe.recipe import Recipe
from relief.sources.mesh.read import is_mesh
from relief.version import computation_version
from studio.background.models import Work


class KeptRecipe(models.Model):
    """A recipe of a piece, or of a file, under a name."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    name = models.CharField(max_length=80)
    recipe = models.JSONField()
    picture = models.BinaryField(default=bytes)
    """A small lit picture of what it was kept from, a PNG; empty where that is not known."""
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="recipe_once_for_each_owner")]

    def __str__(self) -> str:
        return self.name

    def read(self) -> Recipe:
        """The recipe.

        Raises:
            RecipeError: this version cannot read it.
        """
        return Recipe.read(self.recipe)


def pictures_of(recipe: Recipe) -> dict[str, SourceReference]:
    """The sources of a recipe that other pictures can take the place of; a mesh stays what it is."""
    return {key: reference for key, reference in recipe.sources.items() if not is_mesh(reference.filename)}


class Series(models.Model):
    """Many pictures, or sets, through one recipe as it was when the series began."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    name = models.CharField(max_length=120)
    recipe = models.JSONField()
    """With its delivery as the chosen profile has it."""
    profile = models.CharField(max_length=60, blank=True)
    takes_arrivals = models.BooleanField(default=False)
    """Whether what arrives in the watched folder is added to it."""
    each = models.FloatField(default=0)
    """Seconds that an item was forecast to take."""
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-pk"]
        verbose_name_plural = "series"

    def __str__(self) -> str:
        return self.name

    @classmethod
    def bytes_of(cls, artist: Any) -> int:
        """Bytes of the deliveries of an artist's series."""
        made = SeriesItem.objects.filter(series__owner=artist, state=SeriesItem.State.DONE).select_related("series")
        return round(sum(item.size or 0 for item in made if item.is_there))

    @property
    def folder(self) -> Path:
        """Where its deliveries lie."""
        return Path(settings.MEDIA_ROOT) / "series" / str(self.pk)

    def read(self) -> Recipe:
        """The recipe. Raises RecipeError where this version cannot read it."""
        return Recipe.read(self.recipe)

    @property
    def active_runs(self) -> models.QuerySet[SeriesRun]:
        """Who is at it, or waits for its turn."""
        return self.runs.filter(state__in=Work.ACTIVE)

    @property
    def run(self) -> SeriesRun | None:
        """The one of them that is listed first."""
        return self.active_runs.first()

    def stop(self) -> None:
        """Ends whoever is at it; what is finished stays."""
        for run in self.active_runs:
            run.cancel()

    def count(self) -> dict[str, int]:
        """How many of its items are in each state."""
        return self.count_each([self])[self.pk]

    @classmethod
    def count_each(cls, series: Iterable[Series]) -> dict[int, dict[str, int]]:
        """How many items of some series are in each state, by the key of the series."""
        counts = {each.pk: dict.fromkeys(SeriesItem.State.values, 0) for each in series}
        counted = SeriesItem.objects.filter(series__in=counts).values_list("series", "state")
        for key, state, many in counted.annotate(many=Count("pk")).order_by():
            counts[key][state] = many
        return counts

    def count_over(self) -> tuple[int, int]:
        """How many of its items are over, made or failed, and how many there are but those that are left out."""
        counts = self.count()
        return counts["done"] + counts["failed"], sum(counts.values()) - counts["out"]

    def seconds_left(self) -> float:
        """About how long the rest takes: by what the others took, else by the forecast."""
        done = self.items.filter(state=SeriesItem.State.DONE).values_list("facts", flat=True)[:200]
        told = [facts.get("seconds") for facts in done if isinstance(facts, dict)]
        taken = [seconds for seconds in told if isinstance(seconds, int | float)]
        each = sum(taken) / len(taken) if taken else self.each
        return each * self.count()["planned"]


class SeriesItem(models.Model):
    """One delivery of a series."""

    class State(models.TextChoices):
        PLANNED = "planned", "To do"
        DONE = "done", "Ready"
        FAILED = "failed", "Failed"
        OUT = "out", "Left out"

    series = models.ForeignKey(Series, on_delete=models.CASCADE, related_name="items")
    number = models.PositiveIntegerField()
    name = models.CharField(max_length=200)
    """Its own within the series; its delivery is called so."""
    sources = models.JSONField(default=dict)
    """By its key in the recipe, the digest and the filename of each picture."""
    state = models.CharField(max_length=10, choices=State.choices, default=State.PLANNED)
    message = models.CharField(max_length=300, blank=True)
    facts = models.JSONField(default=dict)
    """As `deliver_item` gives them."""
    version = models.CharField(max_length=40, blank=True)
    """Of the computation that made its delivery."""

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["series", "number"], name="item_once_in_each_series")]
        indexes: ClassVar[list[models.Index]] = [models.Index(fields=["series", "state"])]

    def __str__(self) -> str:
        return f"{self.series}, {self.name}"

    @classmethod
    def planned(cls, series: Series, number: int, name: str, sources: Mapping[str, SourceReference]) -> SeriesItem:
        """An item to do, not saved yet."""
        held = {key: reference.model_dump() for key, reference in sources.items()}
        return cls(series=series, number=number, name=name, sources=held)

    @classmethod
    def impossible(cls, series: Series, number: int, name: str, why: str) -> SeriesItem:
        """An item whose pictures cannot be put through the recipe, not saved yet."""
        return cls(series=series, number=number, name=name, state=cls.State.FAILED, message=why[:300])

    @property
    def path(self) -> Path:
        """Where its delivery lies."""
        return self.series.folder / f"{self.name}.zip"

    @property
    def picture(self) -> Path:
        """Where its small picture lies."""
        return self.series.folder / f"{self.name}.png"

    @property
    def is_there(self) -> bool:
        """Whether its delivery is ready and as large as it was written."""
        return self.state == self.State.DONE and is_whole(self.path, self.size)

    @property
    def seconds(self) -> float | None:
        """That its delivery took; none where that is not known."""
        return self._figure("seconds")

    @property
    def size(self) -> float | None:
        """Bytes of its delivery; none where that is not known."""
        return self._figure("size")

    def _figure(self, name: str) -> float | None:
        told = self.facts.get(name) if isinstance(self.facts, dict) else None
        return told if isinstance(told, int | float) else None

    @property
    def has_picture(self) -> bool:
        return self.state == self.State.DONE and self.picture.exists()

    @property
    def findings(self) -> list[Any]:
        """The title and the reason of each finding."""
        found = self.facts.get("findings") if isinstance(self.facts, dict) else None
        return [each for each in found if isinstance(each, list) and len(each) == 2] if isinstance(found, list) else []

    def recipe(self) -> Recipe:
        """The recipe of its series with its own pictures.

        Raises:
            ReliefError: this version cannot read it.
        """
        whole = self.series.read()
        try:
            own = {key: SourceReference(**reference) for key, reference in self.sources.items()}
        except (AttributeError, TypeError, ValueError):
            raise ReliefError("The pictures of this item cannot be read.") from None
        return whole.with_sources(own)

    def finish(self, facts: dict[str, Any]) -> None:
        """Its delivery is ready."""
        self.state, self.message, self.facts, self.version = self.State.DONE, "", facts, computation_version()
        self.save()

    def fail(self, why: str) -> None:
        """It could not be made."""
        self.state, self.message = self.State.FAILED, why[:300]
        self.save()


class SeriesRun(Work):
    """Somebody works through a series, until it is done, stopped, or lets other work go first."""

    heavy: ClassVar[bool] = True
    series = models.ForeignKey(Series, on_delete=models.CASCADE, related_name="runs")

    def __str__(self) -> str:
        return f"{self.series}: {self.get_state_display()}"
