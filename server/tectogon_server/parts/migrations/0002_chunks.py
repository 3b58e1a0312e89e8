"""Sources in chunks."""

from __future__ import annotations

from typing import Any

import django.db.models.deletion
from django.db import migrations, models

CHUNK = 1_000_000


def in_chunks(apps: Any, schema: Any) -> None:
    Source, SourceChunk = apps.get_model("parts", "Source"), apps.get_model("parts", "SourceChunk")
    for pk in list(Source.objects.values_list("pk", flat=True)):
        data = bytes(Source.objects.values_list("data", flat=True).get(pk=pk))
        SourceChunk.objects.bulk_create(
            [
                SourceChunk(source_id=pk, number=n, data=data[at : at + CHUNK])
                for n, at in enumerate(range(0, len(data), CHUNK))
            ],
            batch_size=8,
        )


class Migration(migrations.Migration):
    dependencies = [("parts", "0001_initial")]

    operations = [
        migrations.CreateModel(
            name="SourceChunk",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("number", models.PositiveIntegerField()),
                ("data", models.BinaryField()),
                (
                    "source",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="chunks", to="parts.source"
                    ),
                ),
            ],
            options={
                "constraints": [models.UniqueConstraint(fields=("source", "number"), name="one_chunk_per_number")]
            },
        ),
        migrations.RunPython(in_chunks, migrations.RunPython.noop),
        migrations.RemoveField(model_name="source", name="data"),
    ]
