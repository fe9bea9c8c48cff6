from django.db import migrations, models
from django.db.models.deletion import CASCADE


class Migration(migrations.Migration):
    dependencies = [("runs", "0009_variants")]

    operations = [
        migrations.CreateModel(
            "KeptCurves",
            [
                (
                    "run",
                    models.OneToOneField(
                        "runs.run", CASCADE, primary_key=True, related_name="kept", serialize=False
                    ),
                ),
                ("data", models.BinaryField()),
            ],
        ),
    ]
