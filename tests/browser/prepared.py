"""The demo as browser tests need it: made once a run, whichever process needs it first, and shared by all.

Its people are signed in already, have seen the tour and hear sound as it is; its session is copied for every test.
``python -m tests.browser.prepared FOLDER`` begins it early, while other checks are at work.
"""

import fcntl
import json
import os
import shutil
import sqlite3
import subprocess
import sys
from functools import cache
from pathlib import Path
from uuid import UUID, uuid4

from tests.runner import new_folder

FOLDER = "NEEDLE_TEST_DEMO"
"""The variable that says where it is, or is to be."""

_READY = "ready.json"

_PREPARE = """
import json, sys
from django.contrib.auth import get_user_model
from django.test import Client
from server.accounts.models import Preferences
from server.media.assets import asset_onsets
from server.mixsessions.models import MixSession
known = {}
for user in get_user_model().objects.all():
    Preferences.objects.create(user=user, values={"tour": "done", "sound": "float"})
    client = Client(SERVER_NAME="localhost")
    client.force_login(user)
    client.get("/")
    known[user.username] = {name: morsel.value for name, morsel in client.cookies.items()}
session = MixSession.objects.get()
for entity in session.entities.filter(kind="sources"):
    value = entity.value
    asset_onsets(value["asset"], session.rate, value["first_channel"], value["channels"])
print(json.dumps({"session": str(session.id), "cookies": known}))
"""


def environment(data: Path) -> dict[str, str]:
    """What a server over a data folder is started with."""
    kept = {name: value for name, value in os.environ.items() if not name.startswith("NEEDLE_")}
    return {**kept, "NEEDLE_LOCAL": "1", "NEEDLE_DATA": str(data), "NEEDLE_DEMO": "1"}


def _manage(data: Path, *arguments: str) -> str:
    command = [sys.executable, "manage.py", *arguments]
    root = Path(__file__).parents[2]
    done = subprocess.run(command, cwd=root, env=environment(data), check=True, capture_output=True, text=True)
    return done.stdout


@cache
def demo_data() -> Path:
    """A data folder with the demo in it."""
    return make(Path(os.environ.get(FOLDER) or new_folder("demo")))


def make(folder: Path) -> Path:
    """Make it in a folder, unless another process has or is about to: then that one is waited for."""
    folder.mkdir(parents=True, exist_ok=True)
    with (folder.parent / f"{folder.name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not (folder / _READY).exists():
            _manage(folder, "migrate", "--verbosity", "0")
            _manage(folder, "make_demo")
            (folder / _READY).write_text(
                _manage(folder, "shell", "--verbosity", "0", "-c", _PREPARE).splitlines()[-1]
            )
    return folder


@cache
def _ready() -> dict:
    return json.loads((demo_data() / _READY).read_text())


def demo_session() -> str:
    """The id of the demo's own session, where it is the only one there shall be."""
    return _ready()["session"]


def signed_in(data: Path, username: str, address: str) -> list[dict[str, str]]:
    """What a browser has of somebody who signs in where the data is; nobody else's signing out ends it."""
    cookies = dict(_ready()["cookies"][username])
    with sqlite3.connect(demo_data() / "needle.sqlite3") as database:
        known = "SELECT session_data, expire_date FROM django_session WHERE session_key = ?"
        row = database.execute(known, (cookies["sessionid"],)).fetchone()
    database.close()
    cookies["sessionid"] = uuid4().hex
    with sqlite3.connect(data / "needle.sqlite3", timeout=60) as database:
        database.execute("INSERT INTO django_session VALUES (?, ?, ?)", (cookies["sessionid"], *row))
    database.close()
    return [{"name": name, "value": value, "url": address} for name, value in cookies.items()]


def copied_data() -> Path:
    """A data folder of one's own with the demo in it. Assets are linked: nothing ever writes into them."""

    def copy(source: str, target: str) -> None:
        try:
            if not source.endswith((".npy", ".npz")):
                raise OSError("written into")
            os.link(source, target)
        except OSError:
            shutil.copy2(source, target)

    data = new_folder("run")
    shutil.copytree(demo_data(), data, dirs_exist_ok=True, copy_function=copy)
    return data


def copied_session(data: Path) -> str:
    """A session like the demo's, with its people, in the database of a data folder; its id."""
    original, copy = UUID(_ready()["session"]).hex, uuid4()
    with sqlite3.connect(data / "needle.sqlite3", timeout=60) as database:
        database.execute("BEGIN IMMEDIATE")
        for table, column in (
            ("mixsessions_mixsession", "id"),
            ("mixsessions_membership", "session_id"),
            ("mixsessions_entity", "session_id"),
            ("mixsessions_entityversion", "session_id"),
        ):
            names = [row[1] for row in database.execute(f"PRAGMA table_info({table})")]
            taken = [name for name in names if name == column or name != "id"]
            values = ", ".join("?" if name == column else f'"{name}"' for name in taken)
            columns = ", ".join(f'"{name}"' for name in taken)
            database.execute(
                f"INSERT INTO {table} ({columns}) SELECT {values} FROM {table} WHERE {column} = ?",
                (copy.hex, original),
            )
    database.close()
    return str(copy)


if __name__ == "__main__":
    make(Path(sys.argv[1]))
