"""The command line: start everything, or one of its processes."""

from __future__ import annotations

import argparse
import gc
import json
import os
import socket
import sys
import threading
from pathlib import Path

from tidewind.garbage import look_seldom
from tidewind.logs import configure
from tidewind.running.children import end_with_parent
from tidewind.settings import DEMO_CLOCK, ROOT, Settings, now, real_now


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="tidewind", description=__doc__)
    commands = parser.add_subparsers(dest="command", required=True)
    serve = commands.add_parser("serve", help="start everything on this machine")
    serve.add_argument("--port", type=int, default=8480)
    serve.add_argument("--empty", action="store_true")
    serve.add_argument("--reset", action="store_true")
    serve.add_argument("--var", type=Path, default=ROOT / "var" / "shop")
    backup = commands.add_parser("backup", help="write a backup of the shop, which may run meanwhile, to a new file")
    backup.add_argument("file", type=Path)
    restore = commands.add_parser("restore", help="bring a backup back into a new place, and check it")
    restore.add_argument("file", type=Path)
    for command, where in ((backup, ROOT / "var" / "shop"), (restore, None)):
        command.add_argument("--var", type=Path, default=where, required=where is None)
    standins = commands.add_parser("standins", help="the simulated outside world only")
    standins.add_argument("port", type=int)
    standins.add_argument("smtp_port", type=int)
    standins.add_argument("file", type=Path)
    check = commands.add_parser("check-carrier", help="try a service against the open carrier protocol")
    check.add_argument("url")
    check.add_argument("--key", default="", help="the key that it gave you")
    check.add_argument("--service", default="", help="what to buy, where its rate cards do not say")
    check.add_argument("--country", default="", help="from where and to where, two letters")
    check.add_argument("--postcode", default="1000-001")
    store = commands.add_parser("check-channel", help="try a service against the open channel protocol")
    store.add_argument("url")
    store.add_argument("--key", default="", help="the key that it gave you")
    commands.add_parser("web", help="the web server only")
    commands.add_parser("worker", help="the job worker only")
    commands.add_parser("openapi", help="print the OpenAPI document")
    return parser


def main(arguments: list[str] | None = None) -> int:
    """Run a command and return its exit code."""
    chosen = _parser().parse_args(arguments)
    if chosen.command == "serve":
        return _serve(chosen)
    if chosen.command in {"backup", "restore"}:
        return _back_and_forth(chosen)
    if chosen.command == "standins":
        return _standins(chosen.port, chosen.smtp_port, chosen.file)
    if chosen.command in {"check-carrier", "check-channel"}:
        return _check(chosen)
    return {"web": _web, "worker": _worker, "openapi": _openapi}[chosen.command]()


def _serve(chosen: argparse.Namespace) -> int:
    from tidewind.running.folder import DataFolder, FolderTaken  # late: the other commands start without them
    from tidewind.running.supervisor import serve, throw_away

    if not 1 <= chosen.port <= 65_535:
        return _refuse(f"{chosen.port} is no port. Choose one from 1 to 65535: bin/start --port 8480")
    folder = DataFolder(chosen.var)
    used = (chosen.var / "postgres").exists()
    try:
        folder.take()
    except FolderTaken as taken:
        return _refuse(str(taken))
    except OSError as error:
        return _refuse(f"The data folder {chosen.var} cannot be used: {error.strerror}.")
    if chosen.empty and not chosen.reset and used and not folder.has("empty"):
        folder.give_back()
        return _refuse("This data folder holds the demo shop. Add --reset to begin empty.")
    if chosen.reset:
        throw_away(folder)
    if chosen.empty:
        folder.mark("empty")
    return serve(folder, chosen.port, demo=not folder.has("empty"))


def _back_and_forth(chosen: argparse.Namespace) -> int:
    from tidewind.running.backup import BackupError, back_up, restore
    from tidewind.running.cluster import ClusterError
    from tidewind.running.folder import FolderTaken

    try:
        if chosen.command == "backup":
            told = back_up(chosen.var, chosen.file, now())
        else:
            told = restore(chosen.file, chosen.var)
    except (BackupError, ClusterError, FolderTaken, OSError) as error:
        return _refuse(str(error))
    orders, labels = told.counts.get("customer_order", 0), told.counts.get("shipment", 0)
    as_of = told.made_at[:16].replace("T", " ")
    done = "Written to" if chosen.command == "backup" else "Brought back, and compared with what was written, from"
    print(f"{done} {chosen.file}: {orders:,} orders, {labels:,} shipments, as of {as_of} UTC.")
    if chosen.command == "restore":
        print(f"Start it: .venv/bin/tidewind serve --var {chosen.var}")
    return 0


def _refuse(words: str) -> int:
    print(words, file=sys.stderr)
    return 1


def _standins(port: int, smtp_port: int, file: Path) -> int:
    import uvicorn

    from tidewind.standins.app import make_app

    end_with_parent()
    told = os.environ.get(DEMO_CLOCK)
    uvicorn.run(
        make_app(file, smtp_port, real_now, Path(told) if told else None),
        host="127.0.0.1",
        port=port,
        log_level="warning",
        timeout_graceful_shutdown=1,
    )
    return 0


def _check(chosen: argparse.Namespace) -> int:
    from tidewind.conformance.carrier import check_carrier
    from tidewind.conformance.channel import check_channel
    from tidewind.conformance.protocol import as_table

    documents = ROOT / "docs" / "protocols"
    if chosen.command == "check-channel":
        outcomes = check_channel(chosen.url, chosen.key, documents / "channel.yaml")
    else:
        outcomes = check_carrier(
            chosen.url,
            chosen.key,
            documents / "carrier.yaml",
            now().date(),
            service=chosen.service,
            country=chosen.country,
            postcode=chosen.postcode,
        )
    print(as_table(outcomes))
    return 1 if any(one.result == "wrong" for one in outcomes) else 0


def _web() -> int:
    gc.disable()  # until everything is read: that takes a quarter less time, and look_seldom() turns it on again
    import uvicorn

    from tidewind.app import make_app, make_wiring
    from tidewind.core.calendar import is_working_day
    from tidewind.outside.apart import warm
    from tidewind.running.to_the_point import LONGEST_HEADERS, ToThePoint

    settings = Settings()
    configure(settings.log_format, settings.log_level, "web")
    app = make_app(make_wiring(settings))
    look_seldom()
    end_with_parent()
    warm()
    # Read the holiday tables while the server comes up, so that the first page need not wait for them.
    threading.Thread(target=is_working_day, args=(now().date(), "PT"), daemon=True).start()
    config = uvicorn.Config(
        app,
        host=settings.host,
        port=settings.port,
        http=ToThePoint,
        h11_max_incomplete_event_size=LONGEST_HEADERS,
        log_config=None,
        access_log=False,
        proxy_headers=bool(settings.trusted_proxies),
        forwarded_allow_ips=settings.trusted_proxies,
        timeout_graceful_shutdown=2,
    )
    listening = os.environ.get("TIDEWIND_LISTENING")
    uvicorn.Server(config).run([socket.socket(fileno=int(listening))] if listening else None)
    return 0


def _worker() -> int:
    gc.disable()  # as in _web()
    from tidewind.app import make_wiring
    from tidewind.jobs import make_worker_app, run_worker

    settings = Settings()
    configure(settings.log_format, settings.log_level, "worker")
    wiring = make_wiring(settings)
    look_seldom()
    end_with_parent()
    run_worker(make_worker_app(settings.database_url, wiring.sessions, wiring.outside), settings.database_url)
    return 0


def _openapi() -> int:
    from tidewind.app import make_app, make_wiring

    print(json.dumps(make_app(make_wiring(Settings())).openapi(), indent=1, ensure_ascii=False))
    return 0


if __name__ == "__main__":
    sys.exit(main())
