"""Seeded faults: each is put into a copy of the tree, and the tests named beside it have to turn red.

A suite that stays green whatever is broken proves nothing. ``python -m tests.prove`` runs in ``./test --thorough``;
with names it tries only those.
"""

import os
import shutil
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
LINKED = (".venv", "web/node_modules", "web/dist")
"""What is not the tree's own: linked, not copied."""


@dataclass(frozen=True)
class Fault:
    """A fault: the text that is replaced in a file, and the tests that must not stand it."""

    name: str
    file: str
    right: str
    wrong: str
    tests: tuple[str, ...]


FAULTS = (
    Fault(
        "left and right swapped",
        "needle/render/engine.py",
        "def render_audio(",
        "def render_audio(*given, **how):\n    return _render_audio(*given, **how)[::-1]\n\n\ndef _render_audio(",
        ("tests.core.test_engine", "tests.core.test_signal_flow"),
    ),
    Fault(
        "one pan gain wrong by a tenth of a decibel",
        "needle/dsp/pan_laws.py",
        "    return np.sqrt(u * np.sin(u * (np.pi / 2.0)))",
        "    return 0.9886 * np.sqrt(u * np.sin(u * (np.pi / 2.0)))",
        ("tests.core.test_laws",),
    ),
    Fault(
        "one operation of fifty lost",
        "server/mixsessions/log.py",
        "    return [serialize_revision(row) for row in rows.defer",
        "    return [serialize_revision(row) for row in rows.extra(where=['revision %% 50 != 0']).defer",
        ("tests.server.test_convergence",),
    ),
    Fault(
        "the same change made twice",
        "server/editing/services.py",
        "    return row and Committed(row)",
        "    return Committed(row) if row and row.revision % 2 else None",
        ("tests.server.test_operations", "tests.server.test_convergence"),
    ),
    Fault(
        "a permission skipped",
        "server/mixsessions/access.py",
        "    if to_edit and not member.may_edit:",
        "    if to_edit and not member.may_edit and False:",
        ("tests.server.test_permissions",),
    ),
    Fault(
        "a meter frame dropped",
        "needle/metering/frames.py",
        "    return Frames.joined(parts) if parts else Frames.silence(0)",
        "    whole = Frames.joined(parts) if parts else Frames.silence(0)\n    return whole.between(1, whole.count)",
        ("tests.core.test_metering",),
    ),
    Fault(
        "the sign-in limit counts what a header says",
        "server/common/throttling.py",
        "    while hops and _is_trusted(address):",
        "    while hops:",
        ("tests.server.test_access",),
    ),
    Fault(
        "a refused change stays on the page",
        "web/src/session/session.ts",
        "refusals.value += 1",
        "refusals.value += 0",
        ("tests.web",),
    ),
)


def copied(folder: Path) -> None:
    """The tree as it stands, what git does not know yet included."""
    command = ["git", "ls-files", "-z", "--cached", "--others", "--exclude-standard"]
    listed = subprocess.run(command, cwd=ROOT, check=True, capture_output=True)
    for name in listed.stdout.decode().split("\0"):
        if name and (ROOT / name).is_file():
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy2(ROOT / name, folder / name)
    for name in LINKED:
        (folder / name).symlink_to(ROOT / name)


def stands(folder: Path, tests: tuple[str, ...]) -> bool:
    """Whether tests are green in a folder."""
    command = [sys.executable, "manage.py", "test", "--parallel", "2", *tests]
    environment = {**os.environ, "NEEDLE_LOCAL": "1", "NEEDLE_DATA": str(folder / "data"), "NEEDLE_THOROUGH": "0"}
    return subprocess.run(command, cwd=folder, env=environment, capture_output=True, check=False).returncode == 0


def main(names: list[str]) -> int:
    unknown = set(names) - {fault.name for fault in FAULTS}
    if unknown:
        print(f"prove: there is no fault {', '.join(sorted(unknown))}. Give names, or none for all:", file=sys.stderr)
        print("\n".join(fault.name for fault in FAULTS), file=sys.stderr)
        return 2
    chosen = [fault for fault in FAULTS if not names or fault.name in names]
    unseen = []
    with tempfile.TemporaryDirectory(prefix="needle-prove-") as made:
        folder = Path(made)
        copied(folder)
        if not stands(folder, tuple(sorted({test for fault in chosen for test in fault.tests}))):
            print("prove: the tests are red without any fault: nothing is proved.", file=sys.stderr)
            return 1
        for fault in chosen:
            path = folder / fault.file
            whole = path.read_text("utf-8")
            if whole.count(fault.right) != 1:
                print(f"prove: {fault.file} has changed; say anew where “{fault.name}” goes.", file=sys.stderr)
                return 1
            path.write_text(whole.replace(fault.right, fault.wrong), "utf-8")
            red = not stands(folder, fault.tests)
            path.write_text(whole, "utf-8")
            print(f"{'red, as it should be' if red else 'GREEN: not seen'}: {fault.name}", flush=True)
            if not red:
                unseen.append(fault.name)
    return 1 if unseen else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
