from django.db import migrations, models
from django.db.models.deletion import CASCADE


class Migration(migrations.Migration):
    dependencies = [("runs", "0008_run_digest"), ("studies", "0001_initial")]

    operations = [
        migrations.AddField("run", "changes", models.JSONField(default=dict)),
        migrations.AddField("run", "outcomes", models.JSONField(default=dict)),
        migrations.AddField(
            "run",
            "given",
            models.CharField(blank=True, db_index=True, default="", max_length=64),
        ),
        migrations.AddField(
            "run",
            "study",
            models.ForeignKey(
                null=True, on_delete=CASCADE, related_name="runs", to="studies.study"
            ),
        ),
    ]
