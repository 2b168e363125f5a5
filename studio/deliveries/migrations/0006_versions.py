from django.db import migrations, models

import relief.version

UNKNOWN = ""
"""Of what was made before versions were kept."""


class Migration(migrations.Migration):
    dependencies = [
        ("jobs", "0005_profiles"),
    ]

    operations = [
        operation
        for model in ("build", "job")
        for operation in (
            migrations.AddField(model, "version", models.CharField(default=UNKNOWN, max_length=40)),
            migrations.AlterField(
                model, "version", models.CharField(default=relief.version.computation_version, max_length=40)
            ),
        )
    ]
