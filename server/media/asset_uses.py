"""Which sessions use which audio, and whether a change may name it."""

from collections.abc import Iterable, Mapping
from typing import Any
from uuid import UUID

from needle.errors import NeedleError
from needle.session.validation import Document
from server.editing.operations.base import Operation
from server.media.assets import asset_seconds
from server.media.models import Asset, AssetUse, Freeze, Upload
from server.mixsessions.models import MixSession


def check_assets(sender: Any, session_id: UUID, operation: Operation, **_: Any) -> None:
    """NeedleError if an added source names audio that the session does not have, or says wrongly what it is."""
    for part in operation.parts():
        frozen = part.frozen_asset if part.kind == "freeze-source" else ""
        if part.kind == "add-source":
            frozen = part.source.frozen_asset
        if frozen and not Freeze.objects.filter(session=session_id, asset=frozen).exists():
            raise NeedleError("media.frozen_elsewhere")
        if part.kind != "add-source":
            continue
        source = part.source
        asset = Asset.objects.filter(pk=source.asset).first()
        if asset is None or not _belongs(session_id, source.asset):
            raise NeedleError("media.audio_not_imported", name=source.name)
        if source.first_channel + source.channels > asset.channels:
            raise NeedleError("media.too_few_channels", name=source.name, channels=asset.channels)
        rate = MixSession.objects.values_list("rate", flat=True).get(pk=session_id)
        if abs(source.seconds - asset_seconds(asset, rate)) > 1.0 / rate:
            raise NeedleError(
                "media.wrong_length",
                name=source.name,
                audio_seconds=round(asset_seconds(asset, rate), 3),
                seconds=round(source.seconds, 3),
            )


def _belongs(session_id: UUID, asset: str) -> bool:
    """Whether an asset was brought into the session, or is or was the audio of one of its sources."""
    return (
        AssetUse.objects.filter(session=session_id, asset=asset).exists()
        or Upload.objects.filter(session=session_id, asset=asset).exists()
    )


def use_in_changes(sender: Any, session: MixSession, delta: list[dict[str, Any]], **_: Any) -> None:
    """Note the assets that a change brings into a session."""
    rows = [change.get("value") or change.get("fields") or {} for change in delta if change["part"] == "sources"]
    _use(session, rows)


def use_in_document(sender: Any, session: MixSession, document: Document, **_: Any) -> None:
    """Note the assets of a session that begins with some."""
    _use(session, document["sources"].values())


def _use(session: MixSession, rows: Iterable[Mapping[str, Any]]) -> None:
    keys = {row[name] for row in rows for name in ("asset", "frozen_asset") if row.get(name)}
    if keys:
        stored = Asset.objects.filter(pk__in=keys).values_list("pk", flat=True)
        uses = [AssetUse(session=session, asset_id=key) for key in stored]
        AssetUse.objects.bulk_create(uses, ignore_conflicts=True)
