"""The server: accounts, sessions, the operations log, the live channel, and sound on request."""

from pathlib import Path

from needle.messages import add_catalogue

add_catalogue(Path(__file__).with_name("messages.en.json"))
