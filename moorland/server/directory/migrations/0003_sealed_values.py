"""Values of attributes shown to nobody move into a sealed field of their own."""

import json

from typing import Any

from django.conf import settings
from django.db import migrations, models

from moorland.server.keys import sealing_keys


def seal(apps: Any, schema_editor: Any) -> None:
    definitions = apps.get_model("directory", "AttributeDefinition").objects.all()
    secret = {item.name for item in definitions if item.document.get("shown_to") == "nobody"}
    for kind in ("Account", "Group", "Organization") if secret else ():
        for holder in apps.get_model("directory", kind).objects.all():
            hidden = {name: value for name, value in holder.attributes.items() if name in secret}
            if hidden:
                holder.sealed = sealing_keys(settings.SEALING_KEYS).encrypt(json.dumps(hidden).encode()).decode()
                holder.attributes = {name: value for name, value in holder.attributes.items() if name not in secret}
                holder.save()


class Migration(migrations.Migration):
    dependencies = [("directory", "0002_account_about_account_keeper_and_more")]

    operations = [
        *(
            migrations.AddField(model_name=kind, name="sealed", field=models.TextField(blank=True, default=""))
            for kind in ("account", "group", "organization")
        ),
        migrations.RunPython(seal, migrations.RunPython.noop),
    ]
