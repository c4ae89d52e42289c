"""Files kept in a store of objects that speaks S3, through boto3, which is an extra of the installation."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from patient_courier.core.upkeep.copies import ObjectStore


class NotStored(Exception):
    """The store did not do what it was asked; the message says why and what to do."""


def put(store: ObjectStore, path: Path) -> None:
    """Keep a file under its name. Raises NotStored."""
    _asked(store, lambda client: client.upload_file(str(path), store.bucket, path.name))


def fetch(store: ObjectStore, name: str, to: Path) -> None:
    """Bring a file back. Raises NotStored."""
    _asked(store, lambda client: client.download_file(store.bucket, name, str(to)))


def names(store: ObjectStore) -> list[str]:
    """What is kept there. Raises NotStored."""

    def ask(client: Any) -> list[str]:
        pages = client.get_paginator("list_objects_v2").paginate(Bucket=store.bucket)
        return [found["Key"] for page in pages for found in page.get("Contents", [])]

    found: list[str] = _asked(store, ask)
    return found


def remove(store: ObjectStore, name: str) -> None:
    """Take a file away. Raises NotStored."""
    _asked(store, lambda client: client.delete_object(Bucket=store.bucket, Key=name))


def _asked(store: ObjectStore, what: Any) -> Any:
    try:
        import boto3
        from boto3.exceptions import Boto3Error
        from botocore.config import Config
        from botocore.exceptions import BotoCoreError, ClientError
    except ImportError as error:
        raise NotStored(
            "This needs an extra: pip install 'patient-courier[s3]', then start again."
        ) from error
    try:
        client = boto3.client(
            "s3",
            endpoint_url=store.endpoint,
            region_name=store.region or "us-east-1",
            aws_access_key_id=store.key or None,
            aws_secret_access_key=store.secret or None,
            config=Config(connect_timeout=10, read_timeout=60, retries={"max_attempts": 2}),
        )
        return what(client)
    except (Boto3Error, BotoCoreError, ClientError, OSError, ValueError) as error:
        raise NotStored(f"The store of objects answered: {' '.join(str(error).split())[:300]}") from error
