from django.db import migrations, models
from django.utils import timezone


class Migration(migrations.Migration):
    dependencies = [("lots", "0010_restored")]

    operations = [
        migrations.AddField(
            model_name="pulse",
            name="at",
            field=models.DateTimeField(auto_now=True, default=timezone.now),
            preserve_default=False,
        ),
    ]
