"""Entries are numbered, and sealed with a key; what the seals before covered is looked at once more and said."""

import hashlib

from typing import Any

from django.db import migrations, models

from moorland.core.bundle.writing import canonical_json
from moorland.server.trail.models import sealed


def seal(apps: Any, schema_editor: Any) -> None:
    Entry = apps.get_model("trail", "Entry")
    old, new, broken, number = "", "", None, 0
    for number, entry in enumerate(Entry.objects.order_by("id").iterator(2_000), 1):
        content = {"at": entry.at.isoformat(), "actor": entry.actor, "action": entry.action, "subject": entry.subject, "details": entry.details}
        if broken is None and entry.seal != hashlib.sha256((old + canonical_json(content)).encode()).hexdigest():
            broken = number
        old, new = entry.seal, sealed(new, number, content)
        Entry.objects.filter(pk=entry.pk).update(number=number, seal=new)
    if broken is not None:
        from django.utils import timezone

        at = timezone.now()
        content = {"at": at.isoformat(), "actor": "moorland", "action": "seal anew", "subject": "trail", "details": {"broken_before_at": broken}}
        Entry.objects.create(number=number + 1, seal=sealed(new, number + 1, content), **{**content, "at": at})


class Migration(migrations.Migration):
    dependencies = [("trail", "0001_initial")]

    operations = [
        migrations.AddField("entry", "number", models.PositiveBigIntegerField(null=True)),
        migrations.RunPython(seal, migrations.RunPython.noop),
        migrations.AlterField("entry", "number", models.PositiveBigIntegerField(unique=True)),
        migrations.AlterModelOptions("entry", {"ordering": ["-number"]}),
    ]
