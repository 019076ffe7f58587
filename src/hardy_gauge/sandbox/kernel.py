"""What the kernel takes away from a sandboxed process: files, network, other processes, new programs.

Linux: another user and an empty network where the process is root, Landlock rules (kernel 5.13 and later; the numbers
are those of linux/landlock.h), a seccomp filter of system calls (linux/seccomp.h, linux/bpf_common.h). What a system does
not offer is left out, and ``confine`` says what holds.
"""

from __future__ import annotations

import ctypes
import os
import platform
import signal
import struct
import sys
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

NOBODY = 65534
PR_SET_PDEATHSIG, PR_SET_DUMPABLE, PR_SET_SECCOMP, PR_SET_NO_NEW_PRIVS = 1, 4, 22, 38
CLONE_NEWUSER, CLONE_NEWNET, CLONE_NEWIPC = 0x10000000, 0x40000000, 0x08000000
CREATE_RULESET, ADD_RULE, RESTRICT_SELF = 444, 445, 446  # the same numbers on every architecture
READ_FILE = 1 << 2
READ = 1 << 0 | 1 << 2 | 1 << 3  # execute (to map libraries), read a file, list a folder
# bits of file access that each version of Landlock added: all of 1, then refer, truncate, ioctl
FILE_ACCESS = {1: (1 << 13) - 1, 2: 1 << 13, 3: 1 << 14, 5: 1 << 15}
# refused: socket, connect, execve, execveat, ptrace, bpf, io_uring_setup, mount, keyctl, process_vm_readv, unshare, setns
CALLS = {
    "x86_64": (0xC000003E, (41, 42, 59, 322, 101, 321, 425, 165, 250, 310, 272, 308)),
    "aarch64": (0xC00000B7, (198, 203, 221, 281, 117, 280, 425, 40, 219, 270, 97, 268)),
}


def _libc() -> ctypes.CDLL:
    return ctypes.CDLL(None, use_errno=True)


def die_with_parent(by: int = signal.SIGKILL) -> None:
    """This process gets the signal ``by`` when the thread that started it ends."""
    if sys.platform == "linux":
        parent = os.getppid()
        _libc().prctl(PR_SET_PDEATHSIG, by, 0, 0, 0)
        if os.getppid() != parent:
            os._exit(1)


def confine(folder: Path, readable: Iterable[Path], keep_user: bool = False) -> list[str]:
    """Take from this process everything but ``folder`` and reading ``readable``; returns what holds from now on. It becomes another user
    unless ``keep_user``.

    Whatever it has to import must be imported before.
    """
    restrictions = []
    if sys.platform != "linux":
        return restrictions
    libc = _libc()
    if libc.unshare(CLONE_NEWNET | CLONE_NEWIPC) == 0 or libc.unshare(CLONE_NEWUSER | CLONE_NEWNET | CLONE_NEWIPC) == 0:
        restrictions.append("no network")
    if os.getuid() == 0 and not keep_user:
        with suppress(OSError):
            os.chown(folder, NOBODY, NOBODY)
            for inside in folder.rglob("*"):
                os.chown(inside, NOBODY, NOBODY, follow_symlinks=False)
            os.setgroups([])
            os.setresgid(NOBODY, NOBODY, NOBODY)
            os.setresuid(NOBODY, NOBODY, NOBODY)
            restrictions.append("another user")
    libc.prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0)
    libc.prctl(PR_SET_DUMPABLE, 0, 0, 0, 0)
    if _landlock(libc, folder, readable):
        restrictions.append("no other files")
    if _seccomp(libc):
        restrictions.append("no other programs")
    return restrictions


def _landlock(libc: ctypes.CDLL, folder: Path, readable: Iterable[Path]) -> bool:
    version = libc.syscall(CREATE_RULESET, None, ctypes.c_size_t(0), 1)
    if version < 1:
        return False
    every = sum(bits for since, bits in FILE_ACCESS.items() if since <= version)
    network = 0b11 if version >= 4 else 0  # bind and connect of TCP
    scopes = 0b11 if version >= 6 else 0  # abstract sockets and signals to others
    attributes = struct.pack("QQQ", every, network, scopes)[: 8 * (1 if version < 4 else 2 if version < 6 else 3)]
    rules = libc.syscall(CREATE_RULESET, attributes, ctypes.c_size_t(len(attributes)), 0)
    if rules < 0:
        return False
    try:
        _allow(libc, rules, folder, every)
        for path in readable:
            _allow(libc, rules, path, READ if os.path.isdir(path) else READ_FILE)
        _allow(libc, rules, Path("/dev/urandom"), READ_FILE)
        return bool(libc.syscall(RESTRICT_SELF, rules, 0) == 0)
    finally:
        os.close(rules)


def _allow(libc: ctypes.CDLL, rules: int, path: Path, access: int) -> None:
    with suppress(OSError):
        number = os.open(path, os.O_PATH)
        try:
            libc.syscall(ADD_RULE, rules, 1, struct.pack("=Qi", access, number), 0)
        finally:
            os.close(number)


def _seccomp(libc: ctypes.CDLL) -> bool:
    """Refuse with EPERM what ``CALLS`` lists; a process of another architecture is ended."""
    known = CALLS.get(platform.machine())
    if known is None:
        return False
    architecture, calls = known
    load, equal, answer = 0x20, 0x15, 0x06
    filters = [(load, 0, 0, 4), (equal, 1, 0, architecture), (answer, 0, 0, 0x80000000), (load, 0, 0, 0)]
    filters.append((0x35, len(calls) + 1, 0, 0x40000000))  # another way to call the same
    for place, call in enumerate(calls):
        filters.append((equal, len(calls) - place, 0, call))
    filters += [(answer, 0, 0, 0x7FFF0000), (answer, 0, 0, 0x00050000 | 1)]
    body = ctypes.create_string_buffer(b"".join(struct.pack("HBBI", *one) for one in filters))
    program = struct.pack("HxxxxxxP", len(filters), ctypes.addressof(body))
    return bool(libc.prctl(PR_SET_SECCOMP, 2, program, 0, 0) == 0)
