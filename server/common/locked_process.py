"""The process in which foreign files are opened. It knows no secret, and locks itself before it opens one.

``server.common.locked`` starts it with next to no environment. It loads what reads files, and then has a child of its
own for each: that child may read its file and the program's code, write where it is told to, and nothing else. Where
the system is Linux, Landlock keeps it from all other files, and seccomp from the network, from other programs and
from other processes; limits on memory, time and the size of files hold everywhere.

What it says are lines of JSON. Whoever hears them takes them for no more than that.
"""

import contextlib
import errno
import json
import os
import resource
import signal
import sys
import traceback
from collections.abc import Callable, Generator, Iterable
from dataclasses import fields, is_dataclass
from functools import cache
from importlib import import_module
from pathlib import Path
from types import GeneratorType
from typing import Any, BinaryIO

from needle.automation.curve import Lane, Point
from needle.errors import NeedleError
from needle.io.audio import AudioInfo
from needle.io.intake import Decoded, Unpacked
from needle.io.lanes import FoundLane
from needle.io.midi import MidiNotes, MidiTempo
from needle.messages import Message
from needle.metering.character import Character
from needle.tempo import TempoMap

_PRELOADED = (
    "landlock", "pyseccomp", "numba", "h5py", "mido", "soundfile", "soxr", "needle.io.adm.to_session",
    "needle.io.midi_automation", "needle.io.sofa",
)  # fmt: skip

_VALUE_KINDS = {
    one.__name__: one
    for one in (AudioInfo, Character, Decoded, FoundLane, Lane, MidiNotes, MidiTempo, Point, TempoMap, Unpacked)
}
"""What may be told besides plain values: each is made anew, by its own rules, from what its fields are."""

_OPEN_FILES = 64
_LARGEST_FILE = 1 << 40
_KNOWS_TRUNCATING = 3
"""The version of Landlock that tells cutting a file off from writing it."""

_FORBIDDEN = (
    # the network
    "socket", "socketpair", "connect", "bind", "listen", "accept", "accept4", "sendto", "sendmsg", "sendmmsg",
    # other programs and processes
    "fork", "vfork", "clone", "clone3", "execve", "execveat", "kill", "tkill", "pidfd_open", "pidfd_send_signal",
    "ptrace", "process_vm_readv", "process_vm_writev", "prlimit64", "setpriority",
    # what the kernel offers beyond files and memory
    "bpf", "perf_event_open", "userfaultfd", "io_uring_setup", "keyctl", "add_key", "request_key", "mount", "umount2",
    "unshare", "setns", "chroot", "pivot_root", "open_by_handle_at", "init_module", "finit_module", "kexec_load",
    # names that lead elsewhere
    "symlink", "symlinkat", "link", "linkat", "mknod", "mknodat", "chmod", "fchmodat", "chown", "fchownat",
)  # fmt: skip


def as_plain(value: Any) -> Any:
    """What JSON can tell of a value. TypeError if it is none that may be told."""
    if value is None or isinstance(value, bool | int | float | str):
        return value
    if isinstance(value, list | tuple):
        return [as_plain(one) for one in value]
    if isinstance(value, dict):
        return {"mapping": {str(name): as_plain(one) for name, one in value.items()}}
    if isinstance(value, Message):
        return {"message": value.as_json()}
    if isinstance(value, Path):
        return {"path": str(value)}
    if is_dataclass(value) and type(value).__name__ in _VALUE_KINDS:
        plain_fields = {field.name: as_plain(getattr(value, field.name)) for field in fields(value)}
        return {"kind": type(value).__name__, "fields": plain_fields}
    raise TypeError(f"{type(value).__name__} cannot be told")


def as_value(plain: Any) -> Any:
    """The value that ``as_plain`` told; lists are tuples. ValueError if it is none."""
    if isinstance(plain, list):
        return tuple(as_value(one) for one in plain)
    if not isinstance(plain, dict):
        return plain
    try:
        if "mapping" in plain:
            return {name: as_value(one) for name, one in plain["mapping"].items()}
        if "message" in plain:
            return Message.from_json(plain["message"])
        if "path" in plain:
            return Path(plain["path"])
        return _VALUE_KINDS[plain["kind"]](**{name: as_value(one) for name, one in plain["fields"].items()})
    except (KeyError, TypeError, AttributeError) as error:
        raise ValueError("what was told is of no known kind") from error


def work_named(name: str) -> Callable[..., Any]:
    """A function of a module, by ``module:name``."""
    module, _, function = name.partition(":")
    return getattr(import_module(module), function)  # type: ignore[no-any-return]


def _lock(reads: Iterable[str], writes: Iterable[str], memory: int, seconds: int) -> None:
    """Give away all that is not needed from here on; there is no way back."""
    for which, most in (
        (resource.RLIMIT_DATA, memory),
        (resource.RLIMIT_CPU, seconds),
        (resource.RLIMIT_FSIZE, _LARGEST_FILE),
        (resource.RLIMIT_NOFILE, _OPEN_FILES),
        (resource.RLIMIT_CORE, 0),
    ):
        _, hard = resource.getrlimit(which)
        allowed = most if hard == resource.RLIM_INFINITY else min(most, hard)
        resource.setrlimit(which, (allowed, allowed))
    if landlock_version():
        _forbid_files(reads, writes)
    if knows_seccomp():
        _forbid_calls()


@cache
def landlock_version() -> int:
    """The version of Landlock that the kernel has; 0 where it has none, or does not let it be used."""
    landlock = sys.modules.get("landlock")
    try:
        return max(landlock.landlock_abi_version(), 0) if landlock else 0
    except OSError:
        return 0


@cache
def knows_seccomp() -> bool:
    """Whether calls can be forbidden: the library is there, and the kernel has what it needs."""
    return "pyseccomp" in sys.modules and os.path.exists("/proc/sys/kernel/seccomp/actions_avail")


def _forbid_files(reads: Iterable[str], writes: Iterable[str]) -> None:
    landlock = sys.modules["landlock"]
    access = landlock.FSAccess
    read, change = access.READ_FILE, access.WRITE_FILE
    if landlock_version() >= _KNOWS_TRUNCATING:
        change |= access.TRUNCATE
    within = access.READ_DIR | access.MAKE_REG | access.MAKE_DIR | access.REMOVE_FILE
    rules = landlock.Ruleset()
    for path in (*reads, *_of_the_program()):
        rules.allow(path, rules=read | access.READ_DIR if os.path.isdir(path) else read)
    for path in writes:
        rules.allow(path, rules=read | change | within if os.path.isdir(path) else read | change)
    rules.apply()


@cache
def _of_the_program() -> tuple[str, ...]:
    """Where the program's own code is, which some of it loads only when it is first used."""
    here = Path(__file__).resolve().parents[2] / "needle"
    wanted = (sys.prefix, f"{sys.base_prefix}/lib/python{sys.version_info[0]}.{sys.version_info[1]}", str(here))
    libraries = ("/lib", "/lib64", "/usr/lib", "/etc/ld.so.cache")
    return tuple(path for path in (*wanted, *libraries, "/dev/urandom", "/dev/null") if os.path.exists(path))


def _forbid_calls() -> None:
    pyseccomp = sys.modules["pyseccomp"]
    calls = pyseccomp.SyscallFilter(pyseccomp.ALLOW)
    for name in _FORBIDDEN:
        # What this processor does not have needs no rule.
        with contextlib.suppress(OSError, ValueError):
            calls.add_rule(pyseccomp.ERRNO(errno.EPERM), name)
    calls.load()


def _do(job: dict[str, Any], say: Callable[[dict[str, Any]], None]) -> None:
    """One file, in a process of its own."""
    work = work_named(job["work"])
    arguments = [as_value(one) for one in job["arguments"]]
    try:
        _lock(job["reads"], job["writes"], job["memory"], job["seconds"])
        result = work(*arguments)
        if isinstance(result, GeneratorType):
            result = _finished(result, say)
        say({"done": as_plain(result)})
    except NeedleError as error:
        say({"refused": as_plain(error.message)})
    except MemoryError:
        say({"refused": as_plain(Message("pool.too_much_memory"))})
    except Exception:
        say({"failed": traceback.format_exc(limit=8)})


def _finished(steps: Generator[float, None, Any], say: Callable[[dict[str, Any]], None]) -> Any:
    while True:
        try:
            say({"progress": float(next(steps))})
        except StopIteration as stop:
            return stop.value


def load() -> None:
    """Load what reads files and what locks this process, as far as it is there: afterwards there is no more of it."""
    for name in _PRELOADED:
        with contextlib.suppress(ImportError, OSError, RuntimeError):
            import_module(name)


def serve(jobs: BinaryIO, answers: BinaryIO) -> None:
    """Do jobs one after the other until whoever sends them is gone."""

    def say(what: dict[str, Any]) -> None:
        answers.write(json.dumps(what).encode() + b"\n")
        answers.flush()

    load()
    for what, is_there in (("Landlock", bool(landlock_version())), ("seccomp", knows_seccomp())):
        if not is_there:
            print(f"Files that people send are opened without {what}, which this system lacks.", file=sys.stderr)
    for line in jobs:
        job = json.loads(line)
        child = os.fork()
        if child == 0:
            try:
                _do(job, say)
            finally:
                os._exit(0)
        _, status = os.waitpid(child, 0)
        say({"ended": os.waitstatus_to_exitcode(status)})


def main() -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    answers = os.fdopen(os.dup(1), "wb")
    # What a library prints is no answer.
    os.dup2(2, 1)
    serve(sys.stdin.buffer, answers)


if __name__ == "__main__":
    main()
