from django.contrib.postgres.operations import CreateCollation
from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("parts", "0006_parts_by_their_manager")]

    operations = [CreateCollation("natural_order", provider="icu", locale="und-u-kn-true")]
