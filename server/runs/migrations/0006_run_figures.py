from typing import Any

from django.db import migrations, models

from server.runs.figures import figures_of


def fill(apps: Any, editor: Any) -> None:
    for run in apps.get_model("runs", "Run").objects.exclude(headline={}).iterator():
        run.figures = figures_of(run.summary, run.headline)
        run.save(update_fields=["figures"])


class Migration(migrations.Migration):
    dependencies = [("runs", "0005_run_plan")]

    operations = [
        migrations.AddField(model_name="run", name="figures", field=models.JSONField(default=dict)),
        migrations.RunPython(fill, migrations.RunPython.noop),
    ]
