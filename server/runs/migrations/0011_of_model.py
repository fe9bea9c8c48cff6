from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("runs", "0010_kept_curves")]

    operations = [
        migrations.AddField(
            "run",
            "of_model",
            models.CharField(blank=True, db_index=True, default="", max_length=64),
        ),
    ]
