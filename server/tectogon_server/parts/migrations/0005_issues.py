
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('parts', '0004_library'),
    ]

    operations = [
        migrations.AddField(
            model_name='part',
            name='issue',
            field=models.PositiveIntegerField(default=1),
        ),
        migrations.AddField(
            model_name='part',
            name='released',
            field=models.DateTimeField(null=True),
        ),
    ]
