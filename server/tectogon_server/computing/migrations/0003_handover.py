
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('computing', '0002_shares'),
    ]

    operations = [
        migrations.CreateModel(
            name='Handover',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('key', models.CharField(max_length=80)),
                ('what', models.CharField(max_length=12)),
                ('data', models.BinaryField()),
                ('made', models.DateTimeField(auto_now_add=True)),
            ],
            options={
                'indexes': [models.Index(fields=['made'], name='computing_h_made_4c3a0c_idx')],
                'constraints': [models.UniqueConstraint(fields=('key', 'what'), name='one_handover')],
            },
        ),
        migrations.RunSQL(
            "ALTER TABLE computing_handover SET UNLOGGED", "ALTER TABLE computing_handover SET LOGGED"
        ),
    ]
