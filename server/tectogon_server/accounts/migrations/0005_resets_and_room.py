
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('accounts', '0004_bend_table'),
    ]

    operations = [
        migrations.AddField(
            model_name='membership',
            name='reset_asked',
            field=models.DateTimeField(null=True),
        ),
        migrations.AddField(
            model_name='workshop',
            name='most_bytes',
            field=models.BigIntegerField(null=True),
        ),
    ]
