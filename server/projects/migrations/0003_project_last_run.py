from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("projects", "0002_upload")]

    operations = [
        migrations.AddField(
            model_name="project",
            name="last_run",
            field=models.PositiveIntegerField(default=0),
        ),
    ]
