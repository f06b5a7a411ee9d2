"""Whoever administered the workspace keeps it: a duty of all acts over everything."""

from typing import Any

from django.db import migrations

#: The acts there were when this was written.
ACTS = ["look-shapes", "look-values", "roles", "map", "people", "links", "models", "sources", "pages", "release", "checks", "trail", "stand-in", "settings"]


def keep(apps: Any, schema_editor: Any) -> None:
    given = apps.get_model("duties", "GivenDuty")
    for account in apps.get_model("directory", "Account").objects.filter(is_administrator=True):
        given.objects.create(account=account, acts=ACTS, within="everything", given_by="moorland", reason="administered the workspace before")


class Migration(migrations.Migration):

    dependencies = [("duties", "0001_duties"), ("directory", "0003_sealed_values")]

    operations = [migrations.RunPython(keep, migrations.RunPython.noop)]
