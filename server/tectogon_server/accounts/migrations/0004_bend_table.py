
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('accounts', '0003_bed'),
    ]

    operations = [
        migrations.AddField(
            model_name='workshop',
            name='bend_table',
            field=models.CharField(blank=True, default='', max_length=400),
        ),
    ]
