"""Serves the application on this machine and says where it is and who may come in."""

import logging
import os
import socket
import sys
import threading
import time
from ipaddress import ip_address
from typing import Any

import daphne.server
from daphne.endpoints import build_endpoint_description_strings
from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import close_old_connections
from twisted.internet import reactor

from server.common.pool import pool
from server.common.pool_process import tame_collector
from server.delivery import retention
from server.media import shared_cache, uploads
from server.media.collection import collect
from server.media.tasks import resume_unfinished
from server.project.asgi import application
from server.project.bodies import BoundedFactory
from server.project.demo import ACCOUNTS, PASSWORD, close_demo_accounts
from server.project.sockets import BoundedSockets

log = logging.getLogger(__name__)

_STOPS_WITHIN = 4.0
"""A server that is to stop lets answers under way go out for so long (s)."""

_FIRST_COLLECTION = 3600.0
"""So long after its start (s) the server collects first: one that is restarted every night does so too."""

_COLLECTS_EVERY = 24 * 3600.0


def _is_this_machine(host: str) -> bool:
    """Whether only this machine reaches what listens there."""
    try:
        return ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


def _end_soon() -> None:
    timer = threading.Timer(_STOPS_WITHIN, _end)
    timer.daemon = True
    timer.start()


def _end() -> None:
    pool().close()
    shared_cache.shared_cache().remove()
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(0)


def _collect_daily() -> None:
    """Remove what nobody needs any more, once a day."""
    time.sleep(_FIRST_COLLECTION)
    while True:
        try:
            collect()
        except Exception:
            log.exception("what nobody needs any more could not be removed")
        finally:
            close_old_connections()
        time.sleep(_COLLECTS_EVERY)


class Command(BaseCommand):
    help = "Serve the application over HTTP and WebSocket."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--port", type=int, default=8000)
        parser.add_argument("--host", default="127.0.0.1")
        parser.add_argument("--set-up", action="store_true", help="migrate, and make the demo if there is to be one")

    def handle(self, *args: Any, **options: Any) -> None:
        if settings.DEMO and not _is_this_machine(options["host"]):
            raise CommandError("The demo has passwords that everybody knows: --host must be of this machine only.")
        self._check_free(options["host"], options["port"])
        if options["set_up"]:
            call_command("migrate", verbosity=0)
            if settings.DEMO:
                call_command("make_demo", stdout=self.stdout)
        if not settings.DEMO and (closed := close_demo_accounts()):
            self.stdout.write(f"There is no demo: its accounts ({closed}) are closed until there is.")
        shared_cache.prepare_cache()
        resume_unfinished(only_lost=settings.SHARED)
        retention.tidy()
        uploads.resume(only_lost=settings.SHARED)
        if not settings.TASKS_IN_REDIS:
            # What was made two weeks ago is known by its own row; its place in the queue is not wanted any more.
            call_command("prune_db_task_results", verbosity=0)
        pool().wake()
        tame_collector()
        # Many threads pass on what the pool has made: let requests have their turn quickly.
        sys.setswitchinterval(0.001)
        address = f"http://{options['host']}:{options['port']}"
        endpoints = build_endpoint_description_strings(host=options["host"], port=options["port"])
        # It makes requests and sockets by factories that it knows by these names, and can be told of no others.
        daphne.server.HTTPFactory = BoundedFactory
        daphne.server.WebSocketFactory = BoundedSockets
        server = daphne.server.Server(application, endpoints=endpoints, ready_callable=lambda: self._say(address))
        # However it is told to stop, what hangs by then is not waited for.
        reactor.addSystemEventTrigger("before", "shutdown", _end_soon)
        threading.Thread(target=_collect_daily, daemon=True).start()
        server.run()
        # What is at work in threads is gone on with at the next start: nobody waits for it now.
        _end()

    @staticmethod
    def _check_free(host: str, port: int) -> None:
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind((host, port))
            except OSError as error:
                raise CommandError(f"Port {port} is taken ({error.strerror}). Choose another with --port.") from error

    def _say(self, address: str) -> None:
        self.stdout.write(f"\nWandering Needle is at {address}")
        if settings.DEMO:
            self.stdout.write("The demo, Night Ferry, has three accounts: one click each on that page, or with the")
            self.stdout.write(f"password “{PASSWORD}”:")
            for account in ACCOUNTS:
                self.stdout.write(f"  {account.username:<8}{account.name}, {account.about}")
        self.stdout.write("Stop with Ctrl+C.")
        self.stdout.flush()
