"""Figures of the running program for Prometheus, added up over all its processes where they share a folder.

The folder is named by ``PROMETHEUS_MULTIPROC_DIR`` before the first process starts; without it a process has its own.
"""

from __future__ import annotations

import os
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager

import structlog
from prometheus_client import REGISTRY as OWN
from prometheus_client import CollectorRegistry, Counter, Gauge, Histogram, generate_latest
from prometheus_client.multiprocess import MultiProcessCollector

log = structlog.get_logger(__name__)
SECONDS = (0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 5.0, 10.0)
REQUESTS = Counter("tidewind_requests", "Requests answered", ("method", "route", "status"))
REQUEST_SECONDS = Histogram("tidewind_request_seconds", "Time to the first byte", ("route",), buckets=SECONDS)
JOBS = Counter("tidewind_jobs", "Jobs done", ("job", "result"))
JOB_SECONDS = Histogram("tidewind_job_seconds", "Time a job takes", ("job",), buckets=(*SECONDS, 30.0, 60.0, 300.0))
OUTSIDE_CALLS = Counter("tidewind_outside_calls", "Calls to carriers", ("carrier", "call", "result"))
PURCHASES = Counter("tidewind_purchases_settled", "Purchases settled", ("carrier", "result"))


@contextmanager
def job(name: str) -> Iterator[None]:
    """Count a job and the time it takes, whether it fails or not, and write one line about it."""
    start, result = time.monotonic(), "failed"
    try:
        yield
        result = "done"
    finally:
        JOBS.labels(name, result).inc()
        took_s = time.monotonic() - start
        JOB_SECONDS.labels(name).observe(took_s)
        log.info("job", job=name, result=result, seconds=round(took_s, 3))


def exposition(now: Mapping[str, tuple[str, int]]) -> bytes:
    """Return everything counted in Prometheus' text format, with figures of the moment: name → (words, value)."""
    if "PROMETHEUS_MULTIPROC_DIR" in os.environ:
        counted = CollectorRegistry()
        MultiProcessCollector(counted)  # type: ignore[no-untyped-call]
    else:
        counted = OWN
    moment = CollectorRegistry()
    for name, (words, value) in now.items():
        Gauge(name, words, registry=moment).set(value)
    return generate_latest(counted) + generate_latest(moment)
