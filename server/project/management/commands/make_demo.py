"""Makes the demo session once: synthesises Night Ferry and takes it in."""

import tempfile
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand

from demo.session import NAME, make_bundle
from needle.io.bundle import Bundle
from server.media.assets import store_asset
from server.mixsessions.models import MixSession
from server.project.demo import ACCOUNTS, make_demo_accounts, make_session


class Command(BaseCommand):
    help = "Make the Night Ferry demo session and its three accounts, unless they are there."

    def handle(self, *args: Any, **options: Any) -> None:
        make_demo_accounts()
        first = ACCOUNTS[0].username
        if MixSession.objects.filter(members__user__username=first, name=NAME).exists():
            return
        self.stdout.write("Making the demo, Night Ferry (about 20 seconds):")
        from django.conf import settings

        with tempfile.TemporaryDirectory(dir=settings.DATA_DIR) as folder:
            make_bundle(Path(folder), lambda name: self.stdout.write(f"  {name}"))
            with Bundle(Path(folder)) as bundle:
                make_session(bundle, store_asset)
