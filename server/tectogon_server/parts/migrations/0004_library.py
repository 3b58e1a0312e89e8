
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('accounts', '0004_bend_table'),
        ('parts', '0003_people_and_shelf'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField(
            model_name='part',
            name='desk',
            field=models.BooleanField(default=False),
        ),
        migrations.CreateModel(
            name='LibrarySection',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.CharField(max_length=60)),
                ('issue', models.PositiveIntegerField()),
                ('facts', models.JSONField()),
                ('figures', models.JSONField()),
                ('outline', models.JSONField()),
                ('current', models.BooleanField(default=True)),
                ('away', models.BooleanField(default=False)),
                ('made', models.DateTimeField(auto_now_add=True)),
                ('author', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('drawing', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='parts.source')),
                ('workshop', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='accounts.workshop')),
            ],
            options={
                'ordering': ['number', '-issue'],
                'constraints': [models.UniqueConstraint(fields=('workshop', 'number', 'issue'), name='one_section_per_issue')],
            },
        ),
    ]
