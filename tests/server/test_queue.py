"""The queue of deliveries: what is ordered waits in it, a worker makes it, and what is stopped is not made."""

from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.test import override_settings

from server.delivery.models import Delivery
from tests.server.sessions import CommittedCase

QUEUE = "django_tasks_rq.RQBackend" if settings.TASKS_IN_REDIS else "django_tasks_db.DatabaseBackend"


class Queue(CommittedCase):
    def setUp(self) -> None:
        super().setUp()
        queued = override_settings(TASKS={"default": {"BACKEND": QUEUE}})
        queued.enable()
        self.addCleanup(queued.disable)

    def order(self) -> dict[str, Any]:
        answer = self.post(self.as_("emil"), "/deliveries", {"revision": self.revision(), "format": "wav-float"})
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    @staticmethod
    def work() -> None:
        """Let a worker make whatever waits, and no more."""
        if settings.TASKS_IN_REDIS:
            call_command(
                "rqworker", "default", job_class="django_tasks_rq.Job", worker_class="rq.SimpleWorker", burst=True,
                verbosity=0,
            )  # fmt: skip
        else:
            call_command("db_worker", batch=True, startup_delay=False, verbosity=0)

    def test_what_is_ordered_waits_until_a_worker_makes_it(self) -> None:
        ordered = self.order()
        self.assertEqual(Delivery.objects.get(pk=ordered["id"]).status, "waiting")
        self.work()
        made = Delivery.objects.get(pk=ordered["id"])
        self.assertEqual((made.status, made.progress), ("done", 1.0), made.messages)
        self.assertTrue(made.path(0).exists())

    def test_what_is_stopped_while_it_waits_is_not_made(self) -> None:
        ordered, other = self.order(), self.order()
        answer = self.post(self.as_("emil"), f"/deliveries/{ordered['id']}/cancel", {})
        self.assertEqual(answer.status_code, 200, answer.content)
        self.work()
        states = {str(row.pk): row.status for row in Delivery.objects.all()}
        self.assertEqual(states, {ordered["id"]: "cancelled", other["id"]: "done"})
