from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("runs", "0006_run_figures"),
    ]

    operations = [
        migrations.CreateModel(
            name="Machine",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("name", models.CharField(max_length=255, unique=True)),
                ("memory_bytes", models.BigIntegerField()),
                ("seen", models.DateTimeField()),
            ],
        ),
    ]
