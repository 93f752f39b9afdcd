"""What the running program writes down: one event a line, in JSON or for a person to read.

Events carry ids, counts and codes.  Names, addresses, mails and what files hold never go into a log; addresses of
requests are written as their routes, without the values in them.
"""

from __future__ import annotations

import logging
import sys
from typing import Literal

import structlog
from structlog.typing import Processor

Format = Literal["console", "json"]
SHARED: tuple[Processor, ...] = (
    structlog.contextvars.merge_contextvars,
    structlog.stdlib.add_log_level,
    structlog.stdlib.add_logger_name,
    structlog.processors.TimeStamper(fmt="iso", utc=True),
)


def configure(form: Format, level: str, process: str) -> None:
    """Let this process write its events to standard output; ``process`` names it on each line."""
    last: Processor = (
        structlog.processors.JSONRenderer() if form == "json" else structlog.dev.ConsoleRenderer(colors=False)
    )
    formatter = structlog.stdlib.ProcessorFormatter(
        foreign_pre_chain=SHARED,
        processors=[
            structlog.stdlib.ProcessorFormatter.remove_processors_meta,
            structlog.processors.format_exc_info,
            last,
        ],
    )
    handler = logging.StreamHandler(sys.stdout)
    handler.setFormatter(formatter)
    root = logging.getLogger()
    root.handlers[:] = [handler]
    root.setLevel(level.upper())
    # The job library tells each job twice, with its arguments: our own line on a job says enough.
    for loud in ("procrastinate", "httpx", "httpcore", "uvicorn.access"):
        logging.getLogger(loud).setLevel(logging.WARNING)
    structlog.configure(
        processors=[*SHARED, structlog.stdlib.ProcessorFormatter.wrap_for_formatter],
        logger_factory=structlog.stdlib.LoggerFactory(),
        wrapper_class=structlog.stdlib.BoundLogger,
        cache_logger_on_first_use=True,
    )
    structlog.contextvars.bind_contextvars(process=process)
