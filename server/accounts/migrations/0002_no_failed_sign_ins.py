from django.db import migrations


class Migration(migrations.Migration):
    """Failed sign-ins are counted by a library of its own."""

    dependencies = [("accounts", "0001_initial")]

    operations = [migrations.DeleteModel(name="FailedSignIn")]
