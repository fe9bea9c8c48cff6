import hashlib
from typing import Any

from django.db import migrations, models


def fill(apps: Any, editor: Any) -> None:
    chunks = apps.get_model("runs", "ResultChunk").objects
    for run in apps.get_model("runs", "Run").objects.exclude(headline={}).iterator():
        digest = hashlib.sha256()
        for data in chunks.filter(run=run).order_by("sequence").values_list("data", flat=True):
            digest.update(data)
        run.digest = digest.hexdigest()
        run.save(update_fields=["digest"])


class Migration(migrations.Migration):
    dependencies = [("runs", "0007_machine")]

    operations = [
        migrations.AddField(
            model_name="run",
            name="digest",
            field=models.CharField(blank=True, default="", max_length=64),
        ),
        migrations.RunPython(fill, migrations.RunPython.noop),
    ]
