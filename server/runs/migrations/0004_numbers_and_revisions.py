from typing import Any

import django.db.models.deletion
from django.db import migrations, models
from django.db.models import Max


def count_runs(apps: Any, editor: Any) -> None:
    """Of every project, the number of its newest run that is still there."""
    for project in apps.get_model("projects", "Project").objects.annotate(top=Max("runs__number")):
        project.last_run = project.top or 0
        project.save(update_fields=["last_run"])


class Migration(migrations.Migration):
    dependencies = [("projects", "0003_project_last_run"), ("runs", "0003_empty")]

    operations = [
        migrations.RunPython(count_runs, migrations.RunPython.noop),
        migrations.AlterField(
            model_name="run",
            name="revision",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.RESTRICT,
                related_name="runs",
                to="projects.revision",
            ),
        ),
    ]
