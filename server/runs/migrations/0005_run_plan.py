from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("runs", "0004_numbers_and_revisions")]

    operations = [
        migrations.AddField(
            model_name="run",
            name="plan",
            field=models.CharField(blank=True, default="", max_length=60),
        ),
    ]
