import django.db.models.deletion
from django.conf import settings
from django.contrib.auth import SESSION_KEY
from django.contrib.sessions.backends.db import SessionStore
from django.apps.registry import Apps
from django.db import migrations, models
from django.db.backends.base.schema import BaseDatabaseSchemaEditor
from django.utils import timezone


def find_owners(apps: Apps, schema_editor: BaseDatabaseSchemaEditor) -> None:
    """Whose the sessions are that were begun before."""
    own = apps.get_model("accounts", "OwnSession")
    known = set(apps.get_model("auth", "User").objects.values_list("pk", flat=True))
    rows = apps.get_model("sessions", "Session").objects.filter(expire_date__gt=timezone.now())
    for key, data in rows.values_list("session_key", "session_data").iterator():
        user = int(SessionStore().decode(data).get(SESSION_KEY, 0))
        if user in known:
            own.objects.create(session_id=key, user_id=user)


class Migration(migrations.Migration):
    dependencies = [
        ("accounts", "0005_resets_and_room"),
        ("sessions", "0001_initial"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="OwnSession",
            fields=[
                (
                    "session",
                    models.OneToOneField(
                        on_delete=django.db.models.deletion.CASCADE,
                        primary_key=True,
                        related_name="own",
                        serialize=False,
                        to="sessions.session",
                    ),
                ),
                (
                    "user",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="own_sessions",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
            ],
        ),
        migrations.RunPython(find_owners, migrations.RunPython.noop),
    ]
