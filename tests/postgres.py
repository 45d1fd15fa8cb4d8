"""A PostgreSQL server of the system's packages for the tests: made in a folder of its own, started, killed, cut off."""

import os
import pwd
import shutil
import signal
import socket
import subprocess
import tempfile
import threading
import time
from contextlib import suppress
from pathlib import Path
from typing import Any

FLAGS = "-c fsync=off -c full_page_writes=off -c max_connections=200 -c shared_buffers=32MB"


def programs() -> Path | None:
    """The folder of the server's programs; None where it is not installed."""
    found = shutil.which("pg_ctl")
    if found is not None and shutil.which("initdb") is not None:
        return Path(found).parent
    folders = sorted(Path("/usr/lib/postgresql").glob("*/bin/pg_ctl"))
    return folders[-1].parent if folders else None


class Postgres:
    """Started on first use. `url`: of its database, for an account; with no password, as the server trusts its own
    machine.
    """

    def __init__(self) -> None:
        folder = programs()
        assert folder is not None
        self.bin = folder
        base = "/dev/shm" if os.access("/dev/shm", os.W_OK) else None
        self.folder = Path(tempfile.mkdtemp(prefix="aquin-pg-", dir=base))
        self.account = "postgres" if os.geteuid() == 0 else None  # the server refuses to run as root
        if self.account:
            held = pwd.getpwnam(self.account)
            os.chown(self.folder, held.pw_uid, held.pw_gid)
        self.port = free_port()
        self._run(
            "initdb", "-D", str(self.folder / "data"), "-U", "postgres", "-A", "trust", "-E", "UTF8", "-N"
        )
        self.start()
        # a run that is killed leaves no server behind
        watch = f"while [ -e /proc/{os.getpid()}/exe ]; do sleep 3; done; kill -QUIT $(head -1 data/postmaster.pid);"
        subprocess.Popen(
            ["sh", "-c", f"{watch} sleep 2; rm -rf {self.folder}"],
            cwd=self.folder,
            start_new_session=True,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )

    def _run(self, program: str, *words: str) -> None:
        more: dict[str, Any] = {"user": self.account, "group": self.account} if self.account else {}
        subprocess.run(
            [str(self.bin / program), *words],
            check=True,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            cwd=self.folder,
            **more,
        )

    def start(self) -> None:
        words = f"-p {self.port} -c listen_addresses=127.0.0.1 -k {self.folder} {FLAGS}"
        self._run(
            "pg_ctl",
            "-D",
            str(self.folder / "data"),
            "-w",
            "-o",
            words,
            "-l",
            str(self.folder / "log"),
            "start",
        )

    def stop(self, how: str = "immediate") -> None:
        with suppress(subprocess.CalledProcessError):
            self._run("pg_ctl", "-D", str(self.folder / "data"), "-m", how, "-w", "stop")

    def kill(self) -> None:
        """End the server as a failure would: every process of it."""
        pid = int((self.folder / "data" / "postmaster.pid").read_text().split()[0])
        children = Path(f"/proc/{pid}/task/{pid}/children").read_text().split()
        for one in (pid, *map(int, children)):
            with suppress(ProcessLookupError):
                os.kill(one, signal.SIGKILL)
        until = time.monotonic() + 10
        while Path(f"/proc/{pid}").exists() and time.monotonic() < until:
            time.sleep(0.02)

    def freeze(self, on: bool) -> None:
        """Let every process of it stand still, or go on: it is there, and answers nobody."""
        pid = int((self.folder / "data" / "postmaster.pid").read_text().split()[0])
        children = Path(f"/proc/{pid}/task/{pid}/children").read_text().split()
        for one in (pid, *map(int, children)):
            with suppress(ProcessLookupError):
                os.kill(one, signal.SIGSTOP if on else signal.SIGCONT)

    def close(self) -> None:
        self.stop()
        shutil.rmtree(self.folder, ignore_errors=True)

    def url(
        self, database: str = "postgres", user: str = "postgres", production: str = "", port: int = 0
    ) -> str:
        said = f"postgresql://{user}@127.0.0.1:{port or self.port}/{database}"
        return f"{said}?production={production}" if production else said

    def run(self, *statements: str, database: str = "postgres") -> list[Any]:
        """Statements as the server's administrator; the rows of the last one."""
        import psycopg

        with psycopg.connect(
            host="127.0.0.1", port=self.port, user="postgres", dbname=database, autocommit=True
        ) as held:
            rows: list[Any] = []
            for statement in statements:
                done = held.execute(statement)
                rows = done.fetchall() if done.description else []
        return rows


def free_port() -> int:
    with socket.socket() as held:
        held.bind(("127.0.0.1", 0))
        return int(held.getsockname()[1])


class Wire:
    """A line to the server that can be cut."""

    def __init__(self, port: int) -> None:
        self.target, self.port = port, free_port()
        self.whole = True
        self._open: list[socket.socket] = []
        self._door = socket.create_server(("127.0.0.1", self.port))
        threading.Thread(target=self._serve, daemon=True).start()

    def cut(self) -> None:
        """Drop all connections and take no more."""
        self.whole = False
        for one in self._open:
            with suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)
                one.close()
        self._open.clear()

    def mend(self) -> None:
        self.whole = True

    def close(self) -> None:
        self.cut()
        self._door.close()

    def _serve(self) -> None:
        while True:
            try:
                near, _ = self._door.accept()
            except OSError:
                return
            if not self.whole:
                near.close()
                continue
            try:
                far = socket.create_connection(("127.0.0.1", self.target))
            except OSError:
                near.close()
                continue
            self._open += [near, far]
            for a, b in ((near, far), (far, near)):
                threading.Thread(target=self._pass, args=(a, b), daemon=True).start()

    def _pass(self, a: socket.socket, b: socket.socket) -> None:
        try:
            while data := a.recv(65536):
                if not self.whole:
                    return
                b.sendall(data)
        except OSError:
            pass
        finally:
            for one in (a, b):
                with suppress(OSError):
                    one.close()
