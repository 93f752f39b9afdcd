"""The command line: start everything, or one of its processes."""

from __future__ import annotations

import argparse
import json
import shutil
import socket
import sys
import threading
from pathlib import Path

from tidewind.garbage import look_seldom
from tidewind.logs import configure
from tidewind.settings import ROOT, Settings, now


def main(arguments: list[str] | None = None) -> int:
    """Run a command and return its exit code."""
    parser = argparse.ArgumentParser(prog="tidewind", description=__doc__)
    commands = parser.add_subparsers(dest="command", required=True)
    serve = commands.add_parser("serve", help="start everything on this machine")
    serve.add_argument("--port", type=int, default=8480)
    serve.add_argument("--empty", action="store_true")
    serve.add_argument("--reset", action="store_true")
    serve.add_argument("--var", type=Path, default=ROOT / "var" / "shop")
    standins = commands.add_parser("standins", help="the simulated outside world only")
    standins.add_argument("port", type=int)
    standins.add_argument("smtp_port", type=int)
    standins.add_argument("file", type=Path)
    commands.add_parser("web", help="the web server only")
    commands.add_parser("worker", help="the job worker only")
    commands.add_parser("openapi", help="print the OpenAPI document")
    chosen = parser.parse_args(arguments)
    if chosen.command == "serve":
        return _serve(chosen)
    if chosen.command == "standins":
        return _standins(chosen.port, chosen.smtp_port, chosen.file)
    return {"web": _web, "worker": _worker, "openapi": _openapi}[chosen.command]()


def _serve(chosen: argparse.Namespace) -> int:
    from tidewind.supervisor import serve  # late: the other commands start without it

    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        if probe.connect_ex(("127.0.0.1", chosen.port)) == 0:
            print(f"Port {chosen.port} is taken. Choose another: bin/start --port {chosen.port + 1}", file=sys.stderr)
            return 1
    if (chosen.var / "running.json").exists() and _alive(chosen.var):
        print(f"It runs already from {chosen.var}. Stop it there first (Ctrl-C).", file=sys.stderr)
        return 1
    if chosen.reset and chosen.var.exists():
        from tidewind.cluster import Cluster

        outside = Cluster(chosen.var / "postgres").folder
        shutil.rmtree(outside, ignore_errors=True)
        shutil.rmtree(chosen.var)
    empty_before = (chosen.var / "empty").exists()
    if chosen.empty and not chosen.var.exists():
        chosen.var.mkdir(parents=True)
        (chosen.var / "empty").touch()
        empty_before = True
    if chosen.empty and not empty_before:
        print("This data folder holds the demo shop. Add --reset to begin empty.", file=sys.stderr)
        return 1
    return serve(chosen.var, chosen.port, demo=not empty_before)


def _alive(var: Path) -> bool:
    try:
        pid = json.loads((var / "running.json").read_text())["pids"]["web"]
        return "tidewind" in Path(f"/proc/{pid}/cmdline").read_text()
    except (OSError, ValueError, KeyError):
        return False


def _standins(port: int, smtp_port: int, file: Path) -> int:
    import uvicorn

    from tidewind.standins.app import make_app

    uvicorn.run(
        make_app(file, smtp_port, now), host="127.0.0.1", port=port, log_level="warning", timeout_graceful_shutdown=1
    )
    return 0


def _web() -> int:
    import uvicorn

    from tidewind.app import make_app, make_wiring
    from tidewind.core.calendar import is_working_day

    settings = Settings()
    configure(settings.log_format, settings.log_level, "web")
    app = make_app(make_wiring(settings))
    look_seldom()
    # Read the holiday tables while the server comes up, so that the first page need not wait for them.
    threading.Thread(target=is_working_day, args=(now().date(), "PT"), daemon=True).start()
    uvicorn.run(
        app, host=settings.host, port=settings.port, log_config=None, access_log=False, timeout_graceful_shutdown=2
    )
    return 0


def _worker() -> int:
    from tidewind.app import make_wiring
    from tidewind.jobs import make_worker_app, run_worker

    settings = Settings()
    configure(settings.log_format, settings.log_level, "worker")
    wiring = make_wiring(settings)
    look_seldom()
    run_worker(make_worker_app(settings.database_url, wiring.sessions, wiring.outside))
    return 0


def _openapi() -> int:
    from tidewind.app import make_app, make_wiring

    print(json.dumps(make_app(make_wiring(Settings())).openapi(), indent=1, ensure_ascii=False))
    return 0


if __name__ == "__main__":
    sys.exit(main())
