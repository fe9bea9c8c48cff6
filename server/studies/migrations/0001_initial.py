import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    initial = True

    dependencies = [
        ("projects", "0004_project_last_study"),
        ("runs", "0008_run_digest"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Study",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("number", models.PositiveIntegerField()),
                ("step", models.JSONField()),
                ("outcomes", models.JSONField(default=list)),
                (
                    "status",
                    models.CharField(
                        choices=[
                            ("queued", "Queued"),
                            ("running", "Running"),
                            ("paused", "Paused"),
                            ("finished", "Finished"),
                            ("stopped", "Stopped"),
                            ("failed", "Failed"),
                        ],
                        default="queued",
                        max_length=10,
                    ),
                ),
                (
                    "wish",
                    models.CharField(
                        blank=True,
                        choices=[("", "None"), ("pause", "Pause"), ("stop", "Stop")],
                        default="",
                        max_length=10,
                    ),
                ),
                ("reason", models.TextField(default="")),
                ("attempts", models.PositiveIntegerField(default=0)),
                ("most", models.PositiveIntegerField(default=0)),
                ("forecast", models.JSONField(default=dict)),
                ("found", models.JSONField(default=dict)),
                ("created", models.DateTimeField(auto_now_add=True)),
                ("started", models.DateTimeField(null=True)),
                ("heartbeat", models.DateTimeField(null=True)),
                ("finished", models.DateTimeField(null=True)),
                (
                    "author",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                        related_name="+",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
                (
                    "project",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="studies",
                        to="projects.project",
                    ),
                ),
                (
                    "revision",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.RESTRICT,
                        related_name="studies",
                        to="projects.revision",
                    ),
                ),
            ],
            options={
                "ordering": ["number"],
            },
        ),
        migrations.CreateModel(
            name="StudyVariant",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("place", models.PositiveIntegerField()),
                ("point", models.JSONField()),
                ("known", models.BooleanField(default=False)),
                ("beside", models.BooleanField(default=False)),
                (
                    "run",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                        related_name="+",
                        to="runs.run",
                    ),
                ),
                (
                    "study",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="variants",
                        to="studies.study",
                    ),
                ),
            ],
            options={
                "ordering": ["place"],
            },
        ),
        migrations.AddConstraint(
            model_name="study",
            constraint=models.UniqueConstraint(fields=("project", "number"), name="study_number"),
        ),
        migrations.AddConstraint(
            model_name="studyvariant",
            constraint=models.UniqueConstraint(fields=("study", "place"), name="study_place"),
        ),
    ]
