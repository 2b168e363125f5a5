import uuid

import django.db.models.deletion
from django.db import migrations, models


def share_sources(apps, schema_editor):
    """What a source belonged to keeps it; a picture that was called a mesh is what it was guessed to be."""
    source_model, photo_model = apps.get_model("shelf", "Source"), apps.get_model("shelf", "LitPhoto")
    set_model, series_model = apps.get_model("shelf", "TextureSet"), apps.get_model("shelf", "LitSeries")
    for source in source_model.objects.filter(role="mesh"):
        if isinstance(source.measured, dict) and "guess" in source.measured:
            source.role = source.measured["guess"]["role"]
            source.save(update_fields=["role"])
    for source in source_model.objects.exclude(texture_set=None):
        source.texture_set.members.add(source)
    for series in series_model.objects.all():
        photos = source_model.objects.filter(lit_series=series).order_by("place", "pk")
        for number, source in enumerate(photos[: len(series.lights)]):
            photo_model.objects.create(series=series, source=source, number=number)
    set_model.objects.filter(members=None).delete()
    series_model.objects.filter(photos=None).delete()


def give_tokens(apps, schema_editor):
    """Each piece its own."""
    for piece in apps.get_model("shelf", "Piece").objects.all():
        piece.token = uuid.uuid4()
        piece.save(update_fields=["token"])


class Migration(migrations.Migration):
    dependencies = [
        ("shelf", "0008_width_of_a_series"),
    ]

    operations = [
        migrations.AlterField(
            model_name="source",
            name="texture_set",
            field=models.ForeignKey(
                blank=True,
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="+",
                to="shelf.textureset",
            ),
        ),
        migrations.AlterField(
            model_name="source",
            name="lit_series",
            field=models.ForeignKey(
                blank=True,
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="+",
                to="shelf.litseries",
            ),
        ),
        migrations.CreateModel(
            name="LitPhoto",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("number", models.PositiveSmallIntegerField()),
                (
                    "series",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="placed", to="shelf.litseries"
                    ),
                ),
                (
                    "source",
                    models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="+", to="shelf.source"),
                ),
            ],
            options={"ordering": ["number"]},
        ),
        migrations.AddConstraint(
            model_name="litphoto",
            constraint=models.UniqueConstraint(fields=("series", "number"), name="one_photo_for_each_light"),
        ),
        migrations.AddField(
            model_name="litseries",
            name="photos",
            field=models.ManyToManyField(related_name="series", through="shelf.LitPhoto", to="shelf.source"),
        ),
        migrations.AddField(
            model_name="textureset",
            name="members",
            field=models.ManyToManyField(related_name="sets", to="shelf.source"),
        ),
        migrations.AddField(model_name="source", name="problem", field=models.CharField(blank=True, max_length=200)),
        migrations.AddField(
            model_name="piece", name="token", field=models.UUIDField(default=uuid.uuid4, editable=False)
        ),
        migrations.RunPython(share_sources, migrations.RunPython.noop),
        migrations.RunPython(give_tokens, migrations.RunPython.noop),
        migrations.RemoveField(model_name="source", name="texture_set"),
        migrations.RemoveField(model_name="source", name="lit_series"),
        migrations.RemoveField(model_name="source", name="place"),
    ]
